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


def test_a_coefficient_goes_with_a_constant_of_each_series():
    """Rates that rise with the pH: slope and intercept of that line are common, and known to their standard errors."""
    rng, t, ph = np.random.default_rng(4), np.linspace(0, 40, 25), {"a": 5.0, "b": 6.0, "c": 7.5, "d": 8.0}
    data = {
        name: {"t": t, "y": 4 * np.exp(-(0.02 + 0.015 * (at - 4)) * t) + rng.normal(0, 0.03, 25)}
        for name, at in ph.items()
    }
    formula = "y = A*exp(-(k0 + k1*(pH - 4))*t)"
    told = core.fit_shared(formula, data, ["k0", "k1"], constants={"pH": ph})
    assert told.labels == ("a", "b", "c", "d")
    for name, true in (("k0", 0.02), ("k1", 0.015)):
        one = told.coefficients[0][name]
        assert abs(one.value - true) < 4 * one.standard_error < 0.1 * true
    # The same as one formula over columns that hold the constant in every row.
    columns = {name: np.concatenate([one[name] for one in data.values()]) for name in ("t", "y")}
    columns |= {"pH": np.repeat(list(ph.values()), 25), "bed": np.repeat(np.arange(4.0), 25)}
    heights = "if(bed < 0.5, A1, if(bed < 1.5, A2, if(bed < 2.5, A3, A4)))"
    whole = core.fit(f"y = ({heights})*exp(-(k0 + k1*(pH - 4))*t)", columns)
    assert told.coefficients[0]["k1"].value == pytest.approx(whole.coefficients["k1"].value, rel=1e-7)
    assert told.coefficients[0]["k1"].standard_error == pytest.approx(
        whole.coefficients["k1"].standard_error, rel=1e-6
    )
    assert told.coefficients[3]["A"].value == pytest.approx(whole.coefficients["A4"].value, rel=1e-7)
    with pytest.raises(core.DataError, match="constant of each series"):
        told.apart  # noqa: B018


def test_limits_and_starts_go_with_every_series():
    """A limit holds for each series' own coefficient; starts lead to the answer of a search without."""
    _, data = six()
    free = core.fit_shared(FORMULA, data, ["k"])
    tight = core.fit_shared(FORMULA, data, ["k"], limits={"C": (None, 1.0), "k": (0, None)})
    assert all(one["C"].value <= 1.0 for one in tight.coefficients)
    assert any(one["C"].at_limit for one in tight.coefficients)
    assert tight.result.sum_of_squares > free.result.sum_of_squares
    begun = core.fit_shared(FORMULA, data, ["k"], start={"k": 0.04})
    assert begun.result.values == pytest.approx(free.result.values, rel=1e-7)
    own = core.fit_shared(FORMULA, data, ["C"], start={"k": [0.04, 0.05, 0.06, 0.05, 0.05, 0.05]})
    assert own.result.sum_of_squares == pytest.approx(core.fit_shared(FORMULA, data, ["C"]).result.sum_of_squares)


def test_what_is_taken_for_common_is_tested_against_the_series_alone():
    """The F of textbooks: sums of squares of the series alone add up; the test holds, and finds what differs."""
    _, data = six()
    told = core.fit_shared(FORMULA, data, ["k"])
    alone = sum(core.fit(FORMULA, one).sum_of_squares for one in data)
    assert told.apart.sum_of_squares == pytest.approx(alone, rel=1e-9)
    test = told.against_apart
    top, bottom = 5, 120 - 18
    assert (test.top, test.bottom) == (top, bottom)
    assert test.f == pytest.approx((told.result.sum_of_squares - alone) / top / (alone / bottom), rel=1e-7)
    assert test.p > 0.05
    t = data[0]["t"]
    data[3] = {"t": t, "y": 6 * np.exp(-0.1 * t) + 1}
    other = core.fit_shared(FORMULA, data, ["k"])
    assert other.against_apart.p < 1e-6
    assert other.apart.aicc < other.result.aicc


@pytest.mark.parametrize(
    ("asked", "said"),
    [
        ({"constants": {"pH": [5.0, 6.0]}}, "6 series were given, but pH for 2"),
        ({"constants": {"t": [5.0] * 6}}, "is a column of the data"),
        ({"start": {"k": [0.1] * 5 + [0.2]}}, "it has one start"),
        ({"start": {"A": [1.0, 2.0]}}, "starts of A for 2"),
        ({"start": {"z": 1.0}}, "no free coefficient"),
        ({"limits": {"z": (0, 1)}}, "no coefficient"),
        ({"sigma": [0.1] * 5}, "sigma for 5"),
    ],
)
def test_what_is_asked_of_a_shared_fit_wrongly_is_told(asked, said):
    _, data = six()
    with pytest.raises(core.DataError, match=said):
        core.fit_shared(FORMULA, data, ["k"], **asked)
