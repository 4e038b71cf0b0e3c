"""A known ± in per cent of the curve: coefficients by their equations, ranges by coverage, and what it refuses."""

import numpy as np
import pytest

from vettore import core

X = np.linspace(0.0, 20.0, 30)


def decay(seed, share=0.05):
    curve = 8 * np.exp(-0.2 * X) + 0.5
    return curve * (1 + share * np.random.default_rng(seed).normal(size=len(X)))


def test_the_answer_solves_its_equations():
    """Generalised least squares: Jᵀ (y − μ)/σ² = 0 with σ = p μ at the answer, the covariance (Jᵀ J/σ²)⁻¹ as known."""
    y = decay(3)
    fit = core.fit("y = A*exp(-k*t) + C", {"t": X, "y": y}, noise="percent", noise_size=5)
    a, k, c = (fit.coefficients[name].value for name in "AkC")
    mu = a * np.exp(-k * X) + c
    slopes = np.column_stack([np.exp(-k * X), -a * X * np.exp(-k * X), np.ones(len(X))]) / (0.05 * mu)[:, None]
    missed = (y - mu) / (0.05 * mu)
    assert np.abs(slopes.T @ missed).max() < 1e-5 * np.linalg.norm(slopes) * np.linalg.norm(missed)
    errors = np.sqrt(np.diag(np.linalg.inv(slopes.T @ slopes)))
    assert [fit.coefficients[name].standard_error for name in "AkC"] == pytest.approx(errors, rel=1e-6)
    assert fit.chi_squared == pytest.approx(missed @ missed, rel=1e-6)
    assert (fit.noise, fit.absolute_sigma, fit.details.spread.b, fit.details.spread.p) == (
        "percent",
        True,
        0.05,
        None,
    )
    assert fit.sigma == pytest.approx(0.05 * mu, rel=1e-6)


def test_ranges_hold():
    """95 % ranges of 150 sets hold in 91 to 99 %."""
    inside = 0
    for seed in range(150):
        y = (3 + 2 * X) * (1 + 0.05 * np.random.default_rng([seed, 1]).normal(size=len(X)))
        b = core.fit("y = a + b*x", {"x": X, "y": y}, noise="percent", noise_size=5).coefficients["b"]
        inside += b.low <= 2 <= b.high
    assert 0.91 <= inside / 150 <= 0.99


def test_a_measurement_scatters_as_the_curve_does():
    """So an x that is read backwards, and the band of new rows, have the ± of the curve where they are."""
    x = X + 1
    fit = core.fit("y = a + b*x", {"x": x, "y": 2 * x + 3}, noise="percent", noise_size=3)
    assert fit.curve.scatter(np.array([2.0, 10.0])) == pytest.approx([0.21, 0.69])


def test_on_the_command_line(tmp_path, run):
    """It is asked for like any other, said in words, and the number goes along."""
    file = tmp_path / "decay.csv"
    file.write_text("t,y\n" + "".join(f"{x},{y}\n" for x, y in zip(X, decay(3), strict=True)))
    asked = ("fit", file, "--formula", "y = A*exp(-k*t) + C", "--noise", "percent")
    assert run(*asked, "--noise-size", "5", "--report", tmp_path / "r.md")[0] == 0
    report = (tmp_path / "r.md").read_text()
    assert "Generalised least squares with weights 1/σ² from a known σ of 5 % of the curve" in report
    assert run(*asked)[0] == 2
    assert "needs noise_size: the ± of y in per cent of the curve" in run(*asked)[2]


@pytest.mark.parametrize(
    ("options", "why"),
    [
        ({}, "needs noise_size: the ± of y in per cent of the curve"),
        ({"noise_size": 0.0}, "is a number above 0; 0 was given"),
        ({"noise_size": float("nan")}, "must be a number"),
        ({"noise_size": 2, "sigma": 0.1}, "known by its number: a percent fit takes no other"),
        ({"noise_size": 2, "loss": "huber"}, "no other loss"),
        ({"noise_size": 2, "trials": 5}, "trials and whole are for shares"),
    ],
)
def test_what_it_cannot_heed_is_refused(options, why):
    with pytest.raises(core.DataError, match=why):
        core.fit("y = a + b*t", {"t": X, "y": X + 1}, noise="percent", **options)
    with pytest.raises(core.DataError, match="“growing” needs none"):
        core.fit("y = a + b*t", {"t": X, "y": X + 1}, noise="growing", noise_size=2)


def test_a_curve_that_comes_to_nought_is_refused_by_its_row():
    with pytest.raises(core.DataError, match="comes to 0, as in row 1"):
        core.fit("y = b*t", {"t": X, "y": 2 * X}, noise="percent", noise_size=2)
