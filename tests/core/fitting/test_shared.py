"""Several series with common coefficients in one fit."""

import numpy as np
import pytest

import vettore.core as core

FORMULA = "y = A*exp(-k*t) + C"


def six(noise=0.1):
    rng, t = np.random.default_rng(2), np.linspace(0, 60, 20)
    heights = (3.0, 4, 5, 6, 7, 8)
    return heights, [{"t": t, "y": a * np.exp(-0.05 * t) + 1 + rng.normal(0, noise, 20)} for a in heights]


def test_a_common_rate_is_known_better_than_that_of_one_series():
    """The rate is one number; heights are each series' own; all within four standard errors of the truth."""
    heights, data = six()
    together = core.fit_shared(FORMULA, data, ["k"])
    rate = together.coefficients[0]["k"]
    assert all(one["k"] is rate for one in together.coefficients)
    assert abs(rate.value - 0.05) < 4 * rate.standard_error
    assert rate.standard_error < core.fit(FORMULA, data[0]).coefficients["k"].standard_error / 1.5
    for height, one in zip(heights, together.coefficients, strict=True):
        assert abs(one["A"].value - height) < 4 * one["A"].standard_error
    assert together.result.degrees_of_freedom == 120 - 13
    assert [len(rows) for rows in together.rows] == [20] * 6


def test_with_nothing_in_common_it_is_every_series_alone():
    """Values agree with single fits; with everything common, with one fit of all rows."""
    _, data = six()
    apart = core.fit_shared("y = a + b*t", data, [])
    for one, columns in zip(apart.coefficients, data, strict=True):
        alone = core.fit("y = a + b*t", columns)
        assert [c.value for c in one.values()] == pytest.approx(alone.values, rel=1e-9)
    whole = core.fit_shared(FORMULA, data, ["A", "k", "C"])
    joined = {name: np.concatenate([one[name] for one in data]) for name in ("t", "y")}
    assert whole.result.values == pytest.approx(core.fit(FORMULA, joined).values, rel=1e-7)


def test_wrong_requests_are_refused():
    """Too few series, a coefficient that is none."""
    _, data = six()
    with pytest.raises(core.DataError, match="at least two"):
        core.fit_shared(FORMULA, data[:1], ["k"])
    with pytest.raises(core.DataError, match="cannot be common"):
        core.fit_shared(FORMULA, data, ["z"])
