"""What may be given for a column: arrays of all kinds, tables of others, dates, masks, blanks; all of it said."""

from datetime import date, datetime, timedelta
from decimal import Decimal

import numpy as np
import pandas as pd
import pint
import pytest

import vettore.core as core
from vettore.core.arrays import as_values, remarks_on
from vettore.core.interpolation.methods import METHODS

NAN = np.nan


class Foreign:
    """A column of another library, that turns itself into an array."""

    def __init__(self, array):
        self.array = array

    def to_numpy(self):
        return self.array


DAY = np.datetime64("2026-06-03T10:00:00")
HOURS = DAY + np.arange(6) * np.timedelta64(1, "h")
LATE = np.array([*HOURS[:3], np.datetime64("NaT"), *HOURS[4:]])

GIVEN = {
    "integers": (np.arange(3), [0, 1, 2]),
    "None": ([1, None, 3.5], [1, NAN, 3.5]),
    "decimals": ([Decimal("1.5"), 2], [1.5, 2]),
    "masked": (np.ma.array([1.0, 99.0, 3.0], mask=[False, True, False]), [1, NAN, 3]),
    "masked integers": (np.ma.array([1, 99, 3], mask=[False, True, False]), [1, NAN, 3]),
    "pandas NA": (pd.array([1, pd.NA, 3], dtype="Int64"), [1, NAN, 3]),
    "pandas series": (pd.Series([1.0, None, 3.0]), [1, NAN, 3]),
    "pandas objects": (pd.Series([1, pd.NA, 3], dtype=object), [1, NAN, 3]),
    "foreign": (Foreign(np.array([1.0, NAN, 3.0])), [1, NAN, 3]),
    "foreign objects": (Foreign(np.array([1, None, 3], dtype=object)), [1, NAN, 3]),
    "quantity": (pint.UnitRegistry().Quantity(np.array([1.0, 2.0]), "mm"), [1, 2]),
    "dates": (HOURS, [0, 1, 2, 3, 4, 5]),
    "dates with NaT": (LATE, [0, 1, 2, NAN, 4, 5]),
    "pandas dates": (pd.Series(pd.to_datetime(["2026-06-03", None, "2026-06-13"])), [0, NAN, 10]),
    "days": ([date(2026, 6, 3), None, date(2026, 6, 13)], [0, NAN, 10]),
    "moments": ([datetime(2026, 6, 3, 10, 0, 0), datetime(2026, 6, 3, 10, 0, 2)], [0, 2]),
    "durations": ([timedelta(minutes=30), timedelta(hours=2), None], [30, 120, NAN]),
    "masked dates": (np.ma.array(HOURS, mask=[0, 0, 0, 1, 0, 0]), [0, 1, 2, NAN, 4, 5]),
    "beyond all": ([1, 10**400], [1, np.inf]),
}


@pytest.mark.parametrize("name", GIVEN)
def test_a_column_is_what_was_meant(name):
    """Blanks of every kind are NaN; dates are elapsed time, never bare counts."""
    given, expected = GIVEN[name]
    np.testing.assert_allclose(as_values(given, "t"), expected)


@pytest.mark.parametrize(
    ("given", "words"),
    [
        (LATE, "t was given as dates; its values are the time since 2026-06-03 10:00:00 in h."),
        (GIVEN["durations"][0], "in min"),
        (GIVEN["quantity"][0], "given in millimeter"),
        ([2**53 + 1, 2**53 + 2], "Row 1 of t hold whole numbers of more digits"),
        (np.array([2**60 + 1], dtype=np.int64), "rounded"),
    ],
)
def test_what_was_done_to_a_column_is_said_by_all_that_use_it(given, words):
    """In the warnings of fits and the notes of curves and areas."""
    assert words in remarks_on({"t": given})[0].sentence
    if len(given) == 6:
        y = np.array([1.0, 3, 5, 7, 9, 11.2])
        for told in (
            core.fit("y = a + b*t", {"t": given, "y": y}).warnings,
            core.fit_polynomial(given, y, 1, names=("t", "y")).warnings,
            core.interpolate(given, y).notes,
            core.integrate(given, y).notes,
        ):
            assert any("given as dates" in text for text in told)
        assert core.fit("y = a + b*t", {"t": given, "y": y}).left_out == (4,)
        many = core.fit_many("y = a + b*t", [{"t": given, "y": y}] * 2)
        np.testing.assert_allclose(many.values[0], core.fit("y = a + b*t", {"t": given, "y": y}).values)


def test_what_is_masked_is_not_used():
    """An outlier under a mask changes nothing, in one fit and in many."""
    x = np.arange(8.0)
    y = np.ma.array(2 + 3 * x, mask=x == 4)
    y.data[4] = 1e6
    told = core.fit("y = a + b*x", {"x": x, "y": y})
    assert told.values == pytest.approx((2, 3))
    assert told.left_out == (5,)
    np.testing.assert_allclose(core.fit_many("y = a + b*x", [{"x": x, "y": y}]).values, [[2, 3]])
    assert core.describe(y).blank == 1


@pytest.mark.parametrize("given", [["a", "b"], np.ones((2, 2)), np.array([1 + 2j]), [[1], [2]]])
def test_what_is_no_column_of_numbers_is_refused_by_name(given):
    """Words, tables and complex numbers."""
    with pytest.raises(core.DataError, match="speed"):
        as_values(given, "speed")


X = np.linspace(1, 10, 15)
DATA = {"x": X, "y": 5 * np.exp(-0.3 * X)}


@pytest.mark.parametrize(
    "given",
    [
        {"start": 5},
        {"start": {"k": "a"}},
        {"hold": {"k": None}},
        {"hold": ["k"]},
        {"limits": {"k": 1}},
        {"limits": {"k": ("a", 2)}},
        {"limits": {"k": (0, 1, 2)}},
        {"limits": [1]},
        {"level": None},
        {"level": "95"},
        {"level": [0.9]},
        {"loss": None},
        {"sigma": "s"},
        {"sigma": {"q": 1}},
        {"seed": 1.5},
        {"data": [1, 2]},
        {"formula": 5},
    ],
)
def test_what_cannot_be_asked_of_a_fit_is_refused_in_a_sentence(given):
    """Never a traceback from inside, whatever kind of thing is given."""
    with pytest.raises(core.VettoreError, match=r"\.|\)$"):
        core.fit(**{"formula": "y = A*exp(-k*x)", "data": DATA, **given})


@pytest.mark.parametrize(
    "ask",
    [
        lambda: core.integrate(X, X, a="a"),
        lambda: core.integrate_function("x", 0, 1, rule="gauss"),
        lambda: core.integrate_function("x", 0, 1, strips=2.5),
        lambda: core.integrate_function("x", "a", 1),
        lambda: core.integrate_function("x", 0, np.nan),
        lambda: core.integrate_function("x", 0, 1, at=["a"]),
        lambda: core.integrate_function("x", 0, 1, at=5),
        lambda: core.Polynomial(["a"]),
        lambda: core.Polynomial([1, np.nan]),
    ],
)
def test_what_cannot_be_asked_of_areas_and_polynomials_is_refused_in_a_sentence(ask):
    """The same beside fits."""
    with pytest.raises(core.VettoreError):
        ask()


@pytest.mark.parametrize("method", [name for name in METHODS if name != "periodic"])
@pytest.mark.parametrize(("unit_x", "unit_y"), [(1e50, 1.0), (1e-50, 1.0), (1.0, 1e50), (1e20, 1e-50)])
def test_curves_are_the_same_in_every_unit(method, unit_x, unit_y):
    """Also where x and y are very large or small."""
    x, y = X[:12] ** 1.3, np.sin(X[:12])
    at = np.array([3.3, 7.1])
    curve = core.interpolate(x * unit_x, y * unit_y, method=method)
    np.testing.assert_allclose(curve(at * unit_x) / unit_y, core.interpolate(x, y, method=method)(at), rtol=1e-6)


@pytest.mark.parametrize(("unit_x", "unit_y"), [(1e200, 1.0), (1e-200, 1.0), (1.0, 1e200), (1.0, 1e-200)])
def test_what_leaves_the_range_of_numbers_is_refused(unit_x, unit_y):
    """Curves and areas; a description scales, and only its variance is missing."""
    y = np.sin(X)
    for ask in (core.interpolate, core.integrate):
        with pytest.raises(core.DataError, match="Change its unit"):
            ask(X * unit_x, y * unit_y)
    told, plain = core.describe(y * unit_y), core.describe(y)
    assert told.standard_deviation == pytest.approx(plain.standard_deviation * unit_y)
    assert (told.variance is None) == (unit_y != 1)


def test_points_that_all_but_touch_are_refused():
    """A slope between them would leave the range of numbers."""
    with pytest.raises(core.DataError, match="only 1e-200 apart"):
        core.interpolate([0, 1e-200, 1, 2], [0, 1, 2, 3])
