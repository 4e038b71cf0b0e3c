"""The same work on new data: how columns are found, converted, refused, and which numbers come out."""

from dataclasses import replace

import numpy as np
import pytest

from vettore.core.errors import DataError, VettoreError
from vettore.study import edits
from vettore.study.derive import derive_fit
from vettore.study.edits_of_curves import add_area, set_interpolant
from vettore.study.kept_numbers import Outcome, kept_numbers
from vettore.study.kinds.area import AreaRecipe
from vettore.study.kinds.interpolant import InterpolantRecipe
from vettore.study.kinds.readings import PlaceReading, TurnsReading, ValueReading
from vettore.study.replay import MatchedBy, pairings, replayed
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table

T = np.arange(0.0, 60.0, 5.0)


def decay(k=0.04):
    return 6 * np.exp(-k * T) + 2 + 0.01 * np.cos(7 * T)


def table(*columns, name="new.csv"):
    made = [RawColumn(n, u, np.asarray(v, float)) for n, u, v in columns]
    return Table(tuple(made), Source(name))


def words(name, texts):
    return RawColumn(name, "", np.full(len(texts), np.nan), texts=tuple(texts))


@pytest.fixture
def study():
    """A decay of oxygen with all that can be kept of a series."""
    known = table(("time", "min", T), ("oxygen", "mg/L", decay()), ("operator", "", T * 0))
    made = edits.add_series(Study(title="Chamber"), known, "Chamber")
    made = edits.add_model(made, "s1", "exponential-decay-level")
    made = edits.keep(made, ValueReading(curve="c2", at=10.0, name="at ten"))
    made = edits.keep(made, PlaceReading(curve="c2", at=5.0, name="to five"))
    made = edits.keep(made, PlaceReading(curve="c2", at=500.0, name="never"))
    made = edits.keep(made, TurnsReading(curve="c2"))
    made = add_area(made, AreaRecipe("s1", 5.0, 20.0, "trapezoid", name="dose"))
    return set_interpolant(made, InterpolantRecipe("s1", "linear", read_at=(12.0,)))


def new(study, *columns, **asked):
    made, done = replayed(study, [table(*columns)], **asked)
    assert done == ("s1",)
    return made


def same(one, other):
    return derive_fit(one, "c2").result.values == derive_fit(other, "c2").result.values


def test_columns_are_found_by_name_spelling_and_unit(study):
    """In any order, among others; the numbers are those of the same rows in a study made by hand."""
    y = decay(0.06)
    by_hand = edits.add_model(
        edits.add_series(Study(), table(("time", "min", T), ("oxygen", "mg/L", y)), "a"),
        "s1",
        "exponential-decay-level",
    )
    for columns, ways in (
        ((("oxygen", "mg/L", y), ("time", "min", T)), (MatchedBy.NAME, MatchedBy.NAME)),
        ((("Time", "min", T), ("x", "", T), ("OXY_gen", "mg/L", y)), (MatchedBy.SPELLING, MatchedBy.SPELLING)),
        ((("elapsed", "min", T), ("probe", "mg/L", y)), (MatchedBy.UNIT, MatchedBy.UNIT)),
        ((("time", "", T), ("oxygen", "", y)), (MatchedBy.NAME, MatchedBy.NAME)),
    ):
        assert same(new(study, *columns), by_hand)
        found = pairings(study, study.series[0], table(*columns))
        assert tuple(pairing.how for pairing in found[:2]) == ways
        assert (found[2].number, found[2].needed) == (None, False)


def test_by_place_and_by_hand(study):
    """A table without a name in common is taken by place, or column by column."""
    y = decay(0.05)
    placed = new(study, ("a", "", T), ("b", "", y), match="by-place")
    chosen = new(study, ("b", "", y), ("a", "", T), chosen={"time": "a", "oxygen": "b"})
    assert same(placed, chosen)
    assert [column.name for column in placed.series[0].columns] == ["time", "oxygen"]


def test_units_are_converted_or_refused(study):
    """Hours become minutes; volts never become milligrams per litre."""
    y = decay()
    converted = new(study, ("time", "h", T / 60), ("oxygen", "µg/L", y * 1000))
    assert derive_fit(converted, "c2").result.values == pytest.approx(derive_fit(study, "c2").result.values, rel=1e-9)
    assert converted.series[0].data[0].values == pytest.approx(T, rel=1e-14)
    with pytest.raises(DataError, match=r"oxygen is in V in the new data and in mg/L"):
        new(study, ("time", "min", T), ("oxygen", "V", y))


def test_what_is_missing_is_named(study):
    """With what is there; a column of words where numbers are needed, a doubtful unit, a series that is not there."""
    with pytest.raises(DataError, match=r"no column “oxygen”, which is needed as y. Their columns are: time, salt"):
        new(study, ("time", "min", T), ("salt", "g/L", T))
    with pytest.raises(DataError, match="no column “oxygen”"):
        new(study, ("time", "min", T), ("top", "mg/L", T), ("bottom", "mg/L", T))
    low = Table((table(("time", "min", T)).columns[0], words("oxygen", ["low"] * len(T))), Source("a"))
    with pytest.raises(DataError, match="holds words, as “low”"):
        replayed(study, [low])
    with pytest.raises(DataError, match=r"no series “B” with work on it. Its series are: Chamber"):
        new(study, ("time", "min", T), ("oxygen", "mg/L", T), only="B")
    with pytest.raises(VettoreError, match="nothing to do again"):
        replayed(Study(), [table(("a", "", T))])


def test_rows_set_aside_belong_to_the_old_rows(study):
    """And typed-over cells; what was decided of columns and fits stays."""
    renamed = replace(study.series[0].columns[1], name="O2")
    before = edits.set_rows_aside(edits.set_column(study, "s1", 1, renamed), "s1", [3], "spilt")
    made = new(before, ("time", "min", T), ("oxygen", "mg/L", decay()))
    assert made.series[0].set_aside == ()
    assert [column.name for column in made.series[0].columns] == ["time", "O2"]
    assert made.curves == before.curves


def test_every_kept_number_is_told(study):
    """Coefficients with ± and unit, quantities, readings, areas, values between points; those without an answer say why."""
    kept = {one.number: one for one in kept_numbers(study, study.series[0])}
    fit = derive_fit(study, "c2").result
    for name, coefficient in fit.coefficients.items():
        assert (kept[name].value, kept[name].standard_error) == (coefficient.value, coefficient.standard_error)
    assert [kept[name].unit for name in ("A", "k", "C")] == ["mg/L", "1/min", "mg/L"]
    assert kept["half-life"].value == pytest.approx(np.log(2) / fit.coefficients["k"].value)
    values = fit.coefficients
    expected = values["A"].value * np.exp(-values["k"].value * 10) + values["C"].value
    assert kept["at ten"].value == pytest.approx(expected, rel=1e-12)
    assert kept["to five"].unit == "min"
    assert kept["never"].outcome is Outcome.NONE
    assert kept["dose"].unit == "mg·min/L"
    assert kept["at 12"].part == "between points"
    assert kept["R²"].value == fit.r_squared
    assert {one.verdict for one in kept.values() if one.part == "Decay to a level"} <= {"good", "look", "bad"}


def test_a_fit_that_fails_is_a_row_and_not_the_end(study):
    """Two rows are too few for three coefficients; what can be had is there."""
    made = new(study, ("time", "min", [0.0, 30.0]), ("oxygen", "mg/L", [8.0, 4.0]))
    rows = kept_numbers(made, made.series[0])
    assert [row.outcome for row in rows if row.part == "Decay to a level"] == [Outcome.FAILED]
    assert "row" in rows[0].reason
    assert [row.value for row in rows if row.number == "at 12"] == [pytest.approx(6.4)]


def test_a_worked_column_asks_for_what_it_is_made_of():
    """A fit over a worked column needs the columns behind it, and no others."""
    known = table(("t", "s", T), ("raw", "V", decay()), ("blank", "V", 0 * T + 1), ("note", "", T))
    made = edits.add_series(Study(), known, "a")
    made = edits.add_worked_column(made, "s1", "net", "V", "raw - blank")
    made = edits.add_formula(made, "s1", "net = A*exp(-k*t) + C")
    with pytest.raises(DataError, match="no column “raw”"):
        replayed(made, [table(("t", "s", T), ("blank", "V", T))])
    assert replayed(made, [table(("t", "s", T), ("raw", "V", decay(0.1)), ("blank", "V", T * 0))])[1] == ("s1",)
