"""Surfaces over scattered sites against their witnesses."""

from __future__ import annotations

import numpy as np
from scipy.interpolate import CloughTocher2DInterpolator, LinearNDInterpolator, RBFInterpolator

import vettore.core as core
from benchmarks.timing import by_turns, line

WITNESSES = {
    "linear": LinearNDInterpolator,
    "cubic": CloughTocher2DInterpolator,
    "thin_plate": lambda sites, z: RBFInterpolator(sites, z, kernel="thin_plate_spline"),
}
CASES = (("linear", 2000), ("cubic", 2000), ("thin_plate", 2000), ("linear", 100_000), ("cubic", 100_000))


def main() -> None:
    """Print the time from sites to a grid of 200 × 200."""
    print("Scattered sites on a grid of 200 × 200")
    for method, count in CASES:
        sites = np.random.default_rng(1).uniform(0, 1, (count, 2))
        z = np.sin(9 * sites[:, 0]) * np.cos(7 * sites[:, 1])
        low, high = sites.min(axis=0), sites.max(axis=0)
        at = np.stack(np.meshgrid(*(np.linspace(a, b, 200) for a, b in zip(low, high, strict=True))), axis=-1)
        ours, theirs = by_turns(
            lambda sites=sites, z=z, method=method: core.grid(*sites.T, z, method=method, shape=(200, 200)).grid,
            lambda sites=sites, z=z, method=method, at=at: WITNESSES[method](sites, z)(at.reshape(-1, 2)),
            turns=3,
        )
        line(
            f"{method.replace('_', ' ')}, {count:,} sites",
            ours,
            theirs,
            WITNESSES[method].__name__ if method != "thin_plate" else "RBFInterpolator",
        )


if __name__ == "__main__":
    main()
