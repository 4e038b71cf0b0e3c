"""How often the 95 % interval of an unknown holds it, whose signal was measured once or three times: curves, scatters, counts.

python -m tools.measures.inverse
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np

from vettore import core
from vettore.core.arrays import Array

UNKNOWNS = 1000
# Calibrations of which so many unknowns are read each.
EACH = 10


class Case(NamedTuple):
    """A calibration: its curve, where it is measured, how it scatters (σ of y, or "poisson"), how it is fitted."""

    name: str
    formula: str
    curve: Callable[[Array], Array]
    x: Array
    scatter: Callable[[Array], Array] | str
    options: dict[str, Any]


def line(x: Array) -> Array:
    """A straight calibration."""
    return 1 + 2 * x


def even(size: float) -> Callable[[Array], Array]:
    """An even scatter."""
    return lambda y: np.full(np.shape(y), size)


TEN = np.linspace(0.0, 10.0, 12)
DOSES = np.repeat(np.geomspace(0.01, 100, 9), 2)
CASES = (
    Case("line", "y = a + b*x", line, TEN, even(0.5), {}),
    Case("line, 6 rows", "y = a + b*x", line, np.linspace(0, 10, 6), even(0.5), {}),
    Case("parabola", "y = a + b*x + c*x^2", lambda x: 1 + 3 * x - 0.12 * x**2, TEN, even(0.4), {}),
    Case("saturation", "y = V*x/(K + x)", lambda x: 10 * x / (2 + x), np.linspace(0.25, 10, 14), even(0.15), {}),
    Case(
        "dose response",
        "y = b + (t - b)/(1 + (m/x)^h)",
        lambda x: 2 + 98 / (1 + (1 / x) ** 1.2),
        DOSES,
        even(2.0),
        {},
    ),
    Case("line, ± of each row known", "y = a + b*x", line, TEN, lambda y: 0.1 + 0.05 * y, {"sigma": True}),
    Case(
        "line, growing scatter",
        "y = a + b*x",
        line,
        np.repeat(TEN, 3),
        lambda y: 0.1 + 0.05 * y,
        {"noise": "growing"},
    ),
    Case("line, counts", "y = a + b*x", lambda x: 20 + 15 * x, TEN, "poisson", {"noise": "poisson"}),
)


def held(case: Case, rng: np.random.Generator, replicates: int = 1) -> tuple[float, float, float]:
    """Return the shares of unknowns that their interval holds, of intervals that are open, of signals without a place."""
    inside, opened, none, mu = [], [], 0, case.curve(case.x)
    low, high = float(case.x.min()), float(case.x.max())
    spread = np.log(high / low) if low > 0 and high > 100 * low else 0.0
    for _ in range(UNKNOWNS // EACH):
        options = dict(case.options)
        if callable(case.scatter):
            sigma = case.scatter(mu)
            y = mu + rng.normal(size=len(mu)) * sigma
            if options.pop("sigma", False):
                options["sigma"] = sigma
        else:
            y = rng.poisson(mu).astype(float)
        result = core.fit(case.formula, {"x": case.x, "y": y}, **options)
        for share in rng.uniform(0.1, 0.9, EACH):
            true = low * np.exp(share * spread) if spread else low + share * (high - low)
            at = float(case.curve(np.array(true)))
            if callable(case.scatter):
                signals = at + rng.normal(size=replicates) * float(case.scatter(np.array(at)))
            else:
                signals = rng.poisson(at, replicates).astype(float)
            answer = core.unknowns(result, [signals])
            if np.isnan(answer.x[0]):
                none += 1
                continue
            ends = (float(answer.low[0]), float(answer.high[0]))
            inside.append(ends[0] <= true <= ends[1])
            opened.append(not np.isfinite(ends).all())
    return float(np.mean(inside)), float(np.mean(opened)), none / UNKNOWNS


def lines() -> list[str]:
    """Return the table."""
    out = [
        "| Calibration | replicates | 95 % intervals that hold | open on a side | no place |",
        "|---|---|---|---|---|",
    ]
    for case in CASES:
        for replicates in (1, 3):
            holds, opened, none = held(case, np.random.default_rng(11), replicates)
            figures = " | ".join(f"{share * 100:.1f} %" for share in (holds, opened, none))
            out.append(f"| {case.name} | {replicates} | {figures} |")
    return out


if __name__ == "__main__":
    print("\n".join(lines()))
