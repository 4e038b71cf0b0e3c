"""The table of ratios of docs/SPEED.md, each beside its witness by turns, and how cost grows with the rows.

python -m benchmarks speed
"""

from __future__ import annotations

import platform
import statistics
import time

import numpy as np
from scipy.interpolate import CubicSpline
from scipy.optimize import curve_fit

import vettore.core as core
from benchmarks.timing import by_turns

GROWTH = (100, 1_000, 10_000, 100_000, 1_000_000, 10_000_000)


def _decay(t, a, k, c):
    return a * np.exp(-k * t) + c


def _rows(n: int) -> dict[str, np.ndarray]:
    rng, t = np.random.default_rng(1), np.linspace(0, 90, n)
    return {"t": t, "y": _decay(t, 6.0, 0.05, 2.0) + rng.normal(0, 0.1, n)}


def _told(what: str, ours: float, theirs: float, wanted: str) -> None:
    print(f"| {what} | {ours * 1e3:.3g} ms | {theirs * 1e3:.3g} ms | {ours / theirs:.2f} | {wanted} |", flush=True)


def decays() -> None:
    """Print the decay from starts near the answer and far from it; the witness begins at the same."""
    for n, turns, near_wanted, far_wanted in (
        (100, 31, "≤ 1.0", "≤ 1.0"),
        (10_000, 11, "≤ 0.4", "≤ 0.4"),
        (1_000_000, 3, "≤ 0.15", "≤ 0.06"),
    ):
        data = _rows(n)
        for where, (a, k, c), wanted in (
            ("near", (6.3, 0.052, 1.9), near_wanted),
            ("far", (1.0, 0.5, 0.0), far_wanted),
        ):
            ours, theirs = by_turns(
                lambda data=data, k=k: core.fit("y = A*exp(-k*t) + C", data, start={"k": k}),
                lambda data=data, p=(a, k, c): curve_fit(_decay, data["t"], data["y"], p),
                turns,
            )
            _told(f"decay, {n:,} rows, start {where}", ours, theirs, wanted)


def polynomials() -> None:
    """Print cubics against one call of NumPy's that solves the normal matrix of powers."""
    for n, wanted in ((1_000, "≤ 5"), (100_000, "≤ 0.3")):
        data = _rows(n)
        ours, theirs = by_turns(
            lambda d=data: core.fit_polynomial(d["t"], d["y"], 3), lambda d=data: np.polyfit(d["t"], d["y"], 3), 11
        )
        _told(f"cubic, {n:,} rows", ours, theirs, wanted)


def splines() -> None:
    """Print a cubic spline built and evaluated."""
    rng = np.random.default_rng(1)
    x = np.sort(rng.uniform(0, 1e4, 1_000_000))
    y, at = np.sin(x), np.sort(rng.uniform(1, 9_999, 1_000_000))
    ours, theirs = by_turns(
        lambda: core.interpolate(x, y, "cubic")(at), lambda: CubicSpline(x, y, bc_type="not-a-knot")(at), 3
    )
    _told("cubic spline, 1,000,000 knots and places", ours, theirs, "≤ 0.7")


def counts() -> None:
    """Print what the likelihood costs beside least squares."""
    rng, t = np.random.default_rng(1), np.linspace(0, 90, 100)
    data = {"t": t, "y": rng.poisson(_decay(t, 30.0, 0.05, 4.0)).astype(float)}
    ours, theirs = by_turns(
        lambda: core.fit("y = A*exp(-k*t) + C", data, start={"k": 0.05}, noise="poisson"),
        lambda: core.fit("y = A*exp(-k*t) + C", data, start={"k": 0.05}),
        11,
    )
    _told("decay of counts, 100 rows, with ranges (witness: by squares)", ours, theirs, "—")


def growth() -> None:
    """Print how the cost of a decay from a start grows with the rows."""
    print("\n| Rows | Time | For each row | Against the ideal line from 10,000 rows |\n|---|---|---|---|")
    times = {}
    for n in GROWTH:
        data = _rows(n)
        core.fit("y = A*exp(-k*t) + C", data, start={"k": 0.05})
        taken = []
        for _ in range(7 if n < 1_000_000 else 3):
            begun = time.perf_counter()
            core.fit("y = A*exp(-k*t) + C", data, start={"k": 0.05})
            taken.append(time.perf_counter() - begun)
        times[n] = statistics.median(taken)
    for n, took in times.items():
        ideal = times[10_000] * n / 10_000
        print(f"| {n:,} | {took * 1e3:.3g} ms | {took / n * 1e9:.3g} ns | {took / ideal:.2f} |", flush=True)


def main() -> None:
    """Print the tables."""
    print(
        f"{platform.processor() or platform.machine()}, Python {platform.python_version()}, NumPy {np.__version__}\n"
    )
    print("| What | Vettore | Witness | Ratio | Wanted |\n|---|---|---|---|---|")
    decays()
    polynomials()
    splines()
    counts()
    growth()
