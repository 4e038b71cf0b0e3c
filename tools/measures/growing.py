"""How often 95 % ranges hold when scatter grows with the curve, with even weights and with the growth told by the rows.

python -m tools.measures.growing
"""

from __future__ import annotations

from itertools import product

import numpy as np

from vettore import core
from vettore.core.arrays import Array

SETS = 300
SIZES = (8, 12, 30)


def decay(x: Array) -> Array:
    """A decay from 20 to 1."""
    return np.asarray(20 * np.exp(-0.3 * x))


def line(x: Array) -> Array:
    """A calibration line."""
    return np.asarray(1 + 2 * x)


CASES = (
    ("decay", "y = A*exp(-k*x)", decay, "k", 0.3, {"k": 0.3}),
    ("line, its offset", "y = a + b*x", line, "a", 1.0, None),
    ("line, its slope", "y = a + b*x", line, "b", 2.0, None),
)
# Even and growing parts of the scatter.
SCATTERS = ((0.5, 0.0), (0.2, 0.05), (0.02, 0.1))


def lines() -> list[str]:
    """Return the table."""
    out = ["| Rows | Curve, σ | Even weights | Growth told | ± of the two | p < 0.05 |", "|---|---|---|---|---|---|"]
    for n, (name, formula, curve, coefficient, true, start) in product(SIZES, CASES):
        x = np.linspace(0.5, 10, n)
        for a, b in SCATTERS:
            rng, mu, told = np.random.default_rng(5), curve(x), []
            for _ in range(SETS):
                data = {"x": x, "y": mu + rng.normal(size=n) * (a + b * mu)}
                grown = core.fit(formula, data, noise="growing", start=start)
                ones = [one.coefficients[coefficient] for one in (core.fit(formula, data, start=start), grown)]
                assert grown.details.spread is not None
                assert all(one.low is not None and one.high is not None for one in ones)
                holds = [float((one.low or 0) <= true <= (one.high or 0)) for one in ones]
                told.append((*holds, *(one.standard_error for one in ones), float(grown.details.spread.p < 0.05)))
            even, grows, wide, narrow, found = np.mean(told, axis=0)
            words = f"| {n} | {name}, {a:g} + {b * 100:g} % | {even * 100:.1f} % | {grows * 100:.1f} % "
            out.append(words + f"| {wide:.2g}, {narrow:.2g} | {found * 100:.1f} % |")
    return out


if __name__ == "__main__":
    print("\n".join(lines()))
