"""How often 95 % intervals of all three kinds hold the truth, for few rows and more."""

from __future__ import annotations

import numpy as np

from vettore import core
from vettore.core.fitting.after.intervals import bootstrap_intervals, profile_intervals

MODELS = {
    "decay": ("y = A*exp(-k*x)", {"A": 5.0, "k": 0.5}, (0.3, 6.0)),
    "decay to a level": ("y = A*exp(-k*x) + C", {"A": 5.0, "k": 0.5, "C": 1.0}, (0.3, 8.0)),
    "saturation": ("y = V*x/(K + x)", {"V": 10.0, "K": 2.0}, (0.3, 10.0)),
}
ROWS, NOISE, SAMPLES = (9, 25), 0.2, 600
KINDS = ("Student’s t", "profile likelihood", "studentised bootstrap")


def lines(sets: int = 800) -> list[str]:
    """Return the section."""
    out = [
        "## Intervals",
        "",
        f"How many of {sets} practice sets have the truth inside the 95 % interval, in per cent, for each coefficient.",
        "",
        "| model | rows | coefficient | " + " | ".join(KINDS) + " |",
        "|---|---|---|" + "---|" * len(KINDS),
    ]
    for name, (formula, truth, span) in MODELS.items():
        for n in ROWS:
            x = np.linspace(*span, n)
            level = core.practice(formula, truth, x=x, noise=0.0, seed=1).true_y
            rng = np.random.default_rng([4, n])
            inside = {key: [0, 0, 0] for key in truth}
            for seed in range(sets):
                data = {"x": x, "y": level + rng.normal(0, NOISE, n)}
                result = core.fit(formula, data, start=truth)
                profile = profile_intervals(result, data)
                drawn = bootstrap_intervals(result, data, SAMPLES, seed=seed)
                for key, value in truth.items():
                    one = result.coefficients[key]
                    for kind, (low, high) in enumerate(((one.low, one.high), profile[key], drawn[key])):
                        inside[key][kind] += (low is None or low <= value) and (high is None or value <= high)
            for key, counts in inside.items():
                cells = " | ".join(f"{100 * count / sets:.1f}" for count in counts)
                out.append(f"| {name} | {n} | {key} | {cells} |")
    return out
