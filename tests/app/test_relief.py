"""The relief without a window: what each pixel shows, what is hidden, and colours of heights."""

import numpy as np
import pytest

from vettore.app.stage.ramp import Ramp
from vettore.app.stage.relief_view import Eye, Frame, Paints, ReliefGround, see
from vettore.look.theme import LAMP, PAPER, luminance

SIDE = 60
ACROSS, ALONG = np.meshgrid(np.linspace(-0.5, 0.5, SIDE), np.linspace(-0.5, 0.5, SIDE))
HILL = np.exp(-20 * (ACROSS**2 + ALONG**2))


def ground(heights, inside=None):
    return ReliefGround(heights, np.ones_like(heights) if inside is None else inside, (1.0, 1.0))


@pytest.mark.parametrize("turn", [-120.0, -32.0, 0.0, 45.0, 200.0])
@pytest.mark.parametrize("tilt", [10.0, 32.0, 80.0])
def test_a_pixel_shows_the_place_that_projects_to_it(turn, tilt):
    """Places of the hill that nothing hides are shown at their pixels, in their height."""
    frame = Frame(Eye(turn, tilt), 240, 240, (1.0, 1.0))
    relief = see(ground(HILL), frame)
    rng = np.random.default_rng(1)
    a, b = rng.uniform(-0.45, 0.45, (2, 400))
    h = np.exp(-20 * (a**2 + b**2))
    column, line, depth = frame.pixels(a, b, h)
    shown = ~relief.hidden(column, line, depth)
    at = np.clip(line.astype(int), 0, 239), np.clip(column.astype(int), 0, 239)
    assert shown.mean() > (0.4 if tilt < 20 else 0.75)
    close = np.abs(relief.h[at] - h)[shown & relief.seen[at]]
    assert np.quantile(close, 0.95) < 0.08
    assert relief.seen[at][shown].mean() > 0.97


def test_what_stands_behind_a_ridge_is_hidden():
    """Flat ground behind a wall, seen from low down; seen from above it is not."""
    wall = np.where(np.abs(ALONG) < 0.06, 1.0, 0.0)
    behind = (np.array([0.0]), np.array([0.2]), np.array([0.0]))
    for tilt, hidden in ((12.0, True), (85.0, False)):
        frame = Frame(Eye(0.0, tilt), 200, 200, (1.0, 1.0))
        assert see(ground(wall), frame).hidden(*frame.pixels(*behind))[0] == hidden


def test_nothing_is_painted_where_there_is_no_surface():
    """Outside a round surface, and in a hole of it, the picture is blank."""
    away = np.hypot(ACROSS, ALONG)
    frame = Frame(Eye(0.0, 80.0), 200, 200, (1.0, 1.0))
    relief = see(ground(0 * HILL, np.minimum(0.4 - away, away - 0.15)), frame)
    for a, seen in ((0.0, False), (0.27, True), (0.47, False)):
        column, line, _ = frame.pixels(np.array([a]), np.array([0.0]), np.array([0.0]))
        assert relief.seen[int(line[0]), int(column[0])] == seen
    picture = Paints(Ramp(0, 1).table).picture(relief)
    assert ((picture == 0) == ~relief.seen).all()


def test_the_ramp_is_steady_and_parts_evenly():
    """From low to high darker at every step, in grey, too; equally far from a level equally far from the middle."""
    for theme in (PAPER, LAMP):
        lights = [luminance(stop) for stop in theme.heights]
        assert lights == sorted(lights, reverse=True)
    greys = [luminance(name) for name in Ramp(0, 1).names(40)]
    assert (np.diff(greys) < 0).all()
    parted = Ramp(0.0, 10.0, parted_at=2.0)
    assert parted.span == (-6.0, 10.0)
    assert parted.shares(np.array([2.0, -6.0, 10.0, 4.0, 0.0])) == pytest.approx([0.5, 0, 1, 0.625, 0.375])
    assert Ramp(5.0, 5.0).shares(np.array([5.0])) == pytest.approx(0.5)
    assert Ramp(0, 1).colours(np.array([np.nan]))[0] == 0
