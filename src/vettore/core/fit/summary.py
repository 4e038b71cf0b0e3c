"""A fit in one sentence or two, which never claim more than the figures."""

from __future__ import annotations

import math

from vettore.core.fit.result import FitResult
from vettore.core.rounding import NumberStyle

# Fewer degrees of freedom than this leave the scatter itself poorly known.
FEW_DEGREES_OF_FREEDOM = 5
# Below this share of the variation a curve says little about single values.
LITTLE_EXPLAINED = 0.5


def summary(result: FitResult, model: str, y_name: str, y_unit: str, set_aside: int, style: NumberStyle) -> str:
    """Return the sentence for a fit; ``model`` is its name, ``set_aside`` the number of rows left out by the user."""
    model = model[0].lower() + model[1:]
    parts = [_share(result, model, y_name, style)]
    if result.degrees_of_freedom < 1:
        parts.append("It passes through every point, so nothing can be said about its uncertainty.")
    elif result.exact:
        parts.append("What is left is rounding only.")
    elif result.residual_sd is not None and not result.weighted:
        left = f"{style.number(result.residual_sd, 3)} {y_unit}".strip()
        parts.append(f"What is left has a standard deviation of {left}.")
    if 0 < result.degrees_of_freedom < FEW_DEGREES_OF_FREEDOM:
        parts.append(f"With {result.n} rows for {len(result.coefficients)} coefficients, trust the ± only roughly.")
    parts += _rows(set_aside)
    return " ".join(parts)


def _share(result: FitResult, model: str, y_name: str, style: NumberStyle) -> str:
    if result.r_squared is None:
        return f"{y_name} is the same in every row, so there is no variation for the {model} to explain."
    if model == "constant":
        return f"The constant is the mean of {y_name}; it explains none of its variation."
    percent = "100 %" if result.exact else _percent(result.r_squared, style)
    if result.r_squared_against == "zero":
        return f"The {model} takes up {percent} of the sum of squares of {y_name} about zero."
    if result.r_squared < LITTLE_EXPLAINED:
        return f"The {model} explains only {percent} of the variation in {y_name}."
    return f"The {model} explains {percent} of the variation in {y_name}."


def _percent(share: float, style: NumberStyle) -> str:
    """Write a share as a percentage that is never rounded up to 100 %."""
    percent = max(share, 0.0) * 100
    rest = 100 - percent
    if rest < 1e-4:
        return f"more than {style.fixed(99.9999, 4)} %"
    places = min(max(1 - math.floor(math.log10(rest)), 0), 4)
    # Rounded down, so that 99.96 % of something never reads as all of it.
    return f"{style.fixed(math.floor(percent * 10**places) / 10**places, places)} %"


def _rows(set_aside: int) -> list[str]:
    if not set_aside:
        return []
    return ["One row is set aside." if set_aside == 1 else f"{set_aside} rows are set aside."]
