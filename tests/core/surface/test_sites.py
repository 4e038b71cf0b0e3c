"""The sites of a surface: what is left out, averaged, refused, and what is known of places between them."""

import numpy as np
import pytest

from vettore import core
from vettore.core.surface.surface import METHODS

SQUARE = ([0.0, 1.0, 0.0, 1.0, 0.5], [0.0, 0.0, 1.0, 1.0, 0.5], [1.0, 2.0, 3.0, 4.0, 9.0])


@pytest.mark.parametrize(
    ("x", "y", "z", "says"),
    [
        ([0, 1], [0, 1], [1, 2], "at least three sites"),
        ([0, 1, None], [0, 1, 1], [1, 2, 3], "there are 2"),
        ([0, 1, 0, 1], [0, 1, 0, 1], [1, 2, 3, 4], "at least three places; there are 2, measured 4 times"),
        ([0, 1, 2, 3], [0, 2, 4, 6], [1, 2, 3, 5], "lie on one line"),
        ([0.1, 0.2, 0.3, 0.7], [0.3, 0.6, 0.9, 2.1], [1, 2, 3, 5], "lie on one line"),
        ([5, 5, 5, 5], [0, 2, 4, 6], [1, 2, 3, 5], "same x"),
        ([0, 1, 2], [7, 7, 7], [1, 2, 3], "same y"),
        ([0, 1, 2], [7, 7], [1, 2, 3], "not equally long"),
        ([0, 1e200, 2], [7, 7, 1], [1, 2, 3], "leave the range"),
    ],
)
@pytest.mark.parametrize("method", ["linear", "thin_plate", "kriging"])
def test_sites_that_make_no_surface_are_refused_in_a_sentence(x, y, z, says, method):
    """Fewer than three, on one line (by rounding, too), or of unequal columns."""
    with pytest.raises(core.DataError, match=says):
        core.grid(x, y, z, method=method)


@pytest.mark.parametrize(
    ("asked", "says"),
    [
        ({"method": "splines"}, "There are: nearest"),
        ({"method": "linear", "outside": "continue"}, "knows nothing outside"),
        ({"outside": "guess"}, "may be “blank” or “continue”"),
        ({"penalty": 1.0}, "no effect"),
        ({"method": "smoothing", "penalty": 0.0}, "above 0"),
        ({"variogram": "spherical"}, "no effect"),
        ({"method": "kriging", "variogram": "cone"}, "There are: spherical"),
        ({"shape": (1, 5)}, "at least 2 × 2"),
        ({"shape": 80}, "two whole numbers"),
        ({"shape": (10**5, 10**5)}, "at most"),
        ({"scaling": "own"}, "“spans” or “alike”"),
    ],
)
def test_arguments_without_a_meaning_are_refused(asked, says):
    """Each in a sentence that names what there is."""
    with pytest.raises(core.DataError, match=says):
        core.grid(*SQUARE, **asked)


def test_rows_without_numbers_are_named_and_repeats_averaged():
    """The site is where it was first met; its value is the mean, and both are counted."""
    x = [0, 1, 0, 1, 0, float("nan"), 2]
    y = [0, 0, 1, 1, 0, 3, 2]
    z = [1, 2, 3, 4, 2, 5, None]
    surface = core.grid(x, y, z, method="linear")
    assert surface.z.tolist() == [1.5, 2.0, 3.0, 4.0]
    assert surface.sites.count.tolist() == [2, 1, 1, 1]
    assert surface.sites.site_of_row.tolist() == [0, 1, 2, 3, 0, -1, -1]
    assert surface.notes == (
        "Rows 6–7 left out: no number in x, y or z.",
        "1 site measured more than once, in 2 rows: the means are used.",
    )


@pytest.mark.parametrize("method", METHODS)
@pytest.mark.parametrize("count", [3, 4, 5, 7])
def test_few_sites_make_a_surface_by_every_method(method, count):
    """Also three, which no site can be left out of, and sites that are all equal."""
    rng = np.random.default_rng(count)
    x, y = rng.uniform(0, 1, (2, count))
    surface = core.grid(x, y, np.full(count, 4.0), method=method)
    z = surface.grid.z
    assert np.nanmax(np.abs(z - 4.0)) < 1e-9
    assert surface.summits() == ()
    assert np.isnan(surface.left_out_error) or surface.left_out_error < 1e-9
    assert np.isnan(surface.left_out_error) or count > 3
    uneven = core.grid(x, y, x + 2 * y, method=method)
    assert np.isfinite(uneven(x.mean(), y.mean()))


@pytest.mark.parametrize("method", METHODS)
def test_a_surface_moves_with_its_sites(method):
    """The order of the rows, shifted and scaled x, y and z leave the surface what it is."""
    rng = np.random.default_rng(5)
    x, y = rng.uniform(0, 1, (2, 50))
    z = np.sin(4 * x) * y
    at = rng.uniform(0.2, 0.8, (2, 30))
    first = core.grid(x, y, z, method=method)
    shuffled = rng.permutation(50)
    again = core.grid(x[shuffled], y[shuffled], z[shuffled], method=method)
    assert again(*at) == pytest.approx(first(*at), abs=1e-8)
    far = core.grid(1024 * x + 2**20, y / 64 - 3, 5 + 100 * z, method=method)
    assert far(1024 * at[0] + 2**20, at[1] / 64 - 3) == pytest.approx(5 + 100 * first(*at), abs=2e-6)


@pytest.mark.parametrize("method", METHODS)
def test_nothing_is_invented_outside_the_sites(method):
    """Blank beyond the outermost, unless it is asked for, which triangles cannot give."""
    surface = core.grid(*SQUARE, method=method)
    assert np.isnan(surface(2.0, 0.5))
    assert np.isnan(surface(np.nan, 0.5))
    assert np.isfinite(surface(0.5, 0.2))
    if method not in ("linear", "natural", "cubic"):
        assert np.isfinite(core.grid(*SQUARE, method=method, outside="continue")(2.0, 0.5))


def test_the_nearest_site_is_known_and_a_gap_is_a_guess():
    """Its distance in the units of the sites; far from all is farther than sites are from each other."""
    rng = np.random.default_rng(8)
    x, y = rng.uniform(0, 60, 200), rng.uniform(0, 40, 200)
    empty = np.hypot(x - 40, y - 15) > 9
    surface = core.grid(x[empty], y[empty], x[empty])
    distance, site = surface.nearest(40.0, 15.0)
    away = np.hypot(surface.x - 40, surface.y - 15)
    assert distance == pytest.approx(away.min())
    assert site == np.argmin(away)
    assert surface.guess(40.0, 15.0)
    assert not surface.guess(surface.x, surface.y).any()
    share = np.nanmean(np.where(np.isfinite(surface.grid.z), surface.grid.guess, np.nan))
    assert 0.03 < share < 0.2


def test_work_can_be_given_up():
    """What is called now and then may raise."""

    def stop():
        raise KeyboardInterrupt

    x, y = np.random.default_rng(1).uniform(0, 1, (2, 3000))
    with pytest.raises(KeyboardInterrupt):
        core.grid(x, y, x, method="thin_plate", check=stop)


@pytest.mark.parametrize("kind", ["scattered", "even", "repeated x", "thin"])
def test_a_grid_asks_the_triangles_that_its_places_lie_in(kind):
    """Drawing triangles into a grid, and walking to each place, agree on what lies inside and in which triangle."""
    rng = np.random.default_rng(5)
    for count in (3, 4, 12, 150):
        x, y = {
            "scattered": rng.normal(size=(2, count)) * [[1e-7], [1e6]],
            "even": np.array([np.arange(count) % 4, np.arange(count) // 4]) + 1e5,
            "repeated x": np.round(rng.uniform(0, 2, (2, count)), 1),
            "thin": np.array([np.linspace(0, 1, count), 1e-6 * rng.normal(size=count)]),
        }[kind]
        if kind == "even" and count < 5:
            continue
        surface = core.grid(x, y, 2 * x - 3 * y, method="linear", shape=(int(rng.integers(2, 60)), 37))
        grid = surface.grid
        across, along = np.meshgrid(grid.x, grid.y)
        assert np.array_equal(np.isfinite(grid.z), surface.inside(across, along))
        slack = 1e-12 * max(np.ptp(x), np.ptp(y), abs(grid.x[0]))
        assert np.nanmax(np.abs(grid.z - (2 * across - 3 * along))) <= 8 * slack
        assert np.array_equal(grid.guess, surface.guess(across, along))
