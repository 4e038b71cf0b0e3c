"""How often 95 % ranges hold when another coefficient has come to lie at its limit.

python -m tools.measures.limits
"""

from __future__ import annotations

import numpy as np

from vettore import core

SETS, MOST_DRAWN = 200, 4000
X = np.linspace(0, 30, 25)
# Level of the curve at its end, in units of the scatter: at its limit of 0, and above it.
LEVELS = (0.0, 0.25, 0.5, 0.75)


def lines() -> list[str]:
    """Return the table: for each true level C ≥ 0, how often the ranges of k and A hold where C came out at 0."""
    out = [
        "| True C (in σ) | at the limit | range of k holds | range of A holds | t range of k would |",
        "|---|---|---|---|---|",
    ]
    for size in LEVELS:
        rng, held, drawn = np.random.default_rng(3), [], 0
        while len(held) < SETS and drawn < MOST_DRAWN:
            drawn += 1
            y = 5 * np.exp(-0.12 * X) + size * 0.3 + rng.normal(size=len(X)) * 0.3
            result = core.fit(
                "y = A*exp(-k*x) + C",
                {"x": X, "y": y},
                limits={"C": (0.0, None)},
                start={"k": 0.12, "C": 0.1},
            )
            k, a = result.coefficients["k"], result.coefficients["A"]
            if not result.coefficients["C"].at_limit or k.standard_error is None:
                continue
            inside = [
                (one.low is None or one.low <= true) and (one.high is None or true <= one.high)
                for one, true in ((k, 0.12), (a, 5.0))
            ]
            held.append((*inside, abs(k.value - 0.12) <= 2.07 * k.standard_error))
        share = np.mean(held, axis=0) * 100
        out.append(f"| {size:g} | {len(held)} of {drawn} | {share[0]:.1f} % | {share[1]:.1f} % | {share[2]:.1f} % |")
    return out


if __name__ == "__main__":
    print("\n".join(lines()))
