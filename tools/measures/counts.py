"""How often the 95 % ranges of fits of counts hold, of the likelihood and of the standard errors beside it.

python -m tools.measures.counts
"""

from __future__ import annotations

import numpy as np

from vettore import core
from vettore.core.errors import VettoreError
from vettore.core.fitting.coefficients import Coefficient

SETS = 1000
MEANS = (2, 5, 20, 100)
TRIALS = (4, 20)
Z = 1.959964


def _holds(one: Coefficient, true: float) -> tuple[bool, bool]:
    low = -np.inf if one.low is None else one.low
    high = np.inf if one.high is None else one.high
    assert one.standard_error is not None
    return low <= true <= high, abs(one.value - true) <= Z * one.standard_error


def decay(mean: float, rng: np.random.Generator) -> tuple[bool, bool]:
    """A decay of counts in 25 rows, with so many in the mean: k."""
    x = np.linspace(0, 10, 25)
    shape = np.exp(-0.15 * x)
    y = rng.poisson(mean * shape / shape.mean()).astype(float)
    made = core.fit("y = A*exp(-k*x)", {"x": x, "y": y}, noise="poisson", start={"k": 0.15})
    return _holds(made.coefficients["k"], 0.15)


def shares(trials: int, rng: np.random.Generator) -> tuple[bool, bool]:
    """A step of shares in 15 rows of so many trials: its middle."""
    x = np.linspace(0, 10, 15)
    y = rng.binomial(trials, 1 / (1 + np.exp(-(x - 5)))) / trials
    formula, start = "y = 1/(1 + exp(-(x - m)/w))", {"m": 5.0, "w": 1.0}
    made = core.fit(formula, {"x": x, "y": y}, noise="binomial", trials=trials, start=start)
    return _holds(made.coefficients["m"], 5.0)


def lines() -> list[str]:
    """Return the table."""
    out = ["| Counts | Ranges of the likelihood | Value ± 1.96 standard errors |", "|---|---|---|"]
    cases = [(f"decay, {mean} in the mean, k", decay, mean) for mean in MEANS]
    cases += [(f"shares of {trials}, middle of a step", shares, trials) for trials in TRIALS]
    for seed, (name, make, size) in enumerate(cases):
        rng = np.random.default_rng(seed)
        told, refused = [], 0
        for _ in range(SETS):
            try:
                told.append(make(size, rng))
            except VettoreError:
                # As where shares step from none to all at once, and nothing bounds the likelihood.
                refused += 1
        held = np.mean(told, axis=0) * 100
        out.append(f"| {name}{f' ({refused} refused)' if refused else ''} | {held[0]:.1f} % | {held[1]:.1f} % |")
    return out


if __name__ == "__main__":
    print("\n".join(lines()))
