"""Standard deviations that are known: intervals, criteria, χ², bands; and what may not be asked."""

import math
from dataclasses import replace

import numpy as np
import pytest
from scipy import stats

import vettore.core as core
from vettore.core.fitting.after.checks import Kind, Verdict, checks
from vettore.core.fitting.after.compare import compare, nested_f
from vettore.core.fitting.after.intervals import bootstrap_intervals, profile_intervals
from vettore.core.interpolation.points import sorted_points

X = np.linspace(0, 10, 12)
SIGMA = np.linspace(0.1, 0.4, 12)
Y = 2 + 3 * X + np.random.default_rng(8).normal(0, SIGMA)
DATA = {"x": X, "y": Y}
LINE, CURVED = "y = a + b*x", "y = a + b*x + c*exp(-0.3*x)"


@pytest.mark.parametrize("formula", [LINE, "y = A*exp(k*x) + C"])
def test_known_sigma_gives_normal_intervals_chi_squared_and_likelihood_criteria(formula):
    """χ² = Σ(r/σ)², its p from the χ² law, ± from (JᵀWJ)⁻¹ alone, intervals with z, AICc and BIC without a variance."""
    told = core.fit(formula, DATA, sigma=SIGMA, absolute_sigma=True)
    chi2 = float(np.sum((told.residuals / SIGMA) ** 2))
    m, n = len(told.coefficients), 12
    assert told.chi_squared == pytest.approx(chi2, rel=1e-10)
    assert told.reduced_chi_squared == pytest.approx(chi2 / (n - m), rel=1e-10)
    assert told.chi_squared_p == pytest.approx(stats.chi2.sf(chi2, n - m), rel=1e-9)
    assert told.aicc == pytest.approx(chi2 + 2 * m + 2 * m * (m + 1) / (n - m - 1), rel=1e-10)
    assert told.bic == pytest.approx(chi2 + m * math.log(n), rel=1e-10)
    z = stats.norm.ppf(0.975)
    for one in told.coefficients.values():
        assert one.high - one.value == pytest.approx(z * one.standard_error, rel=1e-9)
        assert one.p == pytest.approx(2 * stats.norm.sf(abs(one.t)), rel=1e-6, abs=1e-300)
    relative = core.fit(formula, DATA, sigma=SIGMA)
    assert relative.chi_squared is None
    scale = math.sqrt(chi2 / (n - m))
    for name, one in relative.coefficients.items():
        assert one.standard_error == pytest.approx(told.coefficients[name].standard_error * scale, rel=1e-7)
    low, high = told.curve.band(4.0)
    assert high - low == pytest.approx(2 * z * float(told.curve.standard_error(4.0)), rel=1e-9)


def test_profile_and_bootstrap_honour_known_sigma():
    """For a line the profile is the normal interval itself; the bootstrap, drawn from σ, comes near it."""
    told = core.fit(LINE, DATA, sigma=SIGMA, absolute_sigma=True)
    profile = profile_intervals(told, DATA, sigma=SIGMA)
    boot = bootstrap_intervals(told, DATA, samples=4000, sigma=SIGMA)
    for name, one in told.coefficients.items():
        assert profile[name] == pytest.approx((one.low, one.high), rel=1e-5, abs=1e-7)
        assert boot[name] == pytest.approx((one.low, one.high), abs=0.25 * one.standard_error)
    assert boot == bootstrap_intervals(told, DATA, samples=4000, sigma=SIGMA)
    # No degree of freedom is left, but σ is known.
    through = core.fit(LINE, {"x": X[:2], "y": Y[:2]}, sigma=SIGMA[:2], absolute_sigma=True)
    assert through.coefficients["b"].standard_error == pytest.approx(np.hypot(*SIGMA[:2]) / (X[1] - X[0]), rel=1e-9)
    assert through.coefficients["b"].low is not None
    assert through.chi_squared_p is None


@pytest.mark.parametrize("absolute", [False, True])
def test_a_new_measurement_needs_the_sigma_at_its_x(absolute):
    """Where rows differ, the band of a new measurement is refused without σ at x; with it, it adds in quadrature."""
    told = core.fit(LINE, DATA, sigma=SIGMA, absolute_sigma=absolute)
    with pytest.raises(core.DataError, match="± of its own"):
        told.curve.band(3.0, of="new")
    unit = 1.0 if absolute else told.residual_sd
    mean = float(told.curve.standard_error(3.0))
    for given in (0.2, np.array([0.2, 0.2]), lambda x: 0.2 + 0 * x):
        x = np.array([3.0, 3.0])
        new = told.curve.standard_error(x, of="new", sigma=given)
        np.testing.assert_allclose(new, math.hypot(mean, unit * 0.2), rtol=1e-9)
    # One σ for all rows is that of a new one, too.
    even = core.fit_polynomial(X, Y, 1, sigma=0.3, absolute_sigma=absolute)
    unit = 1.0 if absolute else even.residual_sd
    own = math.hypot(float(even.curve.standard_error(3.0)), unit * 0.3)
    assert float(even.curve.standard_error(3.0, of="new")) == pytest.approx(own, rel=1e-9)
    plain = core.fit(LINE, DATA)
    assert float(plain.curve.standard_error(3.0, of="new")) == pytest.approx(
        math.hypot(float(plain.curve.standard_error(3.0)), plain.residual_sd), rel=1e-9
    )
    for wrong in (-0.1, 0.0, math.nan, np.ones(3)):
        with pytest.raises(core.DataError, match="sigma"):
            told.curve.band(3.0, of="new", sigma=wrong)


@pytest.mark.parametrize(("factor", "verdict"), [(1.0, Verdict.GOOD), (0.3, Verdict.BAD), (6.0, Verdict.BAD)])
def test_known_sigma_are_compared_with_the_scatter(factor, verdict):
    """Known ± that are too small or too large are said, with χ²/ν."""
    told = core.fit(LINE, DATA, sigma=SIGMA * factor, absolute_sigma=True)
    check = next(one for one in checks(told) if one.kind is Kind.KNOWN_SIGMA)
    assert check.verdict is verdict
    assert check.figures["χ²/ν"] == told.reduced_chi_squared
    assert not [one for one in checks(core.fit(LINE, DATA, sigma=SIGMA)) if one.kind is Kind.KNOWN_SIGMA]


def test_fits_that_weigh_rows_differently_are_not_compared():
    """Weights of evidence and F refuse different weights, rows, left sides, losses and senses of σ, each with its reason."""
    base = core.fit(LINE, DATA, sigma=SIGMA)
    others = {
        "weigh the rows differently": core.fit(CURVED, DATA),
        "with the same weights": core.fit(CURVED, DATA, sigma=SIGMA**2),
        "as known and another as relative": core.fit(CURVED, DATA, sigma=SIGMA, absolute_sigma=True),
        "different rows": core.fit(CURVED, {"x": X, "y": [math.nan, *Y[1:]]}, sigma=SIGMA),
        "different values of y": core.fit(CURVED, {"x": X, "y": Y + 1}, sigma=SIGMA),
        "measure different things": core.fit("ln(y) = a + b*x + c*x^2", DATA, sigma=SIGMA),
    }
    for reason, other in others.items():
        for asked in (
            core.akaike_weights,
            lambda pair: compare(dict(zip("ab", pair, strict=True))),
            lambda p: nested_f(*p),
        ):
            with pytest.raises(core.DataError, match=reason):
                asked([base, other])
    known = [core.fit(f, DATA, sigma=SIGMA, absolute_sigma=True) for f in (LINE, CURVED)]
    test = nested_f(*known)
    fall = known[0].chi_squared - known[1].chi_squared
    assert test.p == pytest.approx(stats.chi2.sf(fall, 1), rel=1e-6)


def test_repeated_x_are_averaged_by_inverse_variance():
    """Two values with σ 1 and 3 weigh 9 : 1, and their mean has 1/σ² = 1 + 1/9."""
    x, y, sigma, repeats = sorted_points(
        np.array([2.0, 1.0, 1.0]), np.array([7.0, 0.0, 10.0]), np.array([1.0, 1.0, 3.0])
    )
    assert repeats == 2
    np.testing.assert_allclose(x, [1, 2])
    np.testing.assert_allclose(y, [1.0, 7.0])
    np.testing.assert_allclose(sigma, [math.sqrt(0.9), 1.0])


REFUSED = {
    "level 95": ({"level": 95}, "For 95 % write 0.95"),
    "level 2": ({"level": 2}, "between 0 and 1"),
    "level nan": ({"level": math.nan}, "between 0 and 1"),
    "loss": ({"loss": "hubert"}, "squares, huber, cauchy, tukey"),
    "absolute without sigma": ({"absolute_sigma": True}, "needs sigma"),
    "absolute with weights": ({"absolute_sigma": True, "weights": np.ones(12)}, "needs sigma"),
    "absolute and a loss": ({"absolute_sigma": True, "sigma": SIGMA, "loss": "huber"}, "left unused"),
    "seed": ({"seed": -1}, "whole number"),
    "start of nothing": ({"start": {"q": 1.0}}, "no coefficient"),
    "start nan": ({"start": {"a": math.nan}}, "must be a number"),
    "columns of a formula": ({"columns": ("x", "y")}, "names its own"),
}


@pytest.mark.parametrize("case", REFUSED)
@pytest.mark.parametrize("formula", [LINE, "y = a*exp(k*x)"])
def test_what_cannot_be_asked_is_refused_by_every_way(case, formula):
    """A request is checked once, whatever the model."""
    asked, words = REFUSED[case]
    with pytest.raises(core.DataError, match=words):
        core.fit(formula, DATA, **asked)
    if set(asked) <= {"level", "absolute_sigma", "weights"}:
        with pytest.raises(core.DataError, match=words):
            core.fit_polynomial(X, Y, 1, **asked)
    if set(asked) <= {"level", "seed"}:
        with pytest.raises(core.DataError, match=words):
            core.fit_many(formula, [DATA, DATA], **asked)


def test_bands_refuse_what_they_do_not_know():
    """A level in per cent and an unknown kind of band are refused by every curve."""
    for curve in (core.fit(LINE, DATA).curve, core.fit_polynomial(X, Y, 2).curve, core.interpolate(X, Y)):
        for asked in ({"level": 95}, {"of": "median"}, {"sigma": 0.1}):
            with pytest.raises(core.DataError):
                curve.band(3.0, **asked)


def test_a_model_takes_its_columns_by_name_or_is_told():
    """Of three columns none is taken for y because it comes last."""
    data = {"time": X, "signal": Y, "temperature": X * 0 + 20}
    with pytest.raises(core.DataError, match="Say which"):
        core.fit(core.model("straight-line"), data)
    told = core.fit(core.model("straight-line"), data, columns=("time", "signal"))
    assert told.values == pytest.approx(core.fit_polynomial(X, Y, 1).values)
    two = core.fit(core.model("straight-line"), {"time": X, "signal": Y})
    assert two.formula == told.formula
    with pytest.raises(core.DataError, match="no column “speed”"):
        core.fit(core.model("straight-line"), data, columns=("time", "speed"))
    with pytest.raises(core.DataError, match="Say which"):
        core.fit_many(core.model("straight-line"), [data])


EXTREMES = [
    (LINE, X, Y * 1e165, None),
    (LINE, X, Y * 1e-165, None),
    ("y = A*exp(k*x) + C", X, Y * 1e-165, None),
    ("y = A*exp(k*x) + C", X, Y * 1e165, None),
    (LINE, X * 1e-300, Y, None),
    ("y = a + b*x + c*x^2", X * 1e-300, Y, None),
    ("y = A*exp(k*x) + C", X * 1e-300, Y, None),
    (LINE, X, Y, SIGMA * 1e200),
    (LINE, X, Y, SIGMA * 1e-200),
    ("y = A*exp(k*x) + C", X, Y, SIGMA * 1e-200),
    (LINE, X, Y, np.geomspace(1e-90, 1e90, 12)),
    (LINE, X * 1e100, Y * 1e-130, None),
    ("y = a + b*x", 1e14 + np.arange(12.0), Y, None),
    ("y = c*x^2 + b*x + a", 1e9 + np.arange(12.0), Y, None),
    ("y = a*x + b*x^2", 1e9 + np.arange(12.0), Y, None),
]


@pytest.mark.parametrize("case", EXTREMES, ids=range(len(EXTREMES)))
def test_extremes_are_right_or_refused(case):
    """At the ends of the range of numbers a fit is that of the same data in sensible units, or a sentence."""
    formula, x, y, sigma = case
    try:
        told = core.fit(formula, {"x": x, "y": y}, sigma=sigma)
    except core.DataError as error:
        assert "unit" in str(error)
        return
    assert told.r_squared is not None
    unit, size = np.ptp(x) / 12, np.ptp(y)
    near = (
        core.fit_polynomial((x - x[0]) / unit, y / size, len(told.coefficients) - 1) if "C" not in formula else None
    )
    if near is not None and "a + b*x" in formula:
        assert told.r_squared == pytest.approx(near.r_squared, rel=1e-7)
        assert told.curve(x) / size == pytest.approx(near.curve((x - x[0]) / unit), rel=1e-6, abs=1e-6)
        assert told.coefficients["b"].standard_error > 0


def test_a_formula_and_a_polynomial_agree_far_from_zero():
    """x = 10¹⁴ + i: the same digits from both façades, under the names of the formula, whatever their order."""
    x = 1e14 + np.arange(12.0)
    told = core.fit("y = b*x + a", {"x": x, "y": Y})
    line = core.fit_polynomial(x, Y, 1)
    assert (told.coefficients["a"].value, told.coefficients["b"].value) == line.values
    assert told.coefficients["b"].standard_error == line.coefficients["a1"].standard_error
    np.testing.assert_array_equal(told.covariance[::-1, ::-1], line.covariance)
    assert list(told.coefficients) == ["b", "a"]
    np.testing.assert_array_equal(told.curve.coefficient_spread("b"), line.curve.coefficient_spread("a1"))


def test_a_worse_minimum_from_a_given_start_is_met_with_the_better_one():
    """A start on the wrong side of a peak converges to nonsense; the better answer comes with both sums of squares."""
    x = np.linspace(0, 30, 60)
    y = 5 * np.exp(-(((x - 20) / 1.2) ** 2)) + np.random.default_rng(5).normal(0, 0.1, 60)
    told = core.fit("y = A*exp(-((x-c)/w)^2) + B", {"x": x, "y": y}, start={"c": 3.0, "w": 1.0})
    assert told.converged
    assert told.better is not None
    assert told.better.values["c"] == pytest.approx(20, abs=0.1)
    words = told.warnings[-1]
    assert f"{told.sum_of_squares:.6g}" in words
    assert f"{told.better.sum_of_squares:.6g}" in words
    check = checks(told)[0]
    assert (check.kind, check.verdict) == (Kind.CONVERGENCE, Verdict.BAD)
    again = core.fit("y = A*exp(-((x-c)/w)^2) + B", {"x": x, "y": y}, start={"c": 19.0, "w": 2.0})
    assert again.better is None
    assert again.warnings == ()
    wave = core.fit(
        "y = A*sin(2*pi*x/P) + C", {"x": x, "y": np.sin(2 * np.pi * x / 7)}, start={"P": 25.0}, loss="huber"
    )
    assert wave.better is None or wave.better.scale is not None
    assert replace(told, trace=replace(told.trace, beside=None)).warnings == ()


def test_a_column_whose_name_has_a_space_is_one_column_in_comparisons():
    """A polynomial of it and a formula over it are compared: what counts is the same y, however it is written."""
    data = {"hour of day": X, "oxygen made": Y}
    line = core.fit_polynomial(X, Y, 1, names=("hour of day", "oxygen made"))
    decay = core.fit("`oxygen made` = a*exp(k*`hour of day`)", data)
    assert sum(core.akaike_weights([line, decay])) == pytest.approx(1)
    with pytest.raises(core.DataError, match="cannot be compared"):
        core.akaike_weights([line, core.fit("ln(`oxygen made` + 50) = a + k*`hour of day`", data)])
