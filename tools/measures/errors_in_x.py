"""How often the 95 % ranges of fits with errors in x hold: `python -m tools.measures.errors_in_x [sets [correlation]]`."""

from __future__ import annotations

import sys

import numpy as np

from vettore import core

# Formula, the true curve, true coefficients, σ of x, σ of y, rows over x of 0.3 … 10.
CASES = {
    "straight line": ("y = a + b*x", lambda c, x: c[0] + c[1] * x, {"a": 1.0, "b": 2.0}, 0.3, 0.5, 11),
    "decay to a level": (
        "y = A*exp(-k*x) + C",
        lambda c, x: c[0] * np.exp(-c[1] * x) + c[2],
        {"A": 6.0, "k": 0.3, "C": 2.0},
        0.2,
        0.12,
        25,
    ),
    "saturation": ("y = A*x/(x + K)", lambda c, x: c[0] * x / (x + c[1]), {"A": 5.0, "K": 3.0}, 0.25, 0.12, 20),
    "dose response": (
        "y = d/(1 + (x/c)^b)",
        lambda c, x: c[0] / (1 + (x / c[1]) ** c[2]),
        {"d": 9.0, "c": 4.0, "b": 2.5},
        0.06,
        0.12,
        20,
    ),
}


def main() -> None:
    """Print the share of sets in which each range holds its true coefficient."""
    sets = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
    together = float(sys.argv[2]) if len(sys.argv) > 2 else 0.0
    print(f"| Model ({sets} sets) | ± | Ranges that hold |\n|---|---|---|")
    for name, (formula, curve, true, sigma_x, sigma_y, count) in CASES.items():
        for known in (True, False):
            rng = np.random.default_rng(7)
            held, converged = np.zeros(len(true)), 0
            for _ in range(sets):
                x = np.linspace(0.3, 10, count)
                of_x, own = rng.normal(size=(2, count))
                of_y = together * of_x + np.sqrt(1 - together**2) * own
                data = {"x": x + sigma_x * of_x, "y": curve([*true.values()], x) + sigma_y * of_y}
                # From the truth, for speed: what is measured are the ranges.
                start = true if "exp" in formula or "/" in formula else None
                spread = {"sigma": np.full(count, sigma_y), "sigma_x": np.full(count, sigma_x)}
                spread |= {"correlation": together} if together else {}
                result = core.fit(formula, data, start=start, absolute_sigma=known, **spread)
                if result.converged:
                    converged += 1
                    held += [
                        result.coefficients[k].low <= value <= result.coefficients[k].high
                        for k, value in true.items()
                    ]
            shares = ", ".join(f"{k} {share:.1%}" for k, share in zip(true, held / converged, strict=True))
            print(f"| {name} | {'known' if known else 'relative'} | {shares} |", flush=True)


if __name__ == "__main__":
    main()
