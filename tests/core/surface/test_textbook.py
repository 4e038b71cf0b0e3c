"""Surfaces beside the formulas of textbooks, written out with loops and one dense system, and read by hand."""

import numpy as np
import pytest

from vettore import core
from vettore.core.surface.contours import contours_of
from vettore.core.surface.kriging import MOST_FEW
from vettore.core.surface.variogram import SHAPES, _Likelihood, fit_variogram, likely_variograms


def sites(count, seed=5):
    rng = np.random.default_rng(seed)
    x, y = rng.uniform(0, 8, count), rng.uniform(0, 3, count)
    return x, y, np.sin(x / 2) + y / 3 + rng.normal(0, 0.05, count)


def scaled(surface, x, y):
    return np.column_stack([surface.sites.across.scaled(np.asarray(x)), surface.sites.along.scaled(np.asarray(y))])


def distances(a, b):
    return np.array([[np.hypot(*(one - other)) for other in b] for one in a])


AT = np.array([[2.0, 1.5], [4.4, 1.1], [6.1, 2.2]])


@pytest.mark.parametrize("shape", SHAPES)
def test_kriging_is_the_system_of_its_semivariances(shape):
    """Γ λ + μ = γ, Σλ = 1: the value Σλz and the variance Σλγ + μ (Matheron 1963), nugget included."""
    x, y, z = sites(MOST_FEW + 10)
    surface = core.grid(x, y, z, method="kriging", variogram=shape)
    told, places, at = surface.variogram, scaled(surface, x, y), scaled(surface, *AT.T)
    system = np.ones((len(x) + 1, len(x) + 1))
    # What a place differs by from itself is the noise of reading it once more, not 0, where sites have a nugget.
    system[:-1, :-1] = told(distances(places, places))
    system[-1, -1] = 0
    for k, place in enumerate(at):
        right = np.append(told(distances(places, [place])[:, 0]), 1)
        weights = np.linalg.solve(system, right)
        assert weights[:-1].sum() == pytest.approx(1)
        assert surface(*AT[k]) == pytest.approx(weights[:-1] @ z, rel=1e-7)
        few = (len(x) - 1) / (len(x) - 4)
        assert surface.standard_error(*AT[k]) ** 2 == pytest.approx(few * (weights @ right), rel=1e-5)


def test_the_error_of_few_sites_is_the_mean_over_likely_variograms():
    """Of their variances, and of how far each surface is from the one shown."""
    x, y, z = sites(14)
    surface = core.grid(x, y, z, method="kriging", variogram="exponential")
    likely = likely_variograms(surface.sites, surface.variogram)
    assert sum(weight for weight, _ in likely) == pytest.approx(1)
    assert len(likely) > 10
    places, at = scaled(surface, x, y), scaled(surface, *AT.T)
    for k, place in enumerate(at):
        total = 0.0
        for weight, told in likely:
            system = np.ones((15, 15))
            system[:-1, :-1], system[-1, -1] = told(distances(places, places)), 0
            right = np.append(told(distances(places, [place])[:, 0]), 1)
            weights = np.linalg.solve(system, right)
            total += weight * (weights @ right + (weights[:-1] @ z - surface(*AT[k])) ** 2)
        # Student's t of 13 degrees of freedom beside the normal distribution.
        assert surface.standard_error(*AT[k]) ** 2 == pytest.approx(total * (2.160369 / 1.959964) ** 2, rel=1e-5)


def test_the_variogram_is_the_likeliest():
    """The restricted likelihood, written out with a determinant and an inverse, is lower all around it."""
    x, y, z = sites(40)
    surface = core.grid(x, y, z, method="kriging", variogram="spherical")
    places, told = scaled(surface, x, y), surface.variogram
    apart, one = distances(places, places), np.ones(40)

    def likelihood(reach, share):
        v = (1 - share) * (1 - SHAPES["spherical"](apart / reach)) + share * np.eye(40)
        inverse = np.linalg.inv(v)
        level = one @ inverse @ z / (one @ inverse @ one)
        variance = (z - level) @ inverse @ (z - level) / 39
        return -0.5 * (39 * np.log(variance) + np.linalg.slogdet(v)[1] + np.log(one @ inverse @ one))

    share = told.nugget / (told.nugget + told.sill)
    best = likelihood(told.range, share)
    for reach, other in ((0.8, share), (1.25, share), (1.0, min(share + 0.08, 0.95)), (1.0, max(share - 0.08, 0.0))):
        assert likelihood(told.range * reach, other) < best + 1e-3
    values, _ = _Likelihood(surface.sites)._of_shares("spherical", np.log(told.range), np.array([0.1, 0.4]))
    assert np.diff(values)[0] == pytest.approx(likelihood(told.range, 0.4) - likelihood(told.range, 0.1), rel=1e-9)


def test_the_empirical_variogram_is_half_the_mean_square_of_pairs():
    x, y, z = sites(30)
    told = fit_variogram(core.grid(x, y, z, method="kriging").sites)
    surface = core.grid(x, y, z, method="kriging")
    places = scaled(surface, x, y)
    pairs = [(float(np.hypot(*(places[i] - places[j]))), (z[i] - z[j]) ** 2 / 2) for i in range(30) for j in range(i)]
    width = max(h for h, _ in pairs) / 2 / 15
    for distance, half, count in zip(told.distance, told.semivariance, told.pairs, strict=True):
        held = [(h, g) for h, g in pairs if int(h / width) == int(distance / width)]
        assert count == len(held)
        assert distance == pytest.approx(np.mean([h for h, _ in held]))
        assert half == pytest.approx(np.mean([g for _, g in held]))


def test_a_thin_plate_is_the_sum_of_its_bendings_and_a_plane():
    """Σ wᵢ r² ln r + a + bx + cy through every site, with weights that bear no plane (Duchon 1976)."""
    x, y, z = sites(25)
    surface = core.grid(x, y, z, method="thin_plate")
    places, at = scaled(surface, x, y), scaled(surface, *AT.T)

    def bending(apart):
        return np.where(apart > 0, apart**2 * np.log(np.where(apart > 0, apart, 1.0)), 0.0)

    flat = np.column_stack([np.ones(25), places])
    system = np.block([[bending(distances(places, places)), flat], [flat.T, np.zeros((3, 3))]])
    weights = np.linalg.solve(system, np.append(z, np.zeros(3)))
    wanted = np.column_stack([bending(distances(at, places)), np.ones(3), at]) @ weights
    assert surface(*AT.T) == pytest.approx(wanted, rel=1e-8)
    assert surface(x, y) == pytest.approx(z, abs=1e-9)


def test_planes_over_triangles_weigh_their_corners_by_the_opposite_areas():
    x, y, z = [0.0, 4.0, 1.0, 5.0], [0.0, 0.0, 3.0, 3.5], [1.0, 3.0, 2.0, 7.0]
    surface = core.grid(x, y, z, method="linear", scaling="alike")
    # The middle of a side is the mean of its ends; a third of each corner is the middle of a triangle.
    assert surface(0.5, 1.5) == pytest.approx(1.5)
    assert surface(5 / 3, 1.0) == pytest.approx(2.0)
    assert surface(10 / 3, 6.5 / 3) == pytest.approx(4.0)
    across, along = surface.gradient(1.5, 1.0)
    assert (float(across), float(along)) == pytest.approx((0.5, 1 / 6))
    assert surface.slope(1.5, 1.0) == pytest.approx(np.hypot(0.5, 1 / 6))


@pytest.mark.parametrize(
    ("fall", "degrees"), [((0, 1), 0), ((1, 0), 90), ((0, -1), 180), ((-1, 0), 270), ((1, 1), 45), ((-1, -1), 225)]
)
def test_the_aspect_points_downhill_clockwise_from_y(fall, degrees):
    x, y = np.meshgrid(np.arange(4.0), np.arange(4.0))
    surface = core.grid(x.ravel(), y.ravel(), -(fall[0] * x + fall[1] * y).ravel(), method="linear", scaling="alike")
    assert surface.aspect(1.3, 1.6) == pytest.approx(degrees)


def test_each_place_has_the_height_of_its_nearest_site():
    x, y, z = sites(60)
    surface = core.grid(x, y, z, method="nearest", scaling="alike")
    for place in AT:
        apart = np.hypot(x - place[0], y - place[1])
        assert surface(*place) == z[np.argmin(apart)]
        assert [float(part) for part in surface.nearest(*place)] == pytest.approx([apart.min(), np.argmin(apart)])


# Contours, cell by cell.


def square(*corners):
    """The lines at level 0 through one cell with corners (south-west, south-east, north-east, north-west)."""
    z = np.array([[corners[0], corners[1]], [corners[3], corners[2]]], dtype=float)
    return [line.tolist() for line in contours_of(np.array([0.0, 1.0]), np.array([0.0, 1.0]), z, 0.0).lines]


def ends(lines):
    return {frozenset((tuple(line[0]), tuple(line[-1]))) for line in lines}


def test_a_line_crosses_a_cell_where_its_sides_have_the_level():
    assert ends(square(-1, 1, 1, -1)) == {frozenset({(0.5, 0.0), (0.5, 1.0)})}
    assert ends(square(-1, -1, 3, 3)) == {frozenset({(0.0, 0.25), (1.0, 0.25)})}
    assert ends(square(-1, 3, 3, 3)) == {frozenset({(0.25, 0.0), (0.0, 0.25)})}
    assert square(1, 2, 3, 4) == square(-1, -2, -3, -4) == []


def test_a_saddle_is_joined_by_the_mean_of_its_corners():
    """With the middle above the level the low corners are cut off, with it below the high ones."""
    south, north, west, east = (0.5, 0.0), (0.5, 1.0), (0.0, 0.5), (1.0, 0.5)
    assert ends(square(2, -2, 2, -2)) == {frozenset({south, east}), frozenset({north, west})}
    high = ends(square(3, -1, 3, -1))
    assert {frozenset(point[0] == 1.0 or point[1] == 0.0 for point in pair) for pair in high} == {
        frozenset({True}), frozenset({False}),
    }  # fmt: skip
    low = square(1, -3, 1, -3)
    assert ends(low) == {frozenset({(0.25, 0.0), (0.0, 0.25)}), frozenset({(1.0, 0.75), (0.75, 1.0)})}


def test_a_closed_line_ends_where_it_begins_and_has_its_length():
    x = np.linspace(-1, 1, 161)
    z = x[None, :] ** 2 + x[:, None] ** 2
    (line,) = contours_of(x, x, z, 0.36).lines
    assert line[0].tolist() == line[-1].tolist()
    assert np.hypot(*np.diff(line, axis=0).T).sum() == pytest.approx(2 * np.pi * 0.6, rel=1e-3)
    assert np.hypot(*line.T) == pytest.approx(0.6, abs=1e-3)


def test_a_line_ends_at_cells_without_a_value():
    z = np.array([[-1.0, 1, 1], [-1, 1, np.nan], [-1, 1, 1]])
    (line,) = contours_of(np.arange(3.0), np.arange(3.0), z, 0.0).lines
    assert sorted(line.tolist()) == [[0.5, 0.0], [0.5, 1.0], [0.5, 2.0]]
    assert contours_of(np.arange(3.0), np.arange(3.0), -z, 2.0).lines == ()


def test_a_section_counts_its_way_from_its_start():
    x, y = np.meshgrid(np.arange(5.0), np.arange(5.0))
    surface = core.grid(x.ravel(), y.ravel(), (2 * x - y).ravel(), method="linear")
    along = surface.section((0.5, 0.5), (3.5, 2.5), places=4)
    assert along.along == pytest.approx(np.hypot(3, 2) * np.arange(4) / 3)
    assert along.z == pytest.approx([0.5, 0.5 + 4 / 3, 0.5 + 8 / 3, 4.5])
