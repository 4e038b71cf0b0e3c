"""Units of quantities made from columns, as texts: slopes, areas, coefficients of polynomials."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from functools import cache
from typing import Any

from vettore.core.errors import DataError, Fault

# Names, powers and signs of a unit.
_PIECES = re.compile(
    r"(?P<name>[^\W\d_⁰¹²³⁴⁵⁶⁷⁸⁹][^\W_⁰¹²³⁴⁵⁶⁷⁸⁹]*|[%‰]|°[A-Za-z]*)"
    r"|(?P<power>\^\(?-?\d+(?:\.\d+)?\)?|⁻?[⁰¹²³⁴⁵⁶⁷⁸⁹]+)|[·*/()]|1"
)
_RAISED = re.compile(r"⁻?[⁰¹²³⁴⁵⁶⁷⁸⁹]+")
_PLAIN = str.maketrans("⁻⁰¹²³⁴⁵⁶⁷⁸⁹", "-0123456789")
RAISED = str.maketrans("0123456789", "⁰¹²³⁴⁵⁶⁷⁸⁹")


# Powers nearer to each other than this are the same.
SAME = 1e-9


def power(unit: str, exponent: int) -> str:
    """Return ``unit`` to a whole power ≥ 0: ``min²``; a compound unit gets brackets."""
    if not unit or exponent == 0:
        return ""
    if exponent == 1:
        return unit
    base = f"({unit})" if any(mark in unit for mark in "/·* ") else unit
    return base + str(exponent).translate(RAISED)


def quotient(above: str, below: str) -> str:
    """Return ``above`` per ``below``; what is in both cancels: ``mg/L`` per ``mg`` is ``1/L``."""
    if above == below or not below:
        return "" if above == below else above
    together = _together({above: 1.0, below: -1.0})
    if together is not None:
        return together
    base = f"({below})" if any(mark in below for mark in "/·* ") else below
    return f"{above or '1'}/{base}"


def product(first: str, second: str) -> str:
    """Return the product of two units, as an area under a curve has it; ``mg/L`` times ``min`` is ``mg·min/L``, times L mg."""
    if not first or not second:
        return first or second
    together = _squared(first) if first == second else _together({first: 1.0, second: 1.0})
    return _beside(first, second) if together is None else together


def composed(powers: Mapping[str, float]) -> str:
    """Return units to their powers as one text: ``{"mg/L": 1, "min": -1}`` is ``mg/L/min``."""
    together = _together(powers)
    if together is not None:
        return together
    above = below = ""
    for unit, exponent in sorted(powers.items(), key=lambda pair: "/" not in pair[0]):
        if abs(exponent) < SAME:
            continue
        size = abs(exponent)
        whole = power(unit, round(size)) if abs(size - round(size)) < SAME else f"{unit}^{size:g}"
        if exponent > 0:
            above = _beside(above, whole)
        else:
            below = _beside(below, whole)
    if not below:
        return above
    base = f"({below})" if any(mark in below for mark in "/·* ") else below
    return f"{above or '1'}/{base}"


def parts(unit: str) -> dict[str, float]:
    """Return the powers of the parts of a unit, ``mg·min/L`` as mg, min and 1/L; one that cannot be taken apart stays whole."""
    by_name = _powers_in(unit)
    return by_name if by_name is not None else {unit: 1.0} if unit else {}


def simplified(unit: str) -> str:
    """Return a unit with equal parts taken together and without a fraction in a fraction: ``m³/(s·m)`` is ``m²/s``.

    No part is turned into another, so that numbers keep their value. What cannot be taken apart stays as it is.
    """
    by_name = _powers_in(unit)
    return unit if by_name is None else composed(by_name)


def share_parts(units: Iterable[str]) -> set[str]:
    """Return those of several units that have a part in common with another one."""
    apart = {unit: _powers_in(unit) for unit in dict.fromkeys(units) if unit}
    count: dict[str, int] = {}
    for by_name in apart.values():
        for part in by_name or ():
            count[part] = count.get(part, 0) + 1
    return {unit for unit, by_key in apart.items() if any(count[part] > 1 for part in by_key or ())}


def _together(powers: Mapping[str, float]) -> str | None:
    """Return a product of units taken apart, where two of them have a part in common; None for all others."""
    used = {unit: exponent for unit, exponent in powers.items() if unit and abs(exponent) >= SAME}
    shared = share_parts(used)
    if not shared:
        return None
    out: dict[str, float] = {}
    for unit, exponent in used.items():
        apart = parts(unit) if unit in shared else {unit: 1.0}
        for part, times in apart.items():
            out[part] = out.get(part, 0.0) + times * exponent
    return composed({part: exponent for part, exponent in out.items() if abs(exponent) >= SAME})


def _squared(unit: str) -> str | None:
    by_name = _powers_in(unit)
    return None if by_name is None else composed({part: 2 * exponent for part, exponent in by_name.items()})


def _beside(first: str, second: str) -> str:
    if not first or not second:
        return first or second
    above, slash, below = first.partition("/")
    return f"{above}·{second}{slash}{below}"


def _powers_in(unit: str) -> dict[str, float] | None:
    """Return the powers of the parts of a unit; None for a text that cannot be taken apart."""
    pieces = list(_PIECES.finditer(unit))
    if "".join(match[0] for match in pieces) != unit or not unit:
        return None
    powers: dict[str, float] = {}
    # The sign of the powers at each depth of brackets, and what the next part's own sign is.
    signs, sign = [1.0], 1.0
    opened: list[float] = []
    for place, piece in enumerate(pieces):
        following = pieces[place + 1] if place + 1 < len(pieces) else None
        if piece["name"]:
            raised = _power_of(following["power"]) if following is not None and following["power"] else 1.0
            powers[piece[0]] = powers.get(piece[0], 0.0) + signs[-1] * sign * raised
        elif piece[0] == "(":
            opened.append(sign)
            signs.append(signs[-1] * sign)
            sign = 1.0
        elif piece[0] == ")":
            # A power of a bracket would have to be carried into it.
            if not opened or (following is not None and following["power"]):
                return None
            signs.pop()
            sign = opened.pop()
        elif piece[0] in "·*/":
            sign = -1.0 if piece[0] == "/" else 1.0
        elif piece["power"] and (place == 0 or not pieces[place - 1]["name"]):
            return None
    return None if opened else {part: exponent for part, exponent in powers.items() if abs(exponent) >= SAME}


def _power_of(text: str) -> float:
    return float(text.translate(_PLAIN).removeprefix("^").strip("()"))


def conversion(old: str, new: str) -> tuple[float, float]:
    """Return (factor, offset) that turn values in ``old`` into ``new``. Raises DataError when they do not fit."""
    import pint

    registry = _registry()
    try:
        zero = registry.Quantity(0.0, _spelled(old)).to(_spelled(new)).magnitude
        item = registry.Quantity(1.0, _spelled(old)).to(_spelled(new)).magnitude
    except pint.DimensionalityError:
        raise DataError(
            f"{old or 'No unit'} cannot become {new}: they measure different things.", Fault.UNITS
        ) from None
    except Exception:  # pint raises its parser's own errors for texts that are no unit
        raise DataError(
            f"“{new}” or “{old}” is not a unit that is known here. Write it as in mg/L, °C or m³/s.", Fault.UNITS
        ) from None
    return float(item - zero), float(zero)


@cache
def _registry() -> Any:
    import pint

    return pint.UnitRegistry(autoconvert_offset_to_baseunit=True)


_SPELLED = {
    "·": "*",
    "°C": "degC",
    "°F": "degF",
    "µ": "u",
    "μ": "u",
    "%": "percent",
}


def _spelled(unit: str) -> str:
    unit = _RAISED.sub(lambda raised: f"**{raised[0].translate(_PLAIN)}", unit)
    for sign, word in _SPELLED.items():
        unit = unit.replace(sign, word)
    return unit or "dimensionless"
