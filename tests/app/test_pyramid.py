"""Thinning for the screen keeps every spike and never draws more than it must."""

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from vettore.app.stage.pyramid import Pyramid


@settings(max_examples=40)
@given(st.integers(2, 60_000), st.floats(0, 0.9), st.floats(0.01, 1.0), st.integers(50, 900), st.integers(0, 99))
def test_what_is_drawn_has_the_same_extremes(n, start, share, pixels, seed):
    """In any view the line reaches the highest and lowest measured point, with at most two points a pixel or so."""
    rng = np.random.default_rng(seed)
    x = np.cumsum(rng.uniform(0.1, 1, n))
    y = rng.normal(size=n)
    left = x[0] + start * (x[-1] - x[0])
    right = left + share * (x[-1] - left)
    px, py = Pyramid(x, y).view(left, right, pixels)
    inside = (x >= left) & (x <= right)
    if inside.any():
        assert py.max() >= y[inside].max()
        assert py.min() <= y[inside].min()
    assert len(px) <= 2 * pixels + 2
    assert (np.diff(px) >= 0).all()
