"""Fits side by side in words: which of them the rows favour, and the row of each in a table."""

from __future__ import annotations

import math
from collections.abc import Sequence

from vettore.core.fitting.after.compare import EQUALLY_GOOD, Compared
from vettore.core.rounding import NumberStyle

# The columns of a comparison; the first holds words.
COMPARED = ("Model", "Coefficients", "Residual s", "R²", "Left-one-out error", "ΔAICc", "Weight")


def comparison_words(compared: Sequence[Compared], style: NumberStyle) -> str:
    """Say which of several models the rows favour, from fits best first; see core.fit.compare."""
    first, *rest = compared
    equal = [item for item in rest if item.equal]
    if equal:
        others = " and ".join(each.name for each in equal)
        gap = style.number(max(abs(entry.difference - first.difference) for entry in equal), 2)
        words = f"{first.name} and {others} are equally good here (AICc differs by {gap}, less than {EQUALLY_GOOD:g})"
        fewer = all(first.coefficients < other.coefficients for other in equal)
        return f"{words}; {first.name} is the simpler." if fewer else f"{words}."
    if not rest:
        return f"{first.name} is the only model here."
    second = rest[0]
    if not math.isfinite(second.difference) or second.weight < 0.001:
        return f"{first.name} has practically all of the evidence; {second.name} comes next."
    times = style.number(first.weight / second.weight, 2)
    return f"{first.name} is favoured: {times} times the evidence of {second.name}, which comes next."


def compared_row(compared: Compared, style: NumberStyle) -> tuple[str, ...]:
    """Return name, coefficients, residual s, R² about the mean, left-one-out error, ΔAICc and weight of a fit."""
    share = compared.r_squared_about_mean
    return (
        compared.name,
        str(compared.coefficients),
        style.number(compared.result.residual_sd, 4),
        "—" if share is None else style.fixed(share, 4 if share < 0.9995 else 6),
        style.number(compared.result.left_one_out_error, 4),
        style.number(compared.difference, 3),
        style.plain("< 0.001") if compared.weight < 0.001 else style.fixed(compared.weight, 3),
    )
