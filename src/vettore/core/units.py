"""Units of quantities made from columns, as texts: slopes, areas, coefficients of polynomials."""

from __future__ import annotations

_SUPERSCRIPT = str.maketrans("0123456789", "⁰¹²³⁴⁵⁶⁷⁸⁹")


def power(unit: str, exponent: int) -> str:
    """Return ``unit`` to a whole power ≥ 0: ``min²``; a compound unit gets brackets."""
    if not unit or exponent == 0:
        return ""
    if exponent == 1:
        return unit
    base = f"({unit})" if any(mark in unit for mark in "/·* ") else unit
    return base + str(exponent).translate(_SUPERSCRIPT)


def quotient(above: str, below: str) -> str:
    """Return ``above`` per ``below``; equal units cancel."""
    if above == below or not below:
        return "" if above == below else above
    base = f"({below})" if any(mark in below for mark in "/·* ") else below
    return f"{above or '1'}/{base}"


def product(first: str, second: str) -> str:
    """Return the product of two units, as an area under a curve has it; ``mg/L`` times ``min`` is ``mg·min/L``."""
    if not first or not second:
        return first or second
    above, slash, below = first.partition("/")
    return f"{above}·{second}{slash}{below}"
