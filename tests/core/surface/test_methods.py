"""Ways to fill between sites: what each reproduces, that it agrees with its witness, and how left-out sites are told."""

import numpy as np
import pytest
from scipy.interpolate import CloughTocher2DInterpolator, LinearNDInterpolator, RBFInterpolator
from scipy.spatial import Voronoi

from vettore import core
from vettore.core.surface.models import SURFACE_MODELS
from vettore.core.surface.surface import METHODS, fitted_surface

REPRODUCE_PLANES = ("linear", "natural", "cubic", "thin_plate", "smoothing")
KINDS = {
    "franke": lambda x, y: (
        0.75 * np.exp(-((9 * x - 2) ** 2 + (9 * y - 2) ** 2) / 4)
        + 0.75 * np.exp(-((9 * x + 1) ** 2) / 49 - (9 * y + 1) / 10)
        + 0.5 * np.exp(-((9 * x - 7) ** 2 + (9 * y - 3) ** 2) / 4)
        - 0.2 * np.exp(-((9 * x - 4) ** 2) - (9 * y - 7) ** 2)
    ),
    "ridge": lambda x, y: np.exp(-30 * (x + 0.5 * y - 0.7) ** 2),
    "cliff": lambda x, y: np.tanh(9 * (y - x)) / 9 + 1 / 9,
    "peak": lambda x, y: np.exp(-20 * ((x - 0.5) ** 2 + (y - 0.45) ** 2)),
}


def scattered(count, seed=1):
    """Sites over the unit square."""
    return np.random.default_rng(seed).uniform(0, 1, (2, count))


def inside(count=400, seed=2):
    """Places well within them."""
    return np.random.default_rng(seed).uniform(0.15, 0.85, (2, count))


def quadric(x, y):
    """A surface of degree two."""
    return 1 + x - 2 * y + 3 * x * x - x * y + 2 * y * y


@pytest.mark.parametrize("method", REPRODUCE_PLANES)
@pytest.mark.parametrize("count", [12, 150, 2500])
def test_a_plane_stays_a_plane(method, count):
    """Value, slope, steepness and aspect, whatever the units of x and y and however far they are from zero."""
    u, v = scattered(count)
    x, y = 5e6 + 40 * u, 3e-4 * v
    if method in ("thin_plate", "smoothing") and count > 2000:
        x, y = u, v
    across, along = 0.5 / np.ptp(x), -2.0 / np.ptp(y)
    surface = core.grid(x, y, 3 + across * (x - x[0]) + along * (y - y[0]), method=method)
    at_u, at_v = inside()
    at_x = x.min() + at_u * np.ptp(x)
    at_y = y.min() + at_v * np.ptp(y)
    known = surface.inside(at_x, at_y)
    assert known.mean() > 0.6
    at_x, at_y = at_x[known], at_y[known]
    assert surface(at_x, at_y) == pytest.approx(3 + across * (at_x - x[0]) + along * (at_y - y[0]), abs=1e-8)
    slopes = surface.gradient(at_x, at_y)
    assert slopes[0] * np.ptp(x) == pytest.approx(np.full(len(at_x), 0.5), abs=1e-4)
    assert slopes[1] * np.ptp(y) == pytest.approx(np.full(len(at_x), -2.0), abs=1e-4)
    assert surface.aspect(at_x, at_y) == pytest.approx(np.degrees(np.arctan2(-across, -along)) % 360, abs=1e-2)


def test_a_quadric_is_exact_with_cubic_triangles():
    """Value and slope, since the slopes at the sites are exact for quadrics."""
    x, y = scattered(80)
    surface = core.grid(x, y, quadric(x, y), method="cubic")
    at = inside()
    assert surface(*at) == pytest.approx(quadric(*at), abs=1e-12)
    across, along = surface.gradient(*at)
    assert across == pytest.approx(1 + 6 * at[0] - at[1], abs=1e-10)
    assert along == pytest.approx(-2 - at[0] + 4 * at[1], abs=1e-10)


def test_slopes_of_cubic_triangles_do_not_jump():
    """Across every edge and across the cuts inside each triangle the gradient is the same from both sides."""
    x, y = scattered(36)
    z = KINDS["franke"](x, y)
    surface = core.grid(x, y, z, method="cubic")
    cut = surface.sites.triangles
    size = np.hypot(*surface.gradient(*inside())).max()
    step = 1e-8
    checked = 0
    for triangle, beside in enumerate(cut.beside):
        corners = cut.places[cut.corners[triangle]]
        centre = corners.mean(axis=0)
        for place, neighbour in enumerate(beside):
            one, two = corners[(place + 1) % 3], corners[(place + 2) % 3]
            lines = [(centre, one)] + ([(one, two)] if neighbour >= 0 else [])
            for start, end in lines:
                across = np.array([-(end - start)[1], (end - start)[0]])
                across /= np.hypot(*across)
                at = start + np.outer([0.3, 0.7], end - start)
                slopes = [np.array(surface.gradient(*(at + far * step * across).T)) for far in (-2, -1, 1, 2)]
                # What is left of the jump when the step goes to nothing.
                jump = 2 * (slopes[2] - slopes[1]) - (slopes[3] - slopes[0])
                if np.isfinite(jump).all():
                    assert np.abs(jump).max() <= 1e-8 * size
                    checked += 1
    assert checked > 100


@pytest.mark.parametrize("name", KINDS)
@pytest.mark.parametrize("count", [50, 200])
def test_linear_and_thin_plates_agree_with_their_witnesses(name, count):
    """Planes over triangles within rounding, thin plates within 1e-8, values and slopes."""
    x, y = scattered(count, 3)
    z = KINDS[name](x, y)
    sites = np.column_stack([x, y])
    at = inside()
    linear = core.grid(x, y, z, method="linear")(*at)
    known = np.isfinite(linear)
    assert linear[known] == pytest.approx(LinearNDInterpolator(sites, z)(*at)[known], abs=1e-14)
    plate = core.grid(x, y, z, method="thin_plate", outside="continue")
    witness = RBFInterpolator(sites, z, kernel="thin_plate_spline")
    assert plate(*at) == pytest.approx(witness(at.T), abs=1e-8)
    step = 1e-5
    moved = np.array([[step], [0]])
    ahead = (witness((at + moved).T) - witness((at - moved).T)) / (2 * step)
    assert plate.gradient(*at)[0] == pytest.approx(ahead, abs=1e-5)


@pytest.mark.parametrize("name", KINDS)
@pytest.mark.parametrize("count", [50, 200, 1000])
def test_cubic_triangles_are_as_good_as_their_witness(name, count):
    """The root mean square error over three sets of sites is at most 1.1 times that of the witness."""
    ratios = []
    for seed in range(3):
        x, y = scattered(count, seed)
        z = KINDS[name](x, y)
        at = inside()
        truth = KINDS[name](*at)
        own = core.grid(x, y, z, method="cubic")(*at) - truth
        other = CloughTocher2DInterpolator(np.column_stack([x, y]), z)(at.T) - truth
        known = np.isfinite(own)
        ratios.append(np.sqrt(np.mean(own[known] ** 2) / np.mean(other[known] ** 2)))
    assert np.exp(np.mean(np.log(ratios))) <= 1.1


def test_natural_neighbours_share_by_the_area_taken_from_their_cells():
    """Against the Voronoi cells themselves, measured before and after a place is put among the sites."""
    x, y = scattered(40, 5)
    # Far corners close every cell.
    sites = np.vstack([np.column_stack([x, y]), [[-9, -9], [9, -9], [9, 9], [-9, 9]]])
    z = np.arange(len(sites), dtype=float) ** 1.5
    surface = core.grid(*sites.T, z, method="natural", scaling="alike")

    def cells(places):
        cut = Voronoi(np.vstack([places, [[-99, 0], [99, 0], [0, -99], [0, 99]]]))
        areas = []
        for region in cut.point_region[: len(places)]:
            corners = cut.vertices[cut.regions[region]]
            turn = np.argsort(np.arctan2(*(corners - corners.mean(axis=0)).T[::-1]))
            a, b = corners[turn].T
            areas.append(abs(a @ np.roll(b, -1) - b @ np.roll(a, -1)) / 2)
        return np.array(areas)

    before = cells(sites)
    for at in inside(12).T:
        after = cells(np.vstack([sites, at]))
        taken = before - after[:-1]
        assert float(surface(*at)) == pytest.approx(taken @ z / taken.sum(), rel=1e-7)


@pytest.mark.parametrize("method", METHODS)
def test_left_out_sites_are_told_as_if_they_had_never_been_there(method):
    """By brute force on 60 sites, one measured twice; λ and the variogram stay those of all sites."""
    x, y = scattered(60, 7)
    z = KINDS["franke"](x, y) + np.random.default_rng(1).normal(0, 0.05, 60)
    x, y, z = np.append(x, x[5]), np.append(y, y[5]), np.append(z, z[5] + 0.1)
    surface = core.grid(x, y, z, method=method)
    kept = {}
    if method == "smoothing":
        kept["penalty"] = surface.kernel.penalty
    for site in range(60):
        others = surface.sites.site_of_row != site
        without = core.grid(x[others], y[others], z[others], method=method, **kept)
        if method == "kriging":
            without.kernel.radial = surface.kernel.radial
            without.kernel.noise = np.delete(surface.kernel.noise, site)
        if method in ("nearest", "thin_plate", "smoothing", "kriging"):
            without.outside = "continue"
        expected = float(without(x[site], y[site]))
        if np.isnan(expected):
            assert np.isnan(surface.left_out[site])
        else:
            assert surface.left_out[site] == pytest.approx(expected, abs=1e-9)
    missed = surface.left_out - surface.z
    assert surface.left_out_error == pytest.approx(np.sqrt(np.nanmean(missed**2)))


def test_patches_of_many_sites_are_one_smooth_surface_through_them():
    """Beyond the dense system: through every site, near the plate of all, and without a jump at a patch's border."""
    x, y = scattered(2600, 9)
    z = KINDS["franke"](x, y)
    surface = core.grid(x, y, z, method="thin_plate")
    assert len(surface.kernel.patches) > 20
    assert surface(x, y)[surface.inside(x, y)] == pytest.approx(z[surface.inside(x, y)], abs=1e-8)
    at = inside()
    assert surface(*at) == pytest.approx(KINDS["franke"](*at), abs=2e-3)
    border = surface.kernel.patches[3].centre + surface.kernel.patches[3].half
    beside = [float(surface(border[0] + shift, 0.5)) for shift in (-1e-9, 1e-9)]
    assert beside[0] == pytest.approx(beside[1], abs=1e-7)


def test_kriging_passes_through_sites_without_nugget_and_knows_its_error_there():
    """Exact at sites with a ± of nothing, and a ± that grows with the distance from them."""
    x, y = scattered(80, 11)
    z = np.sin(3 * x) + y
    surface = core.grid(x, y, z, method="kriging", variogram="exponential")
    surface.kernel.variogram.__dict__["nugget"] = 0.0
    surface.kernel.noise[:] = 0.0
    known = surface.inside(x, y)
    assert surface(x, y)[known] == pytest.approx(z[known], abs=1e-10)
    assert surface.standard_error(x, y)[known].max() < 1e-6
    far = np.argmax(surface.nearest(*inside())[0])
    assert surface.standard_error(*inside()[:, far]) > 0.02


def test_the_intervals_of_kriging_hold():
    """A new value lies within 1.96 ± of the kriged one in 92 to 97 % of cases, over fields of all shapes, fresh each time."""
    held = []
    for seed in range(15):
        rng = np.random.default_rng([seed, 4])
        places = rng.uniform(0, 1, (150, 2))
        apart = np.hypot(*(places[:, None] - places[None]).transpose(2, 0, 1))
        range_, nugget = rng.uniform(0.2, 0.5), rng.choice([0.0, 0.1])
        t = apart / range_
        alike = (np.where(t < 1, 1 - 1.5 * t + 0.5 * t**3, 0.0), np.exp(-2 * t), np.exp(-((2 * t) ** 2)))[seed % 3]
        spread = np.linalg.cholesky(alike + (nugget + 1e-8) * np.eye(150))
        z = spread @ rng.normal(size=150)
        surface = core.grid(*places[:120].T, z[:120], method="kriging")
        told, error = surface(*places[120:].T), surface.standard_error(*places[120:].T)
        known = np.isfinite(told)
        held.append(np.mean(np.abs(told - z[120:])[known] < 1.96 * error[known]))
    assert 0.92 <= np.mean(held) <= 0.97


def test_smoothing_finds_the_noise_of_the_sites():
    """The scatter within a tenth of the truth, a surface three times nearer to it than the sites, and a ± that holds."""
    rng = np.random.default_rng(3)
    x, y = scattered(500, 13)
    z = KINDS["franke"](x, y) + rng.normal(0, 0.1, 500)
    surface = core.grid(x, y, z, method="smoothing")
    assert surface.noise == pytest.approx(0.1, rel=0.1)
    at = inside()
    missed = surface(*at) - KINDS["franke"](*at)
    assert np.sqrt(np.mean(missed**2)) < 0.1 / 3
    assert np.mean(np.abs(missed) < 1.96 * surface.standard_error(*at)) > 0.9


def test_a_fit_is_a_surface_with_the_band_of_its_coefficients():
    """Height, slopes, left-out error and ± of a quadric by the fit's own matrix algebra."""
    rng = np.random.default_rng(6)
    x, y = scattered(60, 6)
    x = 100 + 20 * x
    z = quadric(x, y) + rng.normal(0, 0.3, 60)
    formula = "z = a + b*x + c*y + d*x^2 + f*x*y + g*y^2"
    result = core.fit(formula, {"x": x, "y": y, "z": z})
    surface = fitted_surface(x, y, z, result, formula, ("x", "y", "z"), np.arange(60))

    def terms(x, y):
        return np.column_stack([np.ones_like(x), x - 110, y, (x - 110) ** 2, (x - 110) * y, y**2])

    matrix = terms(x, y)
    solved, *_ = np.linalg.lstsq(matrix, z, rcond=None)
    at = np.array([104.0, 111.0]), np.array([0.4, 0.7])
    assert surface(*at) == pytest.approx(terms(*at) @ solved, rel=1e-9)
    left = z - matrix @ solved
    inverse = np.linalg.inv(matrix.T @ matrix)
    variance = left @ left / 54 * np.einsum("ki,ij,kj->k", terms(*at), inverse, terms(*at))
    assert surface.standard_error(*at) == pytest.approx(np.sqrt(variance), rel=1e-6)
    missed = left / (1 - np.einsum("ki,ij,kj->k", matrix, inverse, matrix))
    assert surface.left_out == pytest.approx(z - missed, rel=1e-8)
    assert surface.left_out_error == pytest.approx(np.sqrt(np.mean(missed**2)), rel=1e-8)
    step = 1e-5
    rise = (surface(at[0] + step, at[1]) - surface(at[0] - step, at[1])) / (2 * step)
    assert surface.gradient(*at)[0] == pytest.approx(rise, rel=1e-5)
    for bad in ("ln(z) = a + b*x", "y = a + b*x"):
        with pytest.raises(core.DataError, match="is no surface"):
            fitted_surface(x, y, z, result, bad, ("x", "y", "z"), np.arange(60))


TRUTHS = {
    "plane": lambda x, y: 2 + 0.3 * x - 0.1 * y,
    "saddle": lambda x, y: 1 + 0.2 * (x - 4) * (y - 5),
    "quadric": lambda x, y: 1 + x - 0.5 * y + 0.1 * x**2 - 0.2 * x * y + 0.05 * y**2,
    "cubic": lambda x, y: 1 + x - 0.02 * x**3 + 0.01 * y**3 - 0.01 * x * y**2,
    "hill": lambda x, y: 1 + 0.1 * x + 5 * np.exp(-((x - 3) ** 2 / 4 + (y - 6) ** 2 / 9)),
    "two-hills": lambda x, y: (
        1 + 5 * np.exp(-((x - 3) ** 2 + (y - 3) ** 2) / 3) + 3 * np.exp(-((x - 7) ** 2 + (y - 7) ** 2) / 4)
    ),
    "wave": lambda x, y: 2 + 1.5 * np.sin(0.9 * x + 0.5 * y + 0.4),
    "decays": lambda x, y: 5 * np.exp(-0.3 * x - 0.2 * y) + 1,
    "saturation-decay": lambda x, y: 8 * x / (x + 3) * np.exp(-0.2 * y) + 1,
    "saturations": lambda x, y: 9 * x / (x + 2) * y / (y + 4) + 1,
}


@pytest.mark.parametrize("model", SURFACE_MODELS, ids=lambda model: model.key)
def test_each_surface_model_is_found_without_starts(model):
    """From 150 noisy sites the sum of squares is at or below that of the truth; names of columns are no coefficients."""
    rng = np.random.default_rng(3)
    x, y = rng.uniform(0.2, 10, (2, 150))
    truth = TRUTHS[model.key](x, y)
    z = truth + rng.normal(0, 0.03 * np.ptp(truth), 150)
    names = model.names("a", "p q", "z", ["A"])
    start = {names[name]: value for name, value in model.start(x, y, z).items()}
    columns = {"a": x, "p q": y, "z": z, "A": x}
    result = core.fit(model.formula("a", "p q", "z", ["A"]), columns, start=start or None)
    assert result.converged
    assert result.sum_of_squares <= np.sum((z - truth) ** 2)
    assert "A" not in result.coefficients


def test_the_intervals_of_few_sites_hold_too():
    """In 80 fields of 12 sites; by the likeliest variogram alone 1.96 ± held in 85 %."""
    held, told = 0, 0
    for seed in range(80):
        rng = np.random.default_rng([seed, 77])
        places = rng.uniform(0, 1, (32, 2))
        apart = np.hypot(*(places[:, None] - places[None]).transpose(2, 0, 1))
        z = np.linalg.cholesky(np.exp(-apart / 0.2) + 0.05 * np.eye(32)) @ rng.normal(size=32)
        surface = core.grid(*places[:12].T, z[:12], method="kriging")
        value, error = surface(*places[12:].T), surface.standard_error(*places[12:].T)
        known = np.isfinite(value)
        held += int(np.sum(np.abs(value - z[12:])[known] < 1.96 * error[known]))
        told += int(known.sum())
    assert 0.92 < held / told < 0.98
