"""How often 95 % ranges hold when neighbours err alike, with that left out and taken out.

python -m tools.measures.correlated
"""

from __future__ import annotations

import numpy as np

from vettore import core

SETS = 300
PHIS = (0.0, 0.4, 0.7, 0.9)
SIZES = (8, 12, 20, 30, 100)


def lines() -> list[str]:
    """Return the table."""
    out = [
        "| Rows, φ | Taken for independent | φ told by the rows | φ in the mean | p < 0.05 |",
        "|---|---|---|---|---|",
    ]
    for n in SIZES:
        x = np.linspace(0, 12, n)
        for phi in PHIS:
            apart = np.abs(x[:, None] - x[None, :]) / (x[1] - x[0])
            lower = np.linalg.cholesky(phi**apart if phi else np.eye(n))
            rng, told = np.random.default_rng(7), []
            for _ in range(SETS):
                data = {"x": x, "y": 10 * np.exp(-0.25 * x) + 0.4 * lower @ rng.normal(size=n)}
                plain = core.fit("y = A*exp(-k*x)", data, start={"k": 0.25})
                alike = core.fit("y = A*exp(-k*x)", data, start={"k": 0.25}, noise="correlated")
                assert alike.details.memory is not None
                held = [
                    float((one.coefficients["k"].low or 0) <= 0.25 <= (one.coefficients["k"].high or 0))
                    for one in (plain, alike)
                ]
                told.append((*held, alike.details.memory.phi, float(alike.details.memory.p < 0.05)))
            independent, by_rows, found, small = np.mean(told, axis=0)
            words = f"| {n}, {phi:g} | {independent * 100:.1f} % | {by_rows * 100:.1f} % "
            out.append(words + f"| {found:.2f} | {small * 100:.1f} % |")
    return out


if __name__ == "__main__":
    print("\n".join(lines()))
