"""Nonlinear fits against scipy.optimize.curve_fit, from a given start; and without any."""

from __future__ import annotations

import time

import numpy as np
from scipy.optimize import curve_fit

import vettore.core as core
from benchmarks.timing import by_turns, line


def _decay(t, a, k, c):
    return a * np.exp(-k * t) + c


def main() -> None:
    """Print the figures."""
    print("A decay from a given start, with everything reported of it, against curve_fit")
    for n in (100, 10_000, 100_000, 1_000_000):
        t = np.linspace(0, 90, n)
        made = core.practice("y = A*exp(-k*t) + C", {"A": 6, "k": 0.04, "C": 2}, x=t, noise=0.1, seed=1)
        ours, theirs = by_turns(
            lambda made=made: core.fit("y = A*exp(-k*t) + C", {"t": made.x, "y": made.y}, start={"k": 0.1}),
            lambda made=made: curve_fit(_decay, made.x, made.y, [1, 0.1, 0]),
            turns=51 if n < 10_000 else 5,
        )
        line(f"n = {n:>9,}", ours, theirs, "curve_fit")
    print("Without starts, n = 100")
    t = np.linspace(1, 100, 100)
    cases = {
        "two coefficients": ("y = V*t/(K + t)", {"V": 10, "K": 20}),
        "eight coefficients, a sum of peaks": (
            "y = A*exp(-((t-m)/w)^2) + B*exp(-((t-n)/v)^2) + C + D*t",
            {"A": 5, "m": 30, "w": 8, "B": 3, "n": 70, "v": 5, "C": 1, "D": 0.01},
        ),
    }
    for what, (formula, true) in cases.items():
        made = core.practice(formula, true, x=t, noise=0.05, seed=1)
        times = []
        for seed in range(3):
            begun = time.perf_counter()
            core.fit(formula, {"t": made.x, "y": made.y}, seed=seed)
            times.append(time.perf_counter() - begun)
        print(f"  {what:42} {sorted(times)[1]:8.2f} s", flush=True)
