"""Fits with errors in x beside an independent solver over coefficients and all true x at once, on 40 problems.

python -m tools.measures.distances
"""

from __future__ import annotations

import numpy as np
from scipy.optimize import least_squares

from vettore import core

SEEDS, ROWS = 8, 25
MODELS = {
    "straight line": ("y = a + b*x", lambda c, x: c[0] + c[1] * x, (1.0, 2.0)),
    "decay to a level": ("y = A*exp(-k*x) + C", lambda c, x: c[0] * np.exp(-c[1] * x) + c[2], (6.0, 0.35, 1.0)),
    "saturation": ("y = V*x/(K + x)", lambda c, x: c[0] * x / (c[1] + x), (8.0, 2.5)),
    "dose response": ("y = d/(1 + (x/c)^b)", lambda c, x: c[0] / (1 + (x / c[1]) ** c[2]), (9.0, 4.0, 2.5)),
    "peak": ("y = A*exp(-((x - m)/w)^2)", lambda c, x: c[0] * np.exp(-(((x - c[1]) / c[2]) ** 2)), (7.0, 5.0, 2.0)),
}


def main() -> None:
    """Print, for each model, by how much estimates, squares and standard errors differ at most, relative to the witness."""
    print(f"| Model, {SEEDS} problems each | estimates | sum of squares | standard errors |\n|---|---|---|---|")
    for name, (formula, curve, true) in MODELS.items():
        worst = np.zeros(3)
        for seed in range(SEEDS):
            rng = np.random.default_rng([seed, len(true)])
            x = np.linspace(1.2, 11, ROWS)
            sx, sy = rng.uniform(0.05, 0.3, ROWS), rng.uniform(0.05, 0.2, ROWS)
            together = rng.uniform(-0.8, 0.8, ROWS) if seed % 2 else np.zeros(ROWS)
            of_x, own = rng.normal(size=(2, ROWS))
            data = {
                "x": x + sx * of_x,
                "y": curve(true, x) + sy * (together * of_x + np.sqrt(1 - together**2) * own),
            }
            fit = core.fit(formula, data, sigma=sy, sigma_x=sx, correlation=together)
            order = [list(fit.coefficients).index(key) for key in fit.fitted_names]
            m, slant = len(true), together * sy / sx

            def distances(unknown, data=data, sx=sx, sy=sy, together=together, slant=slant, curve=curve, m=m):
                miss = data["x"] - unknown[m:]
                rest = data["y"] - curve(unknown[:m], unknown[m:]) - slant * miss
                return np.concatenate([miss / sx, rest / (sy * np.sqrt(1 - together**2))])

            begin = np.concatenate([np.array(fit.values)[order], fit.details.true_x])
            found = least_squares(
                distances, begin, jac="3-point", x_scale="jac", xtol=1e-15, ftol=1e-15, gtol=1e-15, max_nfev=2000
            )
            squares = 2 * found.cost
            covariance = np.linalg.inv(found.jac.T @ found.jac)[:m, :m] * squares / (ROWS - m)
            errors = np.sqrt(np.diag(covariance))
            told = np.array([one.standard_error for one in fit.coefficients.values()])[order]
            worst = np.maximum(
                worst,
                [
                    np.max(np.abs(np.array(fit.values)[order] / found.x[:m] - 1)),
                    abs(fit.sum_of_squares / squares - 1),
                    np.max(np.abs(told / errors - 1)),
                ],
            )
        print(f"| {name} | {worst[0]:.1e} | {worst[1]:.1e} | {worst[2]:.1e} |", flush=True)


if __name__ == "__main__":
    main()
