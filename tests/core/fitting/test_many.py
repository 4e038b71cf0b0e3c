"""Many series at once give what each gives alone."""

import numpy as np
import pytest

import vettore.core as core

FORMULA = "y = A*exp(-k*t) + C"


def series(count, rows=24, seed=1):
    rng = np.random.default_rng(seed)
    out = []
    for _ in range(count):
        t = np.linspace(0, 90, rng.integers(rows // 2, rows + 1))
        y = rng.uniform(3, 8) * np.exp(-rng.uniform(0.02, 0.1) * t) + 2 + rng.normal(0, 0.1, len(t))
        out.append({"t": t, "y": y})
    return out


@pytest.mark.parametrize("start", [None, {"k": 0.05}])
def test_every_fit_agrees_with_the_fit_alone(start):
    """Unequal lengths and blanks included; values, standard errors and the full results."""
    data = series(30)
    data[3]["y"][2] = np.nan
    many = core.fit_many(FORMULA, data, start=start)
    assert len(many) == 30
    assert many.converged.all()
    for i in (0, 3, 17):
        alone = core.fit(FORMULA, data[i])
        np.testing.assert_allclose(many.values[i], alone.values, rtol=1e-8)
        errors = [one.standard_error for one in alone.coefficients.values()]
        np.testing.assert_allclose(many.standard_errors[i], errors, rtol=1e-6)
        assert many[i].aicc == pytest.approx(alone.aicc)
        assert many[i].n == alone.n
        np.testing.assert_allclose(many[i].leverage, alone.leverage, atol=1e-8)
    assert [one.n for one in many[:2]] == [one.n for one in list(many)[:2]]


def test_linear_formulas_and_held_coefficients_go_the_same_way():
    """A line over many series, and a decay with its level held."""
    data = series(5)
    for formula, hold in (("y = a + b*t", None), (FORMULA, {"C": 2.0})):
        many = core.fit_many(formula, data, hold=hold)
        for i in range(5):
            alone = core.fit(formula, data[i], hold=hold)
            free = [one.value for one in alone.coefficients.values() if not one.held]
            np.testing.assert_allclose(many.values[i], free, rtol=1e-9)


def test_what_cannot_be_fitted_is_named_by_its_number():
    """Too few rows, a missing column, no series."""
    data = series(3)
    with pytest.raises(core.DataError, match="Series 2 has 2 rows"):
        core.fit_many(FORMULA, [data[0], {"t": [1, 2], "y": [3, 4]}, data[2]])
    with pytest.raises(core.DataError, match="Series 3 has no column"):
        core.fit_many(FORMULA, [data[0], data[1], {"t": [1, 2]}])
    with pytest.raises(core.DataError, match="no series"):
        core.fit_many(FORMULA, [])
