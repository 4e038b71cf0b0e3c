"""Curves that step at a coefficient: the place is found exactly, and its range holds."""

import numpy as np
import pytest

import vettore.core as core

STEP = "y = if(x < m, a, b)"
X = np.linspace(0, 10, 41)


def stepping(seed=1, at=4.3, high=3.0, noise=0.2, x=X):
    return {"x": x, "y": np.where(x < at, 1.0, high) + np.random.default_rng(seed).normal(0, noise, len(x))}


def by_hand(data):
    """The sum of squares of two means for every gap, and its middle."""
    x, y = data["x"], data["y"]
    out = []
    for place in range(1, len(x)):
        left, right = y[:place], y[place:]
        squares = ((left - left.mean()) ** 2).sum() + ((right - right.mean()) ** 2).sum()
        out.append((squares, (x[place - 1] + x[place]) / 2, left.mean(), right.mean()))
    return out


@pytest.mark.parametrize("seed", range(6))
def test_the_place_is_that_of_the_least_sum_of_squares_of_all(seed):
    """The middle of the best gap; means on both sides; ± with a degree of freedom for the place; the range by Hansen."""
    data = stepping(seed, high=1.6, noise=0.4)
    told, gaps = core.fit(STEP, data), by_hand(data)
    least, place, left, right = min(gaps)
    assert told.coefficients["m"].value == pytest.approx(place)
    assert told.sum_of_squares == pytest.approx(least, rel=1e-9)
    assert (told.coefficients["a"].value, told.coefficients["b"].value) == pytest.approx((left, right))
    count = int((data["x"] < place).sum())
    assert told.degrees_of_freedom == 41 - 3
    assert told.coefficients["a"].standard_error == pytest.approx(np.sqrt(least / 38 / count))
    assert told.curve.standard_error(9.0) == pytest.approx(told.coefficients["b"].standard_error)
    allowed = least * (1 + -2 * np.log(1 - np.sqrt(0.95)) / 38)
    # A gap of one row on a side is a place, too: a mean of one row.
    inside = [middle for squares, middle, *_ in gaps if squares <= allowed]
    m = told.coefficients["m"]
    for edge, end, outermost in ((m.low, min(inside) - 0.125, 0.0), (m.high, max(inside) + 0.125, 10.0)):
        assert edge is None if abs(end - outermost) < 1e-9 else edge == pytest.approx(end)
    assert "where the curve steps" in told.warnings[0]


def test_lines_and_decays_on_both_sides_and_known_errors():
    """Each side is the fit of its rows alone; σ weighs and is known."""
    data = stepping()
    data["y"] = np.where(X < 5.1, 1 + X, 8 * np.exp(-0.2 * (X - 5))) + np.random.default_rng(3).normal(0, 0.1, 41)
    sigma = np.linspace(0.05, 0.15, 41)
    told = core.fit("y = if(x < m, a + b*x, c*exp(-k*x))", data, sigma=sigma, absolute_sigma=True)
    assert told.coefficients["m"].value == pytest.approx(5.125)
    right = data["x"] > 5.1
    alone = core.fit(
        "y = c*exp(-k*x)",
        {name: column[right] for name, column in data.items()},
        sigma=sigma[right],
        absolute_sigma=True,
    )
    for name in "ck":
        assert told.coefficients[name].value == pytest.approx(alone.coefficients[name].value, rel=1e-6)
        assert told.coefficients[name].standard_error == pytest.approx(
            alone.coefficients[name].standard_error, rel=1e-5
        )
    assert told.degrees_of_freedom == 41 - 5
    low, high = core.profile_intervals(told, data, ("k",), sigma)["k"]
    assert low < 0.2 < high
    assert core.bootstrap_intervals(told, data, sigma=sigma, samples=200)["k"] == pytest.approx((low, high), rel=0.1)


def test_two_steps_held_steps_and_limits():
    """Two places by turns; one that is held; one within limits; shuffled rows and blanks change nothing."""
    y = np.where(X < 3.1, 1.0, np.where(X < 7.2, 4.0, 2.0)) + np.random.default_rng(2).normal(0, 0.2, 41)
    formula = "y = if(x < m, a, if(x < n, b, c))"
    told = core.fit(formula, {"x": X, "y": y})
    assert (told.coefficients["m"].value, told.coefficients["n"].value) == pytest.approx((3.125, 7.125))
    order = np.random.default_rng(9).permutation(41)
    mixed = {"x": np.append(X[order], 3.3), "y": np.append(y[order], np.nan)}
    assert core.fit(formula, mixed).values == pytest.approx(told.values)
    held = core.fit(formula, {"x": X, "y": y}, hold={"m": 3.0})
    assert held.coefficients["m"].held
    assert held.coefficients["n"].value == pytest.approx(7.125)
    bounded = core.fit(STEP, stepping(), limits={"m": (5.0, None)})
    assert bounded.coefficients["m"].value > 5.0


def test_ranges_of_a_place_hold():
    """Of 120 sets of a small step, with many places that fit alike, at least as often as they say."""
    held = 0
    for seed in range(120):
        m = core.fit(STEP, stepping(seed, high=1.8, noise=0.5)).coefficients["m"]
        held += (m.low is None or m.low <= 4.3) and (m.high is None or m.high >= 4.3)
    assert held >= 110


def test_many_rows_take_no_longer_than_a_few_looks():
    """Of 20,000 rows gaps are looked at coarsely and then all about the best."""
    x = np.linspace(0, 10, 20_000)
    told = core.fit(STEP, stepping(x=x, high=1.5, noise=0.5))
    assert told.coefficients["m"].value == pytest.approx(4.3, abs=0.02)
    assert told.coefficients["m"].low <= 4.3 <= told.coefficients["m"].high


def test_what_no_place_can_be_told_for_is_refused():
    with pytest.raises(core.DataError, match="all rows lie on one side"):
        core.fit(STEP, {"x": np.ones(9), "y": np.arange(9.0)})
    with pytest.raises(core.DataError, match="within its limits"):
        core.fit(STEP, stepping(), limits={"m": (11, 12)})
