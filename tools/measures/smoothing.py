"""How near the smoothing spline that is chosen comes to the best one, on made-up sets whose truth is known."""

from __future__ import annotations

import itertools
import math
import time

import numpy as np

from vettore import core
from vettore.core.interpolation.smoothing import LONGEST, SHORTEST

SHAPES = {
    "line": lambda x: 2 * x,
    "parabola": lambda x: 4 * x * x,
    "decay": lambda x: np.exp(-5 * x),
    "wave": lambda x: np.sin(6 * x),
    "two waves": lambda x: np.sin(12 * x),
    "hump": lambda x: np.exp(-(((x - 0.5) / 0.15) ** 2)),
    "step, rounded": lambda x: 1 / (1 + np.exp(-(x - 0.5) / 0.08)),
}
ROWS = (10, 15, 20, 30, 50, 100, 300, 1000, 3000)
NOISE = (0.02, 0.1, 0.3)


def ratio(n: int, shape: str, noise: float, uneven: bool, seed: int) -> float:
    """Return the error of the chosen curve over that of the best λ on a fine grid."""
    rng = np.random.default_rng([seed, n])
    x = np.sort(rng.uniform(0, 1, n)) if uneven else np.linspace(0, 1, n)
    truth = SHAPES[shape](x)
    y = truth + rng.normal(0, noise, n)
    spacing = float(np.ptp(x)) / (n - 1)
    lengths = np.geomspace(SHORTEST * spacing, LONGEST * float(np.ptp(x)), 60)
    best = math.inf
    for length in lengths:
        curve = core.interpolate(x, y, "smoothing", penalty=(length / (2 * math.pi)) ** 4 / spacing)
        best = min(best, float(np.sqrt(np.mean((curve(x) - truth) ** 2))))
    chosen = core.interpolate(x, y, "smoothing")
    return float(np.sqrt(np.mean((chosen(x) - truth) ** 2))) / best


def lines(sets: int = 504) -> list[str]:
    """Return the section."""
    cells = itertools.cycle(itertools.product(SHAPES, NOISE, (False, True)))
    rows = []
    all_of_them: list[float] = []
    each = sets // len(ROWS)
    for n in ROWS:
        found = np.array([ratio(n, *next(cells), seed) for seed in range(each)])
        all_of_them += found.tolist()
        rows.append(f"| {n} | {each} | {np.median(found):.2f} | {found.max():.2f} | {int(np.sum(found > 2))} |")
    every = np.array(all_of_them)
    rng, n = np.random.default_rng(3), 100_000
    x = np.sort(rng.uniform(0, 1, n))
    y = np.sin(6 * x) + rng.normal(0, 0.1, n)
    began = time.process_time()
    core.interpolate(x, y, "smoothing")
    took = time.process_time() - began
    return [
        "## Smoothing splines",
        "",
        (
            f"Error of the curve that the data choose over that of the best λ, on {len(every)} made-up sets "
            f"({len(SHAPES)} shapes, noise {', '.join(map(str, NOISE))}, even and uneven x)."
        ),
        "",
        "| rows | sets | median | largest | above 2 |",
        "|---|---|---|---|---|",
        *rows,
        (
            f"| **all** | **{len(every)}** | **{np.median(every):.2f}** | **{every.max():.2f}** | "
            f"**{int(np.sum(every > 2))}** |"
        ),
        "",
        f"100,000 uneven points took {took:.2f} s of one core.",
    ]
