"""What a ± is made of, in words."""

from __future__ import annotations

import math

from vettore.core.budget import Budget
from vettore.core.rounding import NumberStyle

# A share of the variance that is too small to be told.
LITTLE = 0.0005


def share_in_words(share: float, style: NumberStyle) -> str:
    """Write a share of the variance as a percentage."""
    if 0 < abs(share) < LITTLE:
        return f"< {style.fixed(0.1, 1)} %"
    return f"{style.fixed(100 * share, 1 if abs(share) < 0.0995 else 0)} %"


def share_lines(budget: Budget, style: NumberStyle) -> list[tuple[str, float, str]]:
    """Return what the variance is made of, as name, share, and the share in words; the largest first."""
    lines = [(share.name, share.share) for share in budget.shares]
    lines.sort(key=lambda line: -line[1])
    if abs(budget.together) >= LITTLE and len(budget.shares) > 1:
        lines.append(("covariance", budget.together))
    return [(name, share, share_in_words(share, style)) for name, share in lines]


def expanded_in_words(budget: Budget, unit: str, style: NumberStyle) -> str:
    """Say the expanded uncertainty, how it was come by, and what simulation says of it."""
    level = f"{budget.level:.0%}".replace("%", " %")
    freedom = "many" if not math.isfinite(budget.freedom) else style.number(budget.freedom, 3)
    # JCGM 100 §7.2.6: two digits, as the standard uncertainty has.
    _, u = style.with_error(budget.value, budget.uncertainty)
    value, expanded = style.with_error(budget.value, budget.expanded)
    words = (
        f"{value} ± {expanded} {unit}".rstrip()
        + f" holds in {level} of cases: {style.fixed(budget.factor, 2)} times the standard uncertainty {u}, for {freedom} "
        "degrees of freedom."
    )
    ends = style.interval(budget.low, budget.high, budget.uncertainty)
    if budget.agrees:
        return f"{words} Simulation agrees: {ends}."
    return f"{words} Simulation does not agree: {ends}. Take these ends; the number bends too much for the other."
