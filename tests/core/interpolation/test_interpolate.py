"""Every method passes through its points, reproduces what it should, and agrees with an independent witness."""

import math

import numpy as np
import pytest
from scipy import interpolate as witness

import vettore.core as core
from vettore.core.interpolation.methods import METHODS

RNG = np.random.default_rng(3)
BEGINNING = RNG.bit_generator.state


@pytest.fixture(autouse=True)
def _same_numbers_whatever_ran_before():
    RNG.bit_generator.state = BEGINNING


X = np.sort(RNG.uniform(0, 10, 14))
Y = np.sin(X) + 0.3 * X + RNG.normal(0, 0.2, 14)
AT = np.linspace(X[0], X[-1], 301)
THROUGH = [key for key in METHODS if key not in ("smoothing", "periodic")]


def witness_of(key):
    steps = {"previous": "previous", "next": "next", "nearest": "nearest", "linear": "linear"}
    if key in steps:
        return witness.interp1d(X, Y, kind=steps[key])
    if key == "quadratic":
        return witness.make_interp_spline(X, Y, k=2)
    if key in ("cubic", "natural", "clamped"):
        return witness.CubicSpline(X, Y, bc_type={"cubic": "not-a-knot"}.get(key, key))
    if key == "monotone":
        return witness.PchipInterpolator(X, Y)
    if key == "local":
        return witness.Akima1DInterpolator(X, Y, method="makima")
    return witness.BarycentricInterpolator(X, Y)


@pytest.mark.parametrize("key", THROUGH)
def test_a_method_passes_through_its_points_and_agrees_with_its_witness(key):
    """To 1e-12 of the size of y (1e-9 for one polynomial, whose errors swell)."""
    curve = core.interpolate(X, Y, key)
    size = np.max(np.abs(Y))
    np.testing.assert_allclose(curve(X), Y, atol=1e-13 * size)
    allowed = 1e-9 if key == "polynomial" else 1e-12
    expected = witness_of(key)(AT)
    assert np.max(np.abs(curve(AT) - expected)) <= allowed * max(size, np.max(np.abs(expected)))
    if key in ("quadratic", "cubic", "natural", "clamped", "monotone", "local"):
        other = witness_of(key).derivative()(AT)
        np.testing.assert_allclose(curve.slope(AT), other, atol=1e-10 * np.max(np.abs(other)))
        total = witness_of(key).antiderivative()
        assert curve.area(X[0], X[-1]) == pytest.approx(float(total(X[-1]) - total(X[0])), rel=1e-12)


def test_a_periodic_spline_agrees_with_its_witness_and_refuses_open_ends():
    """Four and more points."""
    for n in (3, 4, 9):
        x = np.linspace(0, 5, n) ** 1.1
        y = np.append(RNG.normal(0, 1, n - 1), 0.0)
        y[-1] = y[0]
        expected = witness.CubicSpline(x, y, bc_type="periodic")
        at = np.linspace(x[0], x[-1], 50)
        np.testing.assert_allclose(core.interpolate(x, y, "periodic")(at), expected(at), atol=1e-12)
    with pytest.raises(core.DataError, match="same y at both ends"):
        core.interpolate(X, Y, "periodic")


def test_a_smoothing_spline_agrees_with_its_witness():
    """At a given penalty; its leverage and the two criteria by dense matrices, and their minimum found."""
    x = np.sort(RNG.uniform(0, 10, 60))
    y = np.sin(x) + RNG.normal(0, 0.2, 60)
    at = np.linspace(x[0], x[-1], 200)
    for penalty in (1e-3, 0.1, 10.0):
        expected = witness.make_smoothing_spline(x, y, lam=penalty)(at)
        np.testing.assert_allclose(core.interpolate(x, y, "smoothing", penalty=penalty)(at), expected, atol=1e-10)
    chosen = core.interpolate(x, y, "smoothing")
    smoother = chosen.smoother
    unit = np.eye(60)
    hat = np.array([smoother.curve(column, chosen.penalty)[1] for column in unit]).T
    np.testing.assert_allclose(smoother.leverage(chosen.penalty), np.diag(hat), atol=1e-11)
    best = smoother.score(y, chosen.penalty)
    assert all(
        smoother.score(y, chosen.penalty * factor) >= best - 1e-6 for factor in (0.5, 0.9, 1.1, 2.0, 100.0, 1e-4)
    )

    def dense(penalty):
        h = np.array([smoother.curve(column, penalty)[1] for column in unit]).T
        q = np.zeros((60, 58))
        d = np.diff(x)
        for k in range(58):
            q[k : k + 3, k] = 1 / d[k], -1 / d[k] - 1 / d[k + 1], 1 / d[k + 1]
        r = np.diag((d[:-1] + d[1:]) / 3) + np.diag(d[1:-1] / 6, 1) + np.diag(d[1:-1] / 6, -1)
        spread = q.T @ q + r / penalty
        u = q.T @ y
        likely = 58 * np.log(u @ np.linalg.solve(spread, u)) + np.linalg.slogdet(spread)[1]
        rest, square = 60 - np.trace(h), np.trace(h @ h)
        return likely + 30 * (np.log(np.sum((y - h @ y) ** 2) / rest**2) + np.log(0.2 + 0.8 * square / 60))

    own = [smoother.score(y, one) for one in (1e-3, 0.1, 10.0)]
    np.testing.assert_allclose(np.diff(own), np.diff([dense(one) for one in (1e-3, 0.1, 10.0)]), atol=2e-3)


@pytest.mark.parametrize("n", [10, 60, 3_000, 100_000])
@pytest.mark.parametrize("uneven", [False, True])
def test_smoothing_finds_the_signal_and_never_follows_the_noise(n, uneven):
    """Of 10 to 100,000 points, even or crowded together, the curve stays nearer to the truth than the points do."""
    x = np.sort(RNG.uniform(0, 1, n)) if uneven else np.linspace(0, 1, n)
    if uneven and n > 100:
        x[5] = np.nextafter(x[4], 2)
    truth = np.sin(6 * x)
    curve = core.interpolate(x, truth + RNG.normal(0, 0.1, n), "smoothing")
    error = np.sqrt(np.mean((curve(x) - truth) ** 2))
    assert error <= {10: 0.15, 60: 0.06, 3_000: 0.02, 100_000: 0.004}[n]
    if n <= 3000:
        leverage = curve.smoother.leverage(curve.penalty)
        assert 2 <= leverage.sum() < 0.8 * n
    if 10 < n <= 3000:
        assert curve.left_out_error == pytest.approx(0.1, rel=0.3)


def test_blocks_of_close_points_change_nothing_that_shows():
    """Long series are averaged within a small part of the smoothing length: as the exact spline, to a part of its error."""
    from vettore.core.interpolation import smoothing

    x = np.linspace(0, 1, smoothing.EXACT_ROWS)
    y = np.sin(6 * x) + RNG.normal(0, 0.1, len(x))
    exact = core.interpolate(x, y, "smoothing", penalty=1e-3)
    smoother = smoothing.Smoother(np.append(x, 1.0005), np.ones(len(x) + 1))
    knots, level = smoother.curve(np.append(y, y[-1]), 1e-3)
    assert len(knots) < len(x) / 3
    np.testing.assert_allclose(level[3:-3], exact(knots[3:-3]), atol=2e-3)


@pytest.mark.parametrize(
    ("key", "degree"),
    [("linear", 1), ("quadratic", 2), ("cubic", 3), ("natural", 1), ("monotone", 1), ("local", 1), ("polynomial", 9)],
)
def test_a_method_reproduces_the_polynomials_it_should(key, degree):
    """And so does its area."""
    x = np.sort(RNG.uniform(-2, 3, 12))
    powers = RNG.normal(0, 1, degree + 1)
    values = sum(c * x**k for k, c in enumerate(powers))
    curve = core.interpolate(x, values, key)
    at = np.linspace(x[0], x[-1], 50)
    np.testing.assert_allclose(curve(at), sum(c * at**k for k, c in enumerate(powers)), atol=1e-9)
    exact = sum(c * (x[-1] ** (k + 1) - x[0] ** (k + 1)) / (k + 1) for k, c in enumerate(powers))
    assert curve.area(x[0], x[-1]) == pytest.approx(exact, rel=1e-9)


@pytest.mark.parametrize("key", THROUGH)
def test_areas_add_up_and_turn_their_sign(key):
    """Splitting a span, reversing it, and the derivative of the running area."""
    curve = core.interpolate(X, Y, key)
    a, b, c = 1.3, 4.7, 7.9
    assert curve.area(a, c) == pytest.approx(curve.area(a, b) + curve.area(b, c), rel=1e-10)
    assert curve.area(c, a) == -curve.area(a, c)
    at = np.linspace(a, c, 20_001)
    middle = (at[1:] + at[:-1]) / 2
    assert curve.area(a, c) == pytest.approx(float(np.sum(curve(middle)) * (at[1] - at[0])), rel=1e-3)


@pytest.mark.parametrize("key", [key for key in THROUGH if key not in ("previous", "next", "nearest")])
def test_crossings_and_turning_points_are_where_the_curve_says(key):
    """Every sign change of a fine sampling is found, and the curve has the value there."""
    curve = core.interpolate(X, Y, key)
    fine = np.linspace(X[0], X[-1], 20_001)
    for level in (1.0, 2.2):
        roots = curve.crossings(level, X[0], X[-1])
        np.testing.assert_allclose(curve(roots), level, atol=1e-9)
        changes = np.sum(np.diff(np.sign(curve(fine) - level)) != 0)
        assert len(roots) == changes
    if key != "linear":
        tops = curve.turning_points(X[0], X[-1])
        slopes = np.sign(curve.slope(fine))
        slopes = slopes[slopes != 0]
        assert abs(len(tops) - int(np.sum(np.diff(slopes) != 0))) <= (4 if key == "monotone" else 0)


@pytest.mark.parametrize("key", [key for key in METHODS if key != "periodic"])
def test_uncertainty_is_that_of_many_curves(key):
    """Standard errors of value and area against 400 noisy repeats."""
    sigma = np.full(14, 0.05)
    curve = core.interpolate(X, Y, key, sigma=sigma, penalty=0.05 if key == "smoothing" else None)
    at = np.array([1.9, 5.05])
    told = curve.standard_error(at)
    values, areas = [], []
    for _ in range(400):
        other = core.interpolate(
            X, Y + RNG.normal(0, sigma), key, penalty=0.05 if key == "smoothing" else None, sigma=sigma
        )
        values.append(other(at))
        areas.append(other.area(1, 6))
    # The weights of the local method have corners, which a derivative does not see.
    np.testing.assert_allclose(np.std(values, axis=0), told, rtol=0.25 if key == "local" else 0.15)
    assert np.std(areas) == pytest.approx(curve.area_error(1, 6), rel=0.15)


def test_doubts_are_told_left_out_error_and_swing():
    """A monotone curve never swings; one polynomial does; leaving out agrees with doing so by hand."""
    rising = np.sort(Y)
    assert core.interpolate(X, rising, "monotone").swing == pytest.approx(0, abs=1e-12)
    assert core.interpolate(X, Y, "polynomial").swing > core.interpolate(X, Y, "cubic").swing
    for key in ("linear", "cubic", "monotone", "polynomial"):
        misses = []
        for j in range(1, 13):
            keep = np.arange(14) != j
            misses.append(float(core.interpolate(X[keep], Y[keep], key)(X[j])) - Y[j])
        expected = np.sqrt(np.mean(np.square(misses)))
        assert core.interpolate(X, Y, key).left_out_error == pytest.approx(expected, rel=1e-6)
    assert core.interpolate(X, Y, "polynomial").swelling > 100


def test_order_repeats_blanks_and_the_outside_are_said():
    """Repeated x are averaged, blanks named, values outside refused or marked as asked."""
    curve = core.interpolate([3, 1, 2, 2, np.nan], [9, 1, 4, 6, 5], "linear")
    assert curve(2.0) == 5
    assert curve.left_out == (5,)
    assert len(curve.notes) == 2
    with pytest.raises(core.DataError, match="outside the points"):
        curve(3.5)
    assert core.interpolate([1, 2, 3], [1, 4, 9], "cubic", outside="continue")(4.0) == pytest.approx(16)
    assert core.interpolate([1, 2, 3], [1, 4, 9], "cubic", outside="constant")(4.0) == 9
    linear = core.interpolate([1, 2, 3], [1, 4, 9], "cubic", outside="linear")
    assert linear(4.0) == pytest.approx(15)
    assert linear.area(3, 4) == pytest.approx(12)
    for bad, words in (
        ({"method": "spline"}, "no method"),
        ({"outside": "wrap"}, "Outside the points"),
        ({"method": "smoothing", "penalty": -1.0}, "above zero"),
    ):
        with pytest.raises(core.DataError, match=words):
            core.interpolate(X, Y, **bad)
    with pytest.raises(core.DataError, match="at least 2"):
        core.interpolate([1.0], [2.0], "linear")


@pytest.mark.parametrize("key", ["monotone", "local", "cubic"])
def test_the_error_of_an_area_is_right_where_two_x_lie_close(key):
    """A pair of points a thousandth of the spacing apart: the stated ± is that of 2,000 measurements."""
    x = np.array([0.0, 1.0, 2.0, 2.001, 3.0, 4.0, 5.0])
    y, sigma = np.array([1.0, 2.0, 2.5, 2.5, 3.5, 3.7, 4.0]), np.full(7, 0.1)
    stated = core.interpolate(x, y, key, sigma=sigma).area_error(0, 5)
    rng = np.random.default_rng(5)
    areas = [core.interpolate(x, y + rng.normal(0, 0.1, 7), key).area(0, 5) for _ in range(2000)]
    assert stated == pytest.approx(np.std(areas), rel=0.12)


def test_a_steep_line_is_not_taken_for_scatter_inside_blocks():
    """Where long series are averaged in blocks, the slope inside them is no misfit: the straight line is found."""
    for seed in (14, 17):
        x = np.linspace(0, 1, 3000)
        y = 2 * x + np.random.default_rng([seed, 3000]).normal(0, 0.02, 3000)
        error = np.sqrt(np.mean((core.interpolate(x, y, "smoothing")(x) - 2 * x) ** 2))
        assert error < 2 * 0.02 * np.sqrt(2 / 3000)


@pytest.mark.parametrize("key", ["cubic", "linear", "next", "monotone"])
def test_many_x_at_once_are_each_what_they_are_alone(key):
    """In order, in disorder, with a blank among them, and at both ends."""
    rng = np.random.default_rng(3)
    x = np.sort(rng.uniform(0, 10, 5_000))
    curve = core.interpolate(x, np.sin(x), key)
    at = rng.uniform(x[0], x[-1], 700)
    at[:3], at[9] = (x[0], x[-1], x[40]), np.nan
    alone = np.array([np.nan if math.isnan(one) else float(curve(one)) for one in at])
    np.testing.assert_array_equal(curve(at), alone)
    np.testing.assert_array_equal(curve(np.sort(at)), alone[np.argsort(at)])


@pytest.mark.parametrize("method", ["linear", "natural", "monotone"])
def test_slopes_beyond_the_points_are_those_of_the_curve_there(method):
    """Of a curve that stays where it ends 0, of one that goes on straight that of its end; bends are 0 in both."""
    x, y = np.array([0.0, 1.0, 2.5, 4.0]), np.array([1.0, 3.0, 2.0, 5.0])
    still, straight = (core.interpolate(x, y, method, outside=way) for way in ("constant", "linear"))
    for at, end in ((-1.0, 0.0), (6.0, 4.0)):
        assert float(still(at)) == float(still(end))
        assert (float(still.slope(at)), float(still.bend(at))) == (0.0, 0.0)
        assert float(straight.slope(at)) == pytest.approx(float(straight.slope(end)))
        assert float(straight(at)) == pytest.approx(float(straight(end)) + float(straight.slope(end)) * (at - end))
        assert float(straight.bend(at)) == 0.0
