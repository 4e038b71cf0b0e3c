"""Polynomial fits against numpy.polyfit."""

from __future__ import annotations

import warnings

import numpy as np

import vettore.core as core
from benchmarks.timing import by_turns, line


def main() -> None:
    """Print the figures."""
    print("Polynomial fit with everything reported of it, against numpy.polyfit (coefficients only)")
    rng = np.random.default_rng(1)
    for n in (1_000, 10_000, 100_000, 1_000_000):
        x = np.linspace(0, 100, n)
        y = np.sin(x / 9) + rng.normal(0, 0.1, n)
        for degree in (1, 3, 10):
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                ours, theirs = by_turns(
                    lambda x=x, y=y, d=degree: core.fit_polynomial(x, y, d),
                    lambda x=x, y=y, d=degree: np.polyfit(x, y, d),
                    turns=3 if n > 100_000 else 5,
                )
            line(f"n = {n:>9,}, degree {degree}", ours, theirs, "polyfit")
