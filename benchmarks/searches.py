"""How long fits take without any start: the nonlinear formulas of the catalogue, as formulas, over made-up rows.

python -m benchmarks searches
"""

from __future__ import annotations

import time

import numpy as np
from tests.core.models.truth import TRUTH

import vettore.core as core
from vettore.core.fitting.prepared import prepared

# Every formula is fitted to so many sets, of rows and noise that differ.
SETS = ((30, 0.05), (79, 0.1), (200, 0.2))
WANTED = "95 in 100 within 0.5 s, all within 3 s"


def main() -> None:
    """Print the times and the slowest, and how many ended at or below the squares of the truth."""
    taken: list[tuple[float, str]] = []
    reached = 0
    for model in core.CATALOGUE.values():
        if not prepared(model.formula, ("x", "y")).parts.nonlinear:
            continue
        for seed, (rows, noise) in enumerate(SETS):
            made = core.practice(model.formula, TRUTH[model.key], x=np.linspace(1, 40, rows), noise=noise, seed=seed)
            begun = time.perf_counter()
            result = core.fit(model.formula, {"x": made.x, "y": made.y})
            taken.append((time.perf_counter() - begun, f"{model.key}, {rows} rows"))
            reached += result.sum_of_squares <= float(np.sum((made.y - made.true_y) ** 2)) * (1 + 1e-9)
    times = sorted(one for one, _ in taken)
    print(f"{len(times)} fits without a start (wanted: {WANTED})")
    print(
        f"  median {times[len(times) // 2]:.2f} s, 95th percentile {times[int(0.95 * len(times))]:.2f} s, "
        f"longest {times[-1]:.2f} s; {reached} at or below the squares of the truth"
    )
    for took, what in sorted(taken, reverse=True)[:8]:
        print(f"  {took:6.2f} s  {what}")
