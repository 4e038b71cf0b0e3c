"""Losses that forgive outliers, and limits that hold."""

import numpy as np
import pytest

import vettore.core as core

FORMULA = "y = A*exp(-k*t) + C"
TRUTH = {"A": 6.0, "k": 0.04, "C": 2.0}


def made(noise=0.1, seed=3, rows=60):
    return core.practice(FORMULA, TRUTH, x=np.linspace(0, 90, rows), noise=noise, seed=seed)


@pytest.mark.parametrize("loss", ["huber", "cauchy", "tukey"])
def test_a_robust_loss_finds_the_curve_under_outliers(loss):
    """One row in ten is far off; the truth stays within four standard errors, and the rows are named."""
    data = made()
    y = data.y.copy()
    y[5::10] += 8.0
    result = core.fit(FORMULA, {"t": data.x, "y": y}, loss=loss)
    plain = core.fit(FORMULA, {"t": data.x, "y": y})
    for name, true in TRUTH.items():
        one = result.coefficients[name]
        assert abs(one.value - true) < 4 * one.standard_error + (0.3 * abs(true) if loss == "huber" else 0)
    assert abs(result.values[2] - 2) < abs(plain.values[2] - 2)
    assert set(range(6, 61, 10)) <= set(result.weighted_down)
    assert loss in result.method
    clean = core.fit(FORMULA, {"t": data.x, "y": data.y}, loss=loss)
    ordinary = core.fit(FORMULA, {"t": data.x, "y": data.y})
    for one, other in zip(clean.coefficients.values(), ordinary.coefficients.values(), strict=True):
        assert abs(one.value - other.value) < other.standard_error
        assert one.standard_error == pytest.approx(other.standard_error, rel=0.35)


def test_a_robust_line_agrees_with_its_estimating_equations():
    """Σ ψ(r/s)·x = 0 at Huber's answer, which no step of the search assumes."""
    rng = np.random.default_rng(8)
    x = np.linspace(0, 10, 40)
    y = 1 + 2 * x + rng.standard_t(2, 40)
    result = core.fit("y = a + b*x", {"x": x, "y": y}, loss="huber")
    u = result.residuals / result.residual_sd
    psi = np.clip(u, -1.345, 1.345)
    assert abs(psi.sum()) < 1e-7
    assert abs(psi @ x) < 1e-6


def test_limits_bind_where_the_answer_lies_outside_and_not_where_it_lies_inside():
    """A coefficient at its limit is said and has no standard error; the rest is what holding it there gives."""
    data = made()
    columns = {"t": data.x, "y": data.y}
    free = core.fit(FORMULA, columns)
    loose = core.fit(FORMULA, columns, limits={"k": (0, 1), "C": (None, 10)})
    np.testing.assert_allclose(loose.values, free.values, rtol=1e-8)
    for name, limits, at in (("C", (0, 1.5), 1.5), ("k", (0.06, None), 0.06)):
        bound = core.fit(FORMULA, columns, limits={name: limits})
        held = core.fit(FORMULA, columns, hold={name: at})
        one = bound.coefficients[name]
        assert one.at_limit
        assert one.value == at
        assert one.standard_error is None
        np.testing.assert_allclose(bound.values, held.values, rtol=1e-7)
        assert any("at its limit" in text for text in bound.warnings)
    line = core.fit("y = a + b*t", columns, limits={"a": (0, 3)})
    assert line.coefficients["a"].value == 3
    assert core.fit("y = a + b*t", columns, limits={"a": (0, 30)}).method == "linear least squares"


@pytest.mark.parametrize(
    ("asked", "words"),
    [
        ({"limits": {"z": (0, 1)}}, "no coefficient"),
        ({"limits": {"k": (1, 0)}}, "lower must be below"),
        ({"limits": {"k": (0, 1)}, "hold": {"k": 0.5}}, "held at a value"),
        ({"loss": "kind"}, "The losses are"),
        ({"start": {"z": 1}}, "no coefficient"),
    ],
)
def test_wrong_requests_are_refused(asked, words):
    """In a sentence, before anything is computed."""
    data = made()
    with pytest.raises(core.DataError, match=words):
        core.fit(FORMULA, {"t": data.x, "y": data.y}, **asked)


def test_a_partial_start_and_a_start_without_values():
    """Given starts are used; where the model has no value there, a search is made and said."""
    data = made()
    columns = {"t": data.x, "y": data.y}
    part = core.fit("y = A*exp(-k*t) + B*exp(-q*t)", columns, start={"k": 0.05})
    assert part.converged
    bad = core.fit("y = A*ln(t + m) + C", columns, start={"m": -5.0})
    assert "searched for" in bad.warnings[0]


def test_a_large_fit_by_blocks_agrees_with_the_rows_as_a_whole():
    """60,000 rows: coefficients to 1e-10, standard errors and leverage too."""
    data = made(rows=60_000)
    columns = {"t": data.x, "y": data.y}
    blocks = core.fit(FORMULA, columns)
    whole = core.fit(FORMULA, columns, limits={"k": (0, 10)})
    np.testing.assert_allclose(blocks.values, whole.values, rtol=1e-10)
    np.testing.assert_allclose(blocks.covariance, whole.covariance, rtol=1e-6)
    np.testing.assert_allclose(blocks.leverage, whole.leverage, rtol=1e-5)
    assert blocks.leverage.sum() == pytest.approx(3, rel=1e-6)
