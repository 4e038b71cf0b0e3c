"""What is read from a surface: summits, sections, contours, volumes."""

import numpy as np
import pytest

from vettore import core
from vettore.core.surface.contours import contours_of
from vettore.core.surface.summits import Shape
from vettore.demo.make_data import FOLDER


def dome(x, y):
    """A paraboloid with its top at (0.4, 0.6), 1 high."""
    return 1 - (x - 0.4) ** 2 - (y - 0.6) ** 2


@pytest.fixture(scope="module")
def smooth():
    """The dome by cubic triangles, which are exact for it."""
    rng = np.random.default_rng(2)
    x, y = np.append(rng.uniform(0, 1, (2, 120)), [[0, 1, 0, 1], [0, 0, 1, 1]], axis=1)
    return core.grid(x, y, dome(x, y), method="cubic")


def test_a_summit_is_found_where_it_is(smooth):
    """The top of the dome, to the fineness of the search; nothing else, since edges are no hills."""
    (hill,) = smooth.summits()
    assert hill.shape is Shape.HILL
    assert (hill.x, hill.y) == pytest.approx((0.4, 0.6), abs=1e-5)
    assert hill.z == pytest.approx(1, abs=1e-9)
    assert hill.prominence == pytest.approx(1 - dome(1, 0), abs=0.02)
    assert hill.sites > 10


def test_two_hills_are_parted_by_a_saddle():
    """Their prominences, and the saddle where the surface is level between them."""
    x, y = (grid.ravel() for grid in np.meshgrid(np.linspace(-2, 2, 29), np.linspace(-1, 1, 15)))
    z = -((x * x - 1) ** 2) - y * y + 0.05 * x
    found = core.grid(x, y, z, method="thin_plate").summits()
    hills = [summit for summit in found if summit.shape is Shape.HILL]
    (saddle,) = [summit for summit in found if summit.shape is Shape.SADDLE]
    assert [hill.x for hill in hills] == pytest.approx([1.006, -0.994], abs=0.01)
    assert hills[1].prominence == pytest.approx(hills[1].z - saddle.z, abs=0.01)
    assert (saddle.x, saddle.y) == pytest.approx((-0.0125, 0), abs=0.01)
    across, along = core.grid(x, y, z, method="thin_plate").gradient(saddle.x, saddle.y)
    assert np.hypot(across, along) < 1e-4
    assert len(core.grid(x, y, z, method="thin_plate").summits(prominence=3.0)) == 1


@pytest.mark.parametrize("method", ["linear", "natural", "cubic", "thin_plate", "smoothing", "kriging"])
def test_the_hills_of_the_reed_bed_are_found(method):
    """Both hills and the hollow, each within the spacing of the sites of where they were put."""
    columns = np.loadtxt(FOLDER / "nitrate-sites.txt", skiprows=2).T
    surface = core.grid(*columns, method=method)
    spacing = np.median(surface.sites.triangles.side_lengths) * surface.sites.across.unit
    found = surface.summits()
    for shape, places in ((Shape.HILL, [(17, 25), (46, 26)]), (Shape.HOLLOW, [(32, 9)])):
        summits = [summit for summit in found if summit.shape is shape]
        for place, summit in zip(places, summits, strict=False):
            assert np.hypot(summit.x - place[0], summit.y - place[1]) < spacing


def test_hills_above_the_noise_are_found_and_noise_is_none():
    """Fields of hills under noise, kriged: every hill above twice the noise, and at most 5 % of what is told is none.

    With twenty fields it holds as well; these are the first of them, for the time they take.
    """
    told, wrong, missed = 0, 0, []
    for seed in range(7):
        rng = np.random.default_rng([seed, 5])
        hills = []
        while len(hills) < 3:
            x, y = rng.uniform(0.18, 0.82, 2)
            if all(np.hypot(x - other[0], y - other[1]) > 0.38 for other in hills):
                hills.append((x, y, rng.uniform(0.25, 0.8), rng.uniform(0.09, 0.12)))
        x, y = rng.uniform(0, 1, (2, 400))
        z = sum(h * np.exp(-((x - a) ** 2 + (y - b) ** 2) / (2 * w**2)) for a, b, h, w in hills)
        found = core.grid(x, y, z + rng.normal(0, 0.1, 400), method="kriging").summits()
        found = [summit for summit in found if summit.shape is Shape.HILL]
        told += len(found)
        for summit in found:
            wrong += all(np.hypot(summit.x - hill[0], summit.y - hill[1]) > 0.12 for hill in hills)
        for hill in hills:
            if all(np.hypot(summit.x - hill[0], summit.y - hill[1]) > 0.12 for summit in found):
                missed.append(hill)
    assert not missed
    assert wrong <= 0.05 * told


def test_volume_area_and_mean_are_those_of_the_surface(smooth):
    """Of the whole square in closed form, of a polygon that is not convex, and parted at a level."""
    whole = 1 - (0.4**3 + 0.6**3) / 3 * 2
    assert smooth.covered().area == pytest.approx(1, abs=1e-12)
    assert smooth.volume() == pytest.approx(whole, abs=1e-10)
    assert smooth.mean() == pytest.approx(whole, abs=1e-10)
    # The cap above z = 0.9 is a whole paraboloid: π h² / 2 and π h.
    assert smooth.volume(above=0.9) == pytest.approx(np.pi * 0.1**2 / 2, rel=2e-4)
    assert smooth.area_above(0.9) == pytest.approx(np.pi * 0.1, rel=2e-4)
    parted = smooth.covered(0.9)
    assert parted.above + parted.below + 0.9 * parted.area == pytest.approx(whole, abs=1e-9)
    boot = np.array([(0.1, 0.1), (0.9, 0.1), (0.9, 0.4), (0.4, 0.4), (0.4, 0.9), (0.1, 0.9)])
    for outline in (boot, boot[::-1]):
        inside = smooth.covered(within=outline)
        assert inside.area == pytest.approx(0.8 * 0.3 + 0.3 * 0.5, abs=1e-12)

        def box(a, b, c, d):
            cubes = ((b - 0.4) ** 3 - (a - 0.4) ** 3) / 3 * (d - c), ((d - 0.6) ** 3 - (c - 0.6) ** 3) / 3 * (b - a)
            return (b - a) * (d - c) - sum(cubes)

        assert inside.volume == pytest.approx(box(0.1, 0.9, 0.1, 0.4) + box(0.1, 0.4, 0.4, 0.9), abs=1e-9)
    with pytest.raises(core.DataError, match="No part of the surface"):
        smooth.covered(within=[(5, 5), (6, 5), (6, 6)])
    with pytest.raises(core.DataError, match="at least three places"):
        smooth.covered(within=[(5, 5), (6, 5)])


def test_planes_over_triangles_have_exact_volumes():
    """Above a level, in closed form: a tent over a square with its top in the middle."""
    tent = core.grid([0, 1, 0, 1, 0.5], [0, 0, 1, 1, 0.5], [0, 0, 0, 0, 3.0], method="linear")
    assert tent.volume() == pytest.approx(1.0)
    assert tent.volume(above=1.0) == pytest.approx((2 / 3) ** 2 * 2 / 3)
    assert tent.area_above(1.0) == pytest.approx((2 / 3) ** 2)


def test_a_section_reads_the_surface_along_a_line(smooth):
    """From its start, with the distance along it; blank where it leaves the sites."""
    section = smooth.section((0.1, 0.2), (1.3, 0.2), 241)
    assert section.along[-1] == pytest.approx(1.2)
    known = section.x <= 1
    assert section.z[known] == pytest.approx(dome(section.x, section.y)[known], abs=1e-10)
    assert np.isnan(section.z[section.x > 1.001]).all()
    with pytest.raises(core.DataError, match="two different ends"):
        smooth.section((0.1, 0.2), (0.1, 0.2))


def test_contours_run_where_the_surface_has_the_level(smooth):
    """A closed circle around the top, and open arcs where it leaves the sites."""
    ring, arcs = smooth.contours([0.95, 0.6])
    (line,) = ring.lines
    assert line[0] == pytest.approx(line[-1])
    assert np.hypot(line[:, 0] - 0.4, line[:, 1] - 0.6) == pytest.approx(np.sqrt(0.05), abs=1e-3)
    assert len(arcs.lines) >= 2
    for arc in arcs.lines:
        assert dome(arc[:, 0], arc[:, 1]) == pytest.approx(0.6, abs=1e-3)
        ends = np.abs(np.concatenate([arc[[0, -1]], arc[[0, -1]] - 1], axis=1)).min(axis=1)
        assert ends == pytest.approx(0, abs=0.03)


def test_contours_through_a_saddle_and_corners_are_whole():
    """A level exactly at corners, cells that a line enters twice, and blanks: every side is used by one line."""
    x, y = np.arange(4.0), np.arange(3.0)
    z = np.array([[0, 2, 0, 2], [2, 0, 2, 0], [0, 2, 1, np.nan]])
    lines = contours_of(x, y, z, 1.0).lines
    places = np.concatenate([line if len(line) < 3 or (line[0] != line[-1]).any() else line[1:] for line in lines])
    assert len(np.unique(places, axis=0)) == len(places)
    assert all(len(line) >= 2 for line in lines)
    assert contours_of(x, y, z, 9.0).lines == ()
