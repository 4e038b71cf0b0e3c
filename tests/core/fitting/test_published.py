"""Every statistic that is printed of a fit, against values worked out by hand.

x = 1 … 5, y = 2, 4, 5, 4, 5: x̄ = 3, ȳ = 4, Sxx = 10, Sxy = 6, Syy = 6, so b = 0.6, a = 2.2, residuals −0.8, 0.6, 1, −0.6,
−0.2, their sum of squares 2.4, s² = 2.4/3 = 0.8. Tail probabilities of t with 3 degrees of freedom are those of
1 − 2/π (θ + sin θ cos θ), tan θ = t/√3.
"""

import math
from dataclasses import replace

import numpy as np
import pytest

import vettore.core as core
from vettore.core.fitting.after.checks import Kind, checks
from vettore.core.fitting.after.compare import compare, nested_f
from vettore.core.fitting.after.diagnostics import diagnostics
from vettore.core.fitting.record import Status
from vettore.core.rounding import NumberStyle
from vettore.words.checks import check_figure

X, Y = [1.0, 2, 3, 4, 5], [2.0, 4, 5, 4, 5]
T_975_3 = 3.182446305284263
AICC = 5 * math.log(2.4 / 5) + 2 * 3 + 2 * 3 * 4 / (5 - 3 - 1)
BIC = 5 * math.log(2.4 / 5) + 3 * math.log(5)


def tail(t):
    """Two-sided tail of t with 3 degrees of freedom."""
    angle = math.atan(t / math.sqrt(3))
    return 1 - 2 / math.pi * (angle + math.sin(angle) * math.cos(angle))


@pytest.fixture(params=["polynomial", "formula", "starts"])
def line(request):
    """The same line by each way of fitting."""
    if request.param == "polynomial":
        return core.fit_polynomial(X, Y, 1)
    start = {"start": {"a": 1.0, "b": 1.0}, "limits": {"b": (-10, 10)}} if request.param == "starts" else {}
    return core.fit("y = a + b*x", {"x": X, "y": Y}, **start)


def test_sums_and_goodness(line):
    """R², adjusted R², the residual standard deviation and the two sums."""
    assert line.values == pytest.approx((2.2, 0.6))
    assert (line.n, line.degrees_of_freedom) == (5, 3)
    assert line.sum_of_squares == pytest.approx(2.4)
    assert line.total_sum_of_squares == pytest.approx(6)
    assert line.r_squared == pytest.approx(0.6)
    assert line.adjusted_r_squared == pytest.approx(1 - 0.8 / 1.5)
    assert line.residual_sd == pytest.approx(math.sqrt(0.8))
    assert line.residuals == pytest.approx([-0.8, 0.6, 1.0, -0.6, -0.2])
    assert line.fitted == pytest.approx([2.8, 3.4, 4.0, 4.6, 5.2])
    assert line.r_squared_against == "mean"
    assert (line.chi_squared, line.reduced_chi_squared, line.chi_squared_p) == (None, None, None)


def test_criteria(line):
    """AICc and BIC up to the constant that fits of the same rows share; three parameters with the scatter."""
    assert line.aicc == pytest.approx(AICC)
    assert line.bic == pytest.approx(BIC)
    assert pytest.approx(26.33015) == AICC
    assert pytest.approx(1.15847) == pytest.approx(BIC, abs=1e-5)


def test_coefficients(line):
    """Standard errors, t, p, intervals, covariance and correlation."""
    slope, level = list(line.coefficients.values())[1], next(iter(line.coefficients.values()))
    assert slope.standard_error == pytest.approx(math.sqrt(0.08))
    assert level.standard_error == pytest.approx(math.sqrt(0.8 * (1 / 5 + 9 / 10)))
    assert slope.t == pytest.approx(0.6 / math.sqrt(0.08))
    assert slope.p == pytest.approx(tail(slope.t))
    assert (slope.low, slope.high) == pytest.approx(
        (0.6 - T_975_3 * math.sqrt(0.08), 0.6 + T_975_3 * math.sqrt(0.08))
    )
    np.testing.assert_allclose(line.covariance, [[0.88, -0.24], [-0.24, 0.08]], rtol=1e-9)
    assert line.correlation[0, 1] == pytest.approx(-0.24 / math.sqrt(0.88 * 0.08))


def test_leverage_influence_and_leaving_out(line):
    """h = 1/5 + (x − 3)²/10; Cook’s D = e²h/(2s²(1 − h)²); the fit without a row misses it by e/(1 − h)."""
    h = np.array([0.6, 0.3, 0.2, 0.3, 0.6])
    e = np.array([-0.8, 0.6, 1.0, -0.6, -0.2])
    assert line.leverage == pytest.approx(h)
    told = diagnostics(line)
    assert told.cook == pytest.approx(e**2 * h / (2 * 0.8 * (1 - h) ** 2))
    assert told.cook[0] == pytest.approx(1.5)
    inner = e / np.sqrt(0.8 * (1 - h))
    assert told.studentised == pytest.approx(inner * np.sqrt((5 - 2 - 1) / (5 - 2 - inner**2)))
    assert line.left_one_out_error == pytest.approx(math.sqrt(np.mean((e / (1 - h)) ** 2)))


def test_bands(line):
    """At x = 3 the curve has s/√5; a new measurement √(s² + s²/5)."""
    low, high = line.curve.band(np.array([3.0]))
    assert (high - low)[0] / 2 == pytest.approx(T_975_3 * math.sqrt(0.8 / 5))
    low, high = line.curve.band(np.array([3.0]), of="new")
    assert (high - low)[0] / 2 == pytest.approx(T_975_3 * math.sqrt(0.8 * 6 / 5))


def test_comparison_of_a_constant_and_the_line():
    """Weights e^(−Δ/2) over their sum; F = (6 − 2.4)/(2.4/3) = 4.5 with 1 and 3 degrees of freedom."""
    flat, line = core.fit_polynomial(X, Y, 0), core.fit_polynomial(X, Y, 1)
    constant = 5 * math.log(6 / 5) + 2 * 2 + 2 * 2 * 3 / (5 - 2 - 1)
    assert flat.aicc == pytest.approx(constant)
    ratio = math.exp(-(AICC - constant) / 2)
    assert core.akaike_weights([line, flat]) == pytest.approx((ratio / (1 + ratio), 1 / (1 + ratio)))
    first, second = compare({"line": line, "flat": flat})
    assert (first.name, second.name, first.difference) == ("flat", "line", 0)
    assert second.difference == pytest.approx(AICC - constant)
    assert (first.coefficients, second.coefficients) == (1, 2)
    assert (first.equal, second.equal) == (True, False)
    f = nested_f(flat, line)
    assert f.f == pytest.approx(4.5)
    assert f.p == pytest.approx(tail(math.sqrt(4.5)))
    assert f.p == pytest.approx(0.124027, abs=1e-6)


def test_lack_of_fit():
    """Repeats at 1, 2, 3: pure error 6 with 3 degrees of freedom, lack 3 with 1, F = 1.5, p = 0.308."""
    result = core.fit_polynomial([1, 1, 2, 2, 3, 3], [1, 3, 6, 4, 4, 6], 1)
    assert result.sum_of_squares == pytest.approx(9)
    told = next(check for check in checks(result, np.arange(1, 7)) if check.kind is Kind.LACK_OF_FIT)
    assert check_figure(told, result, NumberStyle()) == "F(1, 3) = 1.50 (p = 0.308)"
    assert tail(math.sqrt(1.5)) == pytest.approx(0.308, abs=5e-4)


def test_known_standard_deviations():
    """σ = 1: χ² = 2.4 with 3 degrees of freedom, variances without the scatter, z intervals, likelihood criteria."""
    result = core.fit_polynomial(X, Y, 1, sigma=np.ones(5), absolute_sigma=True)
    slope = result.coefficients["a1"]
    assert (result.chi_squared, result.reduced_chi_squared) == pytest.approx((2.4, 0.8))
    # The tail of χ² with 3 degrees of freedom: erfc(√(χ²/2)) + √(2χ²/π) e^(−χ²/2).
    assert result.chi_squared_p == pytest.approx(
        math.erfc(math.sqrt(1.2)) + math.sqrt(2 * 2.4 / math.pi) * math.exp(-1.2)
    )
    assert slope.standard_error == pytest.approx(math.sqrt(0.1))
    assert (slope.low, slope.high) == pytest.approx(
        (0.6 - 1.959963984540054 * math.sqrt(0.1), 0.6 + 1.959963984540054 * math.sqrt(0.1))
    )
    assert result.aicc == pytest.approx(2.4 + 2 * 2 + 2 * 2 * 3 / (5 - 2 - 1))
    assert result.bic == pytest.approx(2.4 + 2 * math.log(5))


def test_against_zero():
    """Through the origin R² is against zero: b = Σxy/Σx² = 66/55, Σy² = 86, residual 86 − 66²/55."""
    result = core.fit_polynomial(X, Y, 1, intercept=False)
    rest = 86 - 66**2 / 55
    assert result.values == pytest.approx((66 / 55,))
    assert result.r_squared_against == "zero"
    assert result.r_squared == pytest.approx(1 - rest / 86)
    assert result.adjusted_r_squared == pytest.approx(1 - rest / 86 * 5 / 4)


def test_a_row_that_decides_the_curve_alone_has_no_diagnostics():
    """Of five points at two x the last is met by the line whatever it is: leverage 1, and nothing to judge it by."""
    result = core.fit_polynomial([1.0, 1, 1, 1, 5], [2.0, 3, 2, 4, 9], 1)
    assert result.leverage == pytest.approx([0.25] * 4 + [1.0])
    told = diagnostics(result)
    assert np.isnan(told.studentised[-1])
    assert np.isnan(told.cook[-1])
    assert np.isfinite(told.studentised[:-1]).all()


def test_what_is_not_compared():
    """Weights on one side only, other rows; nothing at all is no error."""
    plain = core.fit_polynomial(X, Y, 1)
    weighted = core.fit_polynomial(X, Y, 2, sigma=[1.0, 1, 2, 2, 2])
    for pair in ([plain, weighted], [weighted, plain]):
        with pytest.raises(core.DataError, match="weigh the rows differently"):
            core.akaike_weights(pair)
    shorter = core.fit_polynomial(X[:4], Y[:4], 1)
    with pytest.raises(core.DataError, match="different"):
        core.akaike_weights([plain, shorter])
    assert core.akaike_weights([weighted, core.fit_polynomial(X, Y, 1, sigma=[1.0, 1, 2, 2, 2])])


def test_diagnostics_need_two_degrees_of_freedom():
    """Four points about a line have two, three have one: leaving out a row would leave nothing to judge by."""
    assert diagnostics(core.fit_polynomial(X[:4], Y[:4], 1)) is not None
    assert diagnostics(core.fit_polynomial(X[:3], Y[:3], 1)) is None


def test_comparisons_at_their_edges():
    """One fit has all the evidence; an exact one has it beside others; F of what does not nest is refused."""
    flat, line = core.fit_polynomial(X, Y, 0), core.fit_polynomial(X, Y, 1)
    assert core.akaike_weights([line]) == (1.0,)
    exact, poor = core.fit_polynomial(X, X, 1), core.fit_polynomial(X, X, 0)
    assert core.akaike_weights([poor, exact]) == pytest.approx((0, 1))
    assert nested_f(poor, exact).p < 1e-50
    assert (nested_f(flat, line).top, nested_f(flat, line).bottom) == (1, 3)
    with pytest.raises(core.DataError, match="more coefficients"):
        nested_f(line, flat)
    # The same curve, spelt with one coefficient more, gains nothing: F is 0.
    same = core.fit("y = a + b*x + 0*c", {"x": X, "y": Y}, hold={"c": 1.0})
    assert same.sum_of_squares == pytest.approx(line.sum_of_squares)


def test_losses_and_senses_of_sigma_are_not_mixed():
    """Two losses, or ± known beside ± relative, weigh the rows differently; each is refused with its reason."""
    data = {"x": X, "y": Y}
    squares, huber = (core.fit("y = a + b*x", data, loss=loss) for loss in ("squares", "huber"))
    with pytest.raises(core.DataError, match="different losses"):
        core.akaike_weights([squares, huber])
    ones = np.ones(5)
    known, relative = (core.fit_polynomial(X, Y, 1, sigma=ones, absolute_sigma=known) for known in (True, False))
    with pytest.raises(core.DataError, match="as known and another as relative"):
        core.akaike_weights([known, relative])
    nearly = core.fit_polynomial(X, Y, 2, sigma=ones * (1 + 1e-12))
    assert core.akaike_weights([relative, nearly])
    with pytest.raises(core.DataError, match="weigh the rows differently"):
        core.akaike_weights([relative, core.fit_polynomial(X, Y, 2, sigma=[1, 1, 1, 1, 1 + 1e-6])])


def test_r_squared_about_the_mean_in_comparisons():
    """Also of a fit whose own R² is against zero: 1 − 6.8/6 through the origin, below zero and said so."""
    origin, line = core.fit_polynomial(X, Y, 1, intercept=False), core.fit_polynomial(X, Y, 1)
    told = {one.name: one.r_squared_about_mean for one in compare({"origin": origin, "line": line})}
    assert told == pytest.approx({"origin": 1 - (86 - 66**2 / 55) / 6, "line": 0.6})


def test_too_few_rows_for_a_criterion_have_no_evidence():
    """Four rows and three parameters: AICc is infinite and the weight 0; where all are, nothing tells them apart."""
    flat, line = core.fit_polynomial(X[:4], Y[:4], 0), core.fit_polynomial(X[:4], Y[:4], 1)
    assert line.aicc == math.inf
    assert core.akaike_weights([line, flat]) == (0.0, 1.0)
    slope = core.fit("y = a + b*x^2", {"x": X[:4], "y": Y[:4]})
    assert core.akaike_weights([line, slope]) == (0.5, 0.5)


def test_r_squared_about_the_weighted_mean():
    """σ = 1, 1, 2, 2, 2: weights 4, 4, 1, 1, 1 over 11; mean 38/11, sum of squares about it Σwy² − 38²/11."""
    sigma = [1.0, 1, 2, 2, 2]
    weights = np.array([4, 4, 1, 1, 1.0]) / 4
    y = np.array(Y)
    line, curve = (core.fit_polynomial(X, Y, degree, sigma=sigma) for degree in (1, 2))
    total = float(weights @ y**2 - (weights @ y) ** 2 / weights.sum())
    told = {one.name: one.r_squared_about_mean for one in compare({"line": line, "curve": curve})}
    assert told["line"] == pytest.approx(1 - line.sum_of_squares / total)
    assert told["line"] == pytest.approx(line.r_squared)
    assert told["curve"] == pytest.approx(curve.r_squared)


def test_a_fit_is_exact_where_residuals_are_the_rounding_of_y():
    """However large x is: a miss of 1e-9 at y of about 1 is a miss, one of the last bit is none."""
    x = np.arange(8.0) * 1e9
    y = 1 + x / 8e9
    assert core.fit_polynomial(x, y, 1).exact
    y[3] += 1e-9
    assert not core.fit_polynomial(x, y, 1).exact


def test_known_sigma_at_the_fewest_rows_and_between_nested_models():
    """χ² with one degree of freedom: p = P(|z| > √χ²); with none there is nothing to say. Their fall is χ² itself."""
    x = np.arange(6.0)
    y = x + np.array([0.1, -0.1, 0.2, -0.2, 0.1, -0.1])
    known = {"sigma": np.full(6, 0.5), "absolute_sigma": True}
    three = core.fit_polynomial(x[:3], y[:3], 1, sigma=known["sigma"][:3], absolute_sigma=True)
    # y − x is 0.1, −0.1, 0.2, whose second difference is 0.5: residuals 0.5/6·(1, −2, 1), so Σr² = 0.25/6 and σ² = 0.25.
    assert three.chi_squared == pytest.approx(1 / 6)
    assert three.reduced_chi_squared == pytest.approx(1 / 6)
    assert three.chi_squared_p == pytest.approx(math.erfc(math.sqrt(1 / 12)))
    two = core.fit_polynomial(x[:2], y[:2], 1, sigma=known["sigma"][:2], absolute_sigma=True)
    assert (two.reduced_chi_squared, two.chi_squared_p) == (None, None)
    small, large = core.fit_polynomial(x, y, 1, **known), core.fit_polynomial(x, y, 3, **known)
    told = nested_f(small, large)
    fall = small.chi_squared - large.chi_squared
    assert (told.f, told.top, told.bottom) == (pytest.approx(fall / 2), 2, math.inf)
    # Of two degrees of freedom: P(χ² > c) = exp(−c/2).
    assert told.p == pytest.approx(math.exp(-fall / 2))


def test_a_result_in_one_line_says_what_is_unknown():
    """A flat y has no R²; a search that did not end says so."""
    x = np.arange(6.0)
    assert "R² = unknown, n = 6>" in repr(core.fit_polynomial(x, 0 * x + 3, 0))
    line = core.fit_polynomial(x, 2 * x, 1)
    assert repr(line).endswith("R² = 1, n = 6>")
    assert repr(replace(line, status=Status.NOT_CONVERGED)).endswith("n = 6, did not converge>")
