"""Fits with errors in x and y: published values, an independent witness, limits of exact x, and how often ranges hold."""

import numpy as np
import pytest

from vettore import core
from vettore.core.fitting.after.compare import compare
from vettore.core.fitting.after.intervals import profile_intervals
from vettore.core.fitting.result import FitMethod

# Pearson (1901) with the weights of York (1966); the line to all digits by York et al. (2004).
X = np.array([0.0, 0.9, 1.8, 2.6, 3.3, 4.4, 5.2, 6.1, 6.5, 7.4])
Y = np.array([5.9, 5.4, 4.4, 4.6, 3.5, 3.7, 2.8, 2.8, 2.4, 1.5])
WX = np.array([1000, 1000, 500, 800, 200, 80, 60, 20, 1.8, 1.0])
WY = np.array([1, 1.8, 4, 8, 20, 20, 70, 70, 100, 500])
MODELS = {
    "line": ("y = a + b*x", lambda c, x: c[0] + c[1] * x, (1.0, 2.0)),
    "decay": ("y = A*exp(-k*x) + C", lambda c, x: c[0] * np.exp(-c[1] * x) + c[2], (6.0, 0.3, 2.0)),
    "saturation": ("y = A*x/(x + K)", lambda c, x: c[0] * x / (x + c[1]), (5.0, 3.0)),
    "peak": ("y = A*exp(-((x - m)/w)^2)", lambda c, x: c[0] * np.exp(-(((x - c[1]) / c[2]) ** 2)), (4.0, 5.0, 2.0)),
    "parabola": ("y = a + b*x + c*x^2", lambda c, x: c[0] + c[1] * x + c[2] * x**2, (1.0, -0.5, 0.2)),
}


def rows(model, seed, count=25):
    rng = np.random.default_rng(seed)
    _, curve, true = MODELS[model]
    x = np.linspace(0.2, 10, count)
    sigma_x, sigma_y = rng.uniform(0.05, 0.3, count), rng.uniform(0.05, 0.2, count)
    noisy = x + sigma_x * rng.normal(size=count), curve(true, x) + sigma_y * rng.normal(size=count)
    return *noisy, sigma_x, sigma_y


def test_the_line_of_york():
    """Coefficients, their ± and χ² to the published digits; as a formula and as a polynomial."""
    result = core.fit("y = a + b*x", {"x": X, "y": Y}, sigma=WY**-0.5, sigma_x=WX**-0.5, absolute_sigma=True)
    a, b = result.coefficients.values()
    assert (a.value, b.value) == (pytest.approx(5.47991022, abs=5e-9), pytest.approx(-0.480533407, abs=5e-10))
    assert (a.standard_error, b.standard_error) == (
        pytest.approx(0.29497, abs=5e-6),
        pytest.approx(0.057985, abs=5e-7),
    )
    assert result.chi_squared == pytest.approx(11.8663531941, rel=1e-10)
    assert result.method is FitMethod.ORTHOGONAL
    line = core.fit_polynomial(X, Y, 1, sigma=WY**-0.5, sigma_x=WX**-0.5, absolute_sigma=True, names=("t", "v"))
    assert line.values == pytest.approx(result.values, rel=1e-12)
    assert (line.formula, line.powers) == ("v = a0 + a1*t", {"a0": 0, "a1": 1})


@pytest.mark.parametrize("model", MODELS)
def test_an_independent_witness_agrees(model):
    """Estimates, sum of squares and standard errors are those of a general solver over coefficients and all true x at once."""
    from scipy.optimize import least_squares

    formula, curve, _ = MODELS[model]
    for seed in (1, 2):
        x, y, sigma_x, sigma_y = rows(model, seed)
        result = core.fit(formula, {"x": x, "y": y}, sigma=sigma_y, sigma_x=sigma_x)
        assert result.converged
        m = len(result.values)

        def distances(unknown, x=x, y=y, sigma_x=sigma_x, sigma_y=sigma_y, m=m):
            c, true_x = unknown[:m], unknown[m:]
            return np.concatenate([(y - curve(c, true_x)) / sigma_y, (x - true_x) / sigma_x])

        begin = np.concatenate([result.values, x])
        tight = {"xtol": 1e-15, "ftol": 1e-15, "gtol": 1e-15}
        witness = least_squares(distances, begin, jac="3-point", x_scale="jac", max_nfev=2000, **tight)
        squares = 2 * witness.cost
        assert result.sum_of_squares == pytest.approx(squares, rel=1e-9)
        assert result.values == pytest.approx(witness.x[:m], rel=1e-7)
        covariance = np.linalg.inv(witness.jac.T @ witness.jac)[:m, :m] * squares / (len(x) - m)
        errors = [one.standard_error for one in result.coefficients.values()]
        assert errors == pytest.approx(np.sqrt(np.diag(covariance)), rel=1e-5)


@pytest.mark.parametrize("model", MODELS)
def test_correlated_errors_of_x_and_y_agree_with_an_independent_witness(model):
    """A general solver over coefficients and true x, each row's pair of misses freed of its covariance by Cholesky."""
    from scipy.optimize import least_squares

    formula, curve, _ = MODELS[model]
    x, y, sigma_x, sigma_y = rows(model, 5)
    correlation = np.random.default_rng(5).uniform(-0.9, 0.9, len(x))
    result = core.fit(formula, {"x": x, "y": y}, sigma=sigma_y, sigma_x=sigma_x, correlation=correlation)
    pairs = np.empty((len(x), 2, 2))
    pairs[:, 0, 0], pairs[:, 1, 1] = sigma_x**2, sigma_y**2
    pairs[:, 0, 1] = pairs[:, 1, 0] = correlation * sigma_x * sigma_y
    whitening, m = np.linalg.inv(np.linalg.cholesky(pairs)), len(result.values)

    def distances(unknown):
        misses = np.stack([x - unknown[m:], y - curve(unknown[:m], unknown[m:])], axis=1)
        return np.einsum("ijk,ik->ij", whitening, misses).ravel()

    begin = np.concatenate([result.values, result.details.true_x])
    witness = least_squares(distances, begin, jac="3-point", x_scale="jac", xtol=1e-15, ftol=1e-15, gtol=1e-15)
    assert result.converged
    assert result.sum_of_squares == pytest.approx(2 * witness.cost, rel=1e-9)
    assert result.values == pytest.approx(witness.x[:m], rel=1e-6)
    assert result.details.true_x == pytest.approx(witness.x[m:], rel=1e-6)
    covariance = np.linalg.inv(witness.jac.T @ witness.jac)[:m, :m] * 2 * witness.cost / (len(x) - m)
    errors = [one.standard_error for one in result.coefficients.values()]
    assert errors == pytest.approx(np.sqrt(np.diag(covariance)), rel=1e-5)
    np.testing.assert_array_equal(result.details.correlation, correlation)


def test_the_slope_of_correlated_errors_solves_yorks_equation():
    """York, Evensen, Martínez & Delgado (2004), eq. 13: b = Σ W β V / Σ W β U, with a through the weighted means."""
    rng = np.random.default_rng(8)
    sx, sy, r = 1 / np.sqrt(WX), 1 / np.sqrt(WY), rng.uniform(-0.8, 0.8, len(X))
    line = core.fit_polynomial(X, Y, 1, sigma=sy, sigma_x=sx, correlation=r, absolute_sigma=True)
    a, b = line.values
    alpha = np.sqrt(WX * WY)
    w = WX * WY / (WX + b**2 * WY - 2 * b * r * alpha)
    x_mean, y_mean = np.average(X, weights=w), np.average(Y, weights=w)
    u, v = X - x_mean, Y - y_mean
    beta = w * (u / WY + b * v / WX - (b * u + v) * r / alpha)
    assert b == pytest.approx(np.sum(w * beta * v) / np.sum(w * beta * u), rel=1e-9)
    assert a == pytest.approx(y_mean - b * x_mean, rel=1e-9)
    assert line.chi_squared == pytest.approx(np.sum(w * (Y - a - b * X) ** 2), rel=1e-9)


@pytest.mark.parametrize("model", ["decay", "peak"])
def test_the_answer_is_a_minimum_of_all_distances(model):
    """The sum of squares over true x and coefficients, worked out by hand, is what is told, and least there."""
    formula, curve, _ = MODELS[model]
    x, y, sigma_x, sigma_y = rows(model, 5)
    result = core.fit(formula, {"x": x, "y": y}, sigma=sigma_y, sigma_x=sigma_x)

    def squares(c, true_x):
        return np.sum(((y - curve(c, true_x)) / sigma_y) ** 2 + ((x - true_x) / sigma_x) ** 2)

    least = squares(result.values, result.details.true_x)
    assert least == pytest.approx(result.sum_of_squares, rel=1e-10)
    rng = np.random.default_rng(0)
    for _ in range(50):
        c = np.array(result.values) * (1 + 1e-4 * rng.normal(size=len(result.values)))
        assert squares(c, result.details.true_x + 1e-3 * sigma_x * rng.normal(size=len(x))) > least
    assert result.fitted == pytest.approx(curve(result.values, x), rel=1e-12)


def test_without_an_error_of_x_it_is_the_ordinary_fit():
    """σ of x of 0 in all rows, or a mere nothing; a row with an exact x stays where it is."""
    x, y, sigma_x, sigma_y = rows("decay", 3)
    formula = MODELS["decay"][0]
    plain = core.fit(formula, {"x": x, "y": y}, sigma=sigma_y)
    for none in (0.0, 1e-9):
        result = core.fit(formula, {"x": x, "y": y}, sigma=sigma_y, sigma_x=none)
        assert result.values == pytest.approx(plain.values, rel=1e-8)
        assert result.sum_of_squares == pytest.approx(plain.sum_of_squares, rel=1e-8)
    sigma_x[4] = 0
    result = core.fit(formula, {"x": x, "y": y}, sigma=sigma_y, sigma_x=sigma_x)
    assert result.details.true_x[4] == x[4]
    assert np.count_nonzero(result.details.true_x == x) == 1


def test_units_change_nothing():
    """A decay in other units of x and y has the same answer in these."""
    x, y, sigma_x, sigma_y = rows("decay", 4)
    formula = MODELS["decay"][0]
    one = core.fit(formula, {"x": x, "y": y}, sigma=sigma_y, sigma_x=sigma_x)
    scaled = {"x": x * 1e-6, "y": y * 1e9}
    other = core.fit(formula, scaled, sigma=sigma_y * 1e9, sigma_x=sigma_x * 1e-6)
    a, k, c = (coefficient.value for coefficient in other.coefficients.values())
    assert (a / 1e9, k / 1e6, c / 1e9) == pytest.approx(one.values, rel=1e-8)


def test_held_coefficients_stay_and_limits_hold():
    """As in an ordinary fit."""
    x, y, sigma_x, sigma_y = rows("decay", 6)
    given = {"sigma": sigma_y, "sigma_x": sigma_x}
    held = core.fit(MODELS["decay"][0], {"x": x, "y": y}, hold={"C": 1.5}, **given)
    assert held.coefficients["C"].value == 1.5
    assert held.coefficients["C"].held
    limited = core.fit(MODELS["decay"][0], {"x": x, "y": y}, limits={"C": (2.3, None)}, **given)
    assert limited.coefficients["C"].value == pytest.approx(2.3)
    free = core.fit(MODELS["decay"][0], {"x": x, "y": y}, **given)
    assert free.sum_of_squares < min(held.sum_of_squares, limited.sum_of_squares)


def test_what_cannot_be_is_refused_in_a_sentence():
    """± of x without ± of y, of nobody, of several columns, or under a robust loss."""
    x, y, sigma_x, sigma_y = rows("line", 1)
    data = {"x": x, "y": y, "z": x**2}
    for asked, words in (
        ({"sigma_x": 1.0}, "needs sigma, too"),
        ({"sigma_x": -1.0, "sigma": 1.0}, "no number from 0 in rows 1"),
        ({"sigma_x": sigma_x[:5], "sigma": sigma_y}, "5 entries"),
        ({"sigma_x": 1.0, "sigma": sigma_y, "loss": "huber"}, "takes no sigma_x"),
        ({"sigma": sigma_y, "correlation": 0.5}, "needs sigma_x"),
        ({"sigma_x": 1.0, "sigma": sigma_y, "correlation": 1.0}, "between −1 and 1 in rows 1"),
        ({"sigma_x": 1.0, "sigma": sigma_y, "correlation": sigma_x[:5]}, "5 entries"),
    ):
        with pytest.raises(core.DataError, match=words):
            core.fit("y = a + b*x", data, **asked)
    with pytest.raises(core.DataError, match="formula of one column"):
        core.fit("y = a + b*x + c*z", data, sigma=sigma_y, sigma_x=sigma_x)
    result = core.fit("y = a + b*x", data, sigma=sigma_y, sigma_x=sigma_x)
    with pytest.raises(core.DataError, match="not worked out for fits with errors in x"):
        profile_intervals(result, data, sigma=sigma_y)


def test_fits_with_errors_in_x_are_compared_with_each_other_only():
    """Their sums of squares are of one kind, whatever their slopes; beside an ordinary fit they are not."""
    x, y, sigma_x, sigma_y = rows("parabola", 2)
    data, given = {"x": x, "y": y}, {"sigma": sigma_y, "sigma_x": sigma_x}
    line, bent = core.fit("y = a + b*x", data, **given), core.fit("y = a + b*x + c*x^2", data, **given)
    best = compare({"line": line, "bent": bent})[0]
    assert best.name == "bent"
    with pytest.raises(core.DataError, match="weigh the rows differently"):
        compare({"line": line, "plain": core.fit("y = a + b*x", data, sigma=sigma_y)})


def test_a_slope_is_not_pulled_to_nought():
    """With σ of 1 on x of 0 … 10 the slope of a line is not pulled to 0, and its 95 % range holds."""
    rng = np.random.default_rng(8)
    slopes, held, plain = [], 0, []
    for _ in range(120):
        x = np.arange(11.0)
        noisy, y = x + rng.normal(size=11), 1 + 2 * x + 0.5 * rng.normal(size=11)
        data = {"x": noisy, "y": y}
        b = core.fit("y = a + b*x", data, sigma=0.5, sigma_x=1.0, absolute_sigma=True).coefficients["b"]
        slopes.append(b.value)
        held += b.low <= 2 <= b.high
        plain.append(core.fit("y = a + b*x", data, sigma=0.5).coefficients["b"].value)
    assert abs(np.median(slopes) - 2) < 0.08
    assert held >= 0.9 * 120
    assert np.median(plain) < 1.9


def test_published_sets_to_the_digits_given():
    """Fuller (1987, p. 244) with three x known exactly; Pearson (1901) with equal ±; York's ± rounded, along both axes; SciPy's resonance."""
    x = np.array([0, 0, 5, 7, 7.5, 10, 16, 26, 30, 34, 34.5, 100])
    y = np.array([1265, 1263.6, 1258, 1254, 1253, 1249.8, 1237, 1218, 1220.6, 1213.8, 1215.5, 1212])
    exact = np.where((x == 0) | (x == 100), 0.0, 1.0)
    fuller = core.fit("y = a + b*(exp(c*x) - 1)^2", {"x": x, "y": y}, start={"c": -0.1}, sigma=1.0, sigma_x=exact)
    assert fuller.values == pytest.approx((1264.6548, -54.0184, -0.0878497), rel=3e-6)
    errors = [one.standard_error for one in fuller.coefficients.values()]
    assert errors == pytest.approx((1.03493, 1.58400, 0.00633220), rel=1e-5)
    even = core.fit_polynomial(X, Y, 1, sigma=1.0, sigma_x=1.0)
    assert even.values == (pytest.approx(5.784, abs=5e-4), pytest.approx(-0.5456, abs=5e-5))
    sx = np.array([0.03, 0.03, 0.04, 0.035, 0.07, 0.11, 0.13, 0.22, 0.74, 1.0])
    sy = np.array([1.0, 0.74, 0.5, 0.35, 0.22, 0.22, 0.12, 0.12, 0.1, 0.04])
    for axes, spreads, wanted, told in (
        ((X, Y), (sy, sx), (5.47674, -0.479608), (0.359012, 0.0706291)),
        ((Y, X), (sx, sy), (11.4192, -2.08504), (0.982023, 0.307052)),
    ):
        line = core.fit_polynomial(*axes, 1, sigma=spreads[0], sigma_x=spreads[1])
        assert line.values == pytest.approx(wanted, rel=2e-6)
        assert [one.standard_error for one in line.coefficients.values()] == pytest.approx(told, rel=2e-6)
    x = [3.9094, 3.85945, 3.84976, 3.84716, 3.84551, 3.83964, 3.82608, 3.78847, 3.78163]
    x += [3.72558, 3.70274, 3.6973, 3.67373, 3.65982, 3.6562, 3.62498, 3.55525, 3.41886]
    y = [
        652,
        910.5,
        984,
        1000,
        1007.5,
        1053,
        1160.5,
        1409.5,
        1430,
        1122,
        957.5,
        920,
        777.5,
        709.5,
        698,
        578.5,
        418.5,
        275.5,
    ]
    sx = [9.72971e-4, 9.48268e-4, 7.07632e-4, 7.06679e-4, 7.06074e-4, 7.03918e-4, 6.98955e-4, 4.56856e-4, 4.55207e-4]
    sx += [6.62717e-4, 6.54619e-4, 6.52694e-4, 8.59202e-7, 1.06589e-3, 1.06378e-3, 1.25483e-3, 1.40818e-3, 2.41839e-3]
    resonance = "y = a*b*c/sqrt((x^2 - c^2)^2 + (b*x)^2)"
    sharp = core.fit(resonance, {"x": x, "y": y}, start={"b": 0.1, "c": 3.8, "a": 1000}, sigma=0.29, sigma_x=sx)
    assert sharp.values == pytest.approx((1430.678, 0.133905, 3.779819), rel=1e-6)
    errors = [one.standard_error for one in sharp.coefficients.values()]
    assert errors == pytest.approx((0.736212, 3.50689e-4, 2.44512e-4), rel=5e-6)
