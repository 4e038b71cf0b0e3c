"""What lies on a plane comes out as that plane, wherever the sites are."""

import numpy as np
import pytest

from vettore import core

RNG = np.random.default_rng(0)
GRID = np.meshgrid(np.linspace(0, 10, 7), np.linspace(0, 6, 5))
LINE = np.linspace(0, 10, 30)
SITES = {
    "on a grid": (GRID[0].ravel(), GRID[1].ravel()),
    "a cluster among others": (
        np.concatenate([RNG.uniform(0, 10, 20), 5 + RNG.normal(0, 0.01, 15)]),
        np.concatenate([RNG.uniform(0, 6, 20), 3 + RNG.normal(0, 0.01, 15)]),
    ),
    "nearly on a line": (LINE, 2 * LINE + RNG.normal(0, 0.02, 30)),
    "on a few lines": (np.repeat(np.linspace(0, 10, 4), 12), np.tile(np.linspace(0, 1, 12), 4)),
    "two clusters and one": (
        np.concatenate([RNG.normal(0, 0.05, 12), RNG.normal(9, 0.05, 12), [4]]),
        np.concatenate([RNG.normal(0, 0.05, 12), RNG.normal(5, 0.05, 12), [7]]),
    ),
    "anywhere": (RNG.uniform(0, 10, 40), RNG.uniform(0, 6, 40)),
}


@pytest.mark.parametrize("sites", SITES)
@pytest.mark.parametrize("method", ["linear", "natural", "cubic", "thin_plate", "smoothing"])
def test_a_plane_is_reproduced(sites, method):
    """To 1e-9 of the span at places between the sites, with its slopes."""
    x, y = SITES[sites]
    z = 2 + 3 * x - 1.5 * y
    surface = core.grid(x, y, z, method=method, shape=(12, 12))
    share = RNG.dirichlet(np.ones(3), 200)
    corners = RNG.integers(0, len(x), (200, 3))
    u, v = (np.sum(share * values[corners], axis=1) for values in (x, y))
    told = surface(u, v)
    known = np.isfinite(told)
    assert known.sum() > 150
    np.testing.assert_allclose(told[known], (2 + 3 * u - 1.5 * v)[known], atol=1e-9 * np.ptp(z))
