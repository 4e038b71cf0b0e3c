"""Fits of counts: published values, a witness of generalised linear models, a general solver, and coverage."""

import numpy as np
import pytest
from scipy.optimize import minimize
from scipy.stats import binom, chi2, poisson

from vettore import core
from vettore.core.errors import DataError
from vettore.core.fitting.after.compare import akaike_weights
from vettore.core.fitting.after.intervals import bootstrap_intervals, profile_intervals
from vettore.core.fitting.noises.counts import tails
from vettore.core.fitting.record import Noise

X = np.linspace(0, 10, 25)


def scored(design, y, link, trials=None):
    """The witness: iteratively reweighted least squares of a generalised linear model; coefficients and their errors."""
    n = np.ones(len(y)) if trials is None else trials
    mu = (y + 0.5) if trials is None else (y * n + 0.5) / (n + 1)
    for _ in range(100):
        eta, slope, variance = {
            "log": lambda m: (np.log(m), m, m),
            "identity": lambda m: (m, np.ones_like(m), m),
            "logit": lambda m: (np.log(m / (1 - m)), m * (1 - m), m * (1 - m) / n),
        }[link](mu)
        root = slope / np.sqrt(variance)
        c, *_ = np.linalg.lstsq(root[:, None] * design, root * (eta + (y - mu) / slope), rcond=None)
        eta = design @ c
        mu = {"log": np.exp, "identity": lambda e: e, "logit": lambda e: 1 / (1 + np.exp(-e))}[link](eta)
    return c, np.sqrt(np.diag(np.linalg.inv((root[:, None] * design).T @ (root[:, None] * design))))


def told(result):
    return (
        np.array([one.value for one in result.coefficients.values()]),
        np.array([one.standard_error for one in result.coefficients.values()]),
    )


def test_published_counts():
    """Two classical tables (Dobson 1990: counts by outcome and treatment; mortality of beetles), to the digits given."""
    counts = np.array([18, 17, 15, 20, 10, 20, 25, 13, 12.0])
    second = np.tile([0, 1.0, 0], 3)
    third = np.tile([0, 0, 1.0], 3)
    by2, by3 = np.repeat([0, 1.0, 0], 3), np.repeat([0, 0, 1.0], 3)
    data = {"y": counts, "u": second, "v": third, "p": by2, "q": by3}
    result = core.fit("y = exp(a + b*u + c*v + d*p + f*q)", data, noise="poisson")
    values, errors = told(result)
    assert values[:3] == pytest.approx([3.045, -0.4543, -0.2930], abs=6e-4)
    assert errors == pytest.approx([0.1709, 0.2022, 0.1927, 0.2000, 0.2000], abs=6e-5)
    assert result.deviance == pytest.approx(5.1291, abs=6e-5)
    assert result.deviance_of_mean == pytest.approx(10.5814, abs=6e-5)
    dose = np.array([1.6907, 1.7242, 1.7552, 1.7842, 1.8113, 1.8369, 1.8610, 1.8839])
    trials = np.array([59, 60, 62, 56, 63, 59, 62, 60.0])
    killed = np.array([6, 13, 18, 28, 52, 53, 61, 60.0])
    result = core.fit(
        "y = 1/(1 + exp(-(a + b*x)))", {"x": dose, "y": killed / trials}, noise="binomial", trials=trials
    )
    values, errors = told(result)
    assert values == pytest.approx([-60.717, 34.270], abs=6e-4)
    assert errors == pytest.approx([5.181, 2.912], abs=6e-4)
    assert result.deviance == pytest.approx(11.2322, abs=6e-5)


@pytest.mark.parametrize("mean", [2, 5, 20, 100])
@pytest.mark.parametrize(
    ("formula", "link"), [("y = exp(a + b*x)", "log"), ("y = a + b*x", "identity")], ids=["log", "identity"]
)
def test_poisson_as_the_witness(formula, link, mean):
    """Estimates and standard errors to 1e-8."""
    rng = np.random.default_rng(mean)
    mu = mean * np.exp(-X / 8) if link == "log" else mean * (0.6 + 0.1 * X)
    y = rng.poisson(mu).astype(float)
    result = core.fit(formula, {"x": X, "y": y}, noise="poisson")
    expected = scored(np.column_stack([np.ones(25), X]), y, link)
    for found, right in zip(told(result), expected, strict=True):
        assert found == pytest.approx(right, rel=1e-8)
    assert result.method == "greatest likelihood of Poisson counts"


@pytest.mark.parametrize("whole", [1.0, 100.0])
def test_binomial_as_the_witness(whole):
    """Shares and per cent alike; one number of trials is that of every row."""
    rng = np.random.default_rng(1)
    share = rng.binomial(12, 1 / (1 + np.exp(5 - X))) / 12
    formula = f"y = {whole:g}/(1 + exp(-(a + b*x)))"
    result = core.fit(formula, {"x": X, "y": share * whole}, noise="binomial", trials=12, whole=whole)
    expected = scored(np.column_stack([np.ones(25), X]), share, "logit", np.full(25, 12.0))
    for found, right in zip(told(result), expected, strict=True):
        assert found == pytest.approx(right, rel=1e-8)
    # The likelihood itself, from another's code.
    mu, k = result.fitted / whole, np.round(share * 12)
    likelihood = 2 * np.sum(binom.logpmf(k, 12, share) - binom.logpmf(k, 12, mu))
    assert result.deviance == pytest.approx(likelihood, rel=1e-9)


def deviance_of(c, y):
    mu = c[0] * np.exp(-c[1] * X) + c[2]
    return np.inf if (mu <= 0).any() else -2 * np.sum(poisson.logpmf(y, mu))


def test_any_formula_as_a_general_solver():
    """A decay to a level, which no generalised linear model is; its ranges end where the likelihood says."""
    y = np.random.default_rng(4).poisson(20 * np.exp(-0.4 * X) + 3).astype(float)
    result = core.fit("y = A*exp(-k*x) + C", {"x": X, "y": y}, noise="poisson")
    values, _ = told(result)
    there = minimize(deviance_of, values * 1.02, (y,), "Nelder-Mead", options={"xatol": 1e-10, "fatol": 1e-13})
    assert values == pytest.approx(there.x, rel=1e-6)
    saturated = -2 * np.sum(poisson.logpmf(y, np.where(y > 0, y, 1e-300)))
    assert result.deviance == pytest.approx(deviance_of(values, y) - saturated, rel=1e-9)
    k = result.coefficients["k"]
    for end in (k.low, k.high):
        other = minimize(
            lambda c, end=end: deviance_of((c[0], end, c[1]), y),
            values[[0, 2]],
            method="Nelder-Mead",
            options={"xatol": 1e-9, "fatol": 1e-12},
        )
        assert other.fun - there.fun == pytest.approx(chi2.ppf(0.95, 1), abs=1e-5)
    assert profile_intervals(result, {"x": X, "y": y})["k"] == (k.low, k.high)
    with pytest.raises(DataError, match="counts"):
        bootstrap_intervals(result, {"x": X, "y": y})


@pytest.mark.parametrize("mean", [2, 5])
def test_ranges_hold(mean):
    """Of 150 sets of known counts in 95 of 100, whatever the mean; docs/ACCURACY.md has more of them."""
    rng, held = np.random.default_rng(mean), 0
    mu = mean * np.exp(0.7 - X / 8)
    for _ in range(150):
        y = rng.poisson(mu).astype(float)
        one = core.fit("y = A*exp(-k*x)", {"x": X, "y": y}, noise="poisson", start={"k": 0.1}).coefficients["k"]
        held += (one.low is None or one.low <= 1 / 8) and (one.high is None or one.high >= 1 / 8)
    assert 0.9 <= held / 150 <= 0.99


def test_what_follows_from_the_deviance():
    """Share of the deviance, criteria, and weights between models of the same counts."""
    y = np.random.default_rng(2).poisson(30 * np.exp(-X / 4)).astype(float)
    data = {"x": X, "y": y}
    curve = core.fit("y = A*exp(-x/T)", data, noise="poisson")
    line = core.fit("y = exp(a)", data, noise="poisson")
    assert line.deviance == pytest.approx(curve.deviance_of_mean, rel=1e-9)
    assert curve.r_squared == pytest.approx(1 - curve.deviance / line.deviance, rel=1e-9)
    assert curve.aicc == pytest.approx(curve.deviance + 4 + 2 * 2 * 3 / (25 - 3))
    assert curve.bic == pytest.approx(curve.deviance + 2 * np.log(25))
    assert curve.deviance_p == pytest.approx(chi2.sf(curve.deviance, 23))
    assert float(np.sum(curve.details.signed_deviance**2)) == pytest.approx(curve.deviance)
    assert curve.chi_squared == pytest.approx(float(np.sum((y - curve.fitted) ** 2 / curve.fitted)))
    assert akaike_weights([curve, line])[0] > 0.999999
    with pytest.raises(DataError, match="noise"):
        akaike_weights([curve, core.fit("y = A*exp(-x/T)", data)])


def test_a_start_below_zero_is_led_to_a_curve_above_it():
    """A straight line by least squares that crosses zero is bent up on the way; an impossible formula is refused."""
    y = np.array([30, 14, 8, 5, 3, 2, 2, 1, 1, 1.0])
    x = np.arange(10.0)
    assert (core.fit("y = a + b*x", {"x": x, "y": y}).fitted < 0).any()
    result = core.fit("y = a + b*x", {"x": x, "y": y}, noise="poisson")
    assert result.converged
    assert (result.fitted > 0).all()
    there = minimize(
        lambda c: -np.sum(poisson.logpmf(y, c[0] + c[1] * x)) if c[0] + 9 * c[1] > 0 < c[0] else np.inf,
        [20.0, -2.0],
        method="Nelder-Mead",
        options={"xatol": 1e-9, "fatol": 1e-12},
    )
    assert result.values == pytest.approx(there.x, rel=1e-6)
    for formula, counts in (("y = -exp(a + b*x)", y), ("y = a + b*x", np.where(x > 4, 0, y))):
        with pytest.raises(DataError, match="stays above 0"):
            core.fit(formula, {"x": x, "y": counts}, noise="poisson")


def test_held_limited_and_left_out():
    """Held coefficients stay, limits are kept, rows without a number are left out with their trials."""
    y = np.random.default_rng(5).poisson(9 * np.exp(-X / 5) + 2).astype(float)
    y[3] = np.nan
    data = {"x": X, "y": y}
    result = core.fit("y = A*exp(-x/T) + C", data, noise="poisson", hold={"C": 2.0}, limits={"T": (None, 3.0)})
    assert result.coefficients["C"].value == 2.0
    assert result.coefficients["T"].value == 3.0
    assert result.coefficients["T"].at_limit
    assert result.left_out == (4,)
    share = np.where(np.isnan(y), np.nan, np.clip(y / 20, 0, 1))
    trials = np.where(np.isnan(y), np.nan, 20.0)
    assert core.fit("y = 1/(1 + exp(a + b*x))", {"x": X, "y": share}, noise="binomial", trials=trials).n == 24


@pytest.mark.parametrize(
    ("options", "words"),
    [
        ({"noise": "gamma"}, "There is no noise “gamma”. It is normal, poisson, binomial."),
        ({"noise": "poisson", "sigma": 1.0}, "takes no ± of x or y"),
        ({"noise": "poisson", "loss": "huber"}, "no other loss"),
        ({"noise": "poisson", "trials": 5}, "are for shares"),
        ({"noise": "binomial"}, "needs trials"),
        ({"noise": "binomial", "trials": [1.0, 2.0]}, "trials has 2 entries"),
        ({"noise": "binomial", "trials": 4}, "Shares are from 0 to 1, and row 2 holds none"),
        ({"noise": "binomial", "trials": [3, 0, 3, 3]}, "no number above 0 in row 2"),
    ],
)
def test_what_are_no_counts_is_refused(options, words):
    data = {"x": [1.0, 2, 3, 4], "y": [0.0, 2, 1, 1]}
    with pytest.raises(DataError, match=words.replace("“", ".").replace("”", ".")):
        core.fit("y = exp(a + b*x)", data, **options)


def test_broken_counts_are_named():
    with pytest.raises(DataError, match="rows 2–3 hold none"):
        core.fit("y = exp(a + b*x)", {"x": [1.0, 2, 3, 4], "y": [1, 2.5, -1, 4]}, noise="poisson")
    with pytest.raises(DataError, match="write y, not"):
        core.fit("ln(y) = a + b*x", {"x": [1.0, 2, 3, 4], "y": [1, 2.0, 1, 4]}, noise="poisson")
    assert Noise("poisson") is Noise.POISSON


def test_how_rare_a_count_is_by_its_own_law():
    """As the distributions themselves say, on the nearer side, doubled."""
    y = np.random.default_rng(6).poisson(8 * np.exp(-X / 6)).astype(float)
    result = core.fit("y = A*exp(-k*x)", {"x": X, "y": y}, noise="poisson")
    near = np.minimum(poisson.cdf(y, result.fitted), poisson.sf(y - 1, result.fitted))
    assert tails(result) == pytest.approx(np.minimum(2 * near, 1))
    k = np.random.default_rng(7).binomial(9, 1 / (1 + np.exp(5 - X)))
    result = core.fit("y = 1/(1 + exp(-(a + b*x)))", {"x": X, "y": k / 9}, noise="binomial", trials=9)
    near = np.minimum(binom.cdf(k, 9, result.fitted), binom.sf(k - 1, 9, result.fitted))
    assert tails(result) == pytest.approx(np.minimum(2 * near, 1))


def test_a_step_from_none_to_all_is_said_to_have_no_bound():
    """The steeper the better the likelihood: nothing can be told, and that is said."""
    with pytest.raises(DataError, match="ever more steeply"):
        core.fit("y = 1/(1 + exp(-(x - m)/w))", {"x": X, "y": (X > 5).astype(float)}, noise="binomial", trials=4)
