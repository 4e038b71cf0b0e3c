"""Edits make new studies; undoing all of them gives the first back; raw values never change."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import vettore.core as core
from vettore.core.errors import DataError
from vettore.demo.study import demo_study
from vettore.study import edits
from vettore.study.derive import derive_fit, derive_reading
from vettore.study.history import History
from vettore.study.kinds.readings import PlaceReading, ValueReading
from vettore.study.series import ColumnSettings, Role, guess_roles
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table


def table(n=12):
    x = np.arange(n, dtype=float)
    y = 1 + 2 * x + np.sin(3 * x)
    note = tuple("ok" for _ in range(n))
    columns = (
        RawColumn("t", "s", x),
        RawColumn("v", "m", y),
        RawColumn("sd", "m", np.full(n, 0.1)),
        RawColumn("note", "", np.full(n, np.nan), texts=note),
    )
    return Table(columns, Source("made-up.csv"))


STEPS = st.lists(
    st.one_of(
        st.tuples(st.just("aside"), st.sets(st.integers(0, 11), min_size=1, max_size=4)),
        st.tuples(st.just("back"), st.sets(st.integers(0, 11), min_size=1, max_size=4)),
        st.tuples(st.just("fit"), st.integers(0, 4)),
        st.tuples(st.just("keep"), st.floats(-5, 20)),
        st.tuples(st.just("role"), st.sampled_from([Role.X, Role.Y, Role.CARRIED, Role.Y_ERROR])),
        st.tuples(st.just("rename"), st.text(max_size=5)),
        st.tuples(
            st.just("cell"), st.tuples(st.integers(0, 11), st.integers(0, 2), st.sampled_from(["1,5", "", "n/a"]))
        ),
        st.tuples(st.just("work"), st.sampled_from(["2 t", "ln(v) - row", "slope"])),
        st.tuples(st.just("sort"), st.booleans()),
        st.tuples(st.just("move"), st.integers(0, 2)),
    ),
    max_size=12,
)


def apply(study, step):
    kind, value = step
    series = study.series[0].id
    if kind == "aside":
        return edits.set_rows_aside(study, series, value, "why not")
    if kind == "back":
        return edits.bring_rows_back(study, series, value)
    if kind == "fit":
        return edits.add_fit(study, series, value)
    if kind == "keep":
        return edits.keep(study, ValueReading(curve=study.curves[-1].id, at=value)) if study.curves else study
    if kind == "role":
        place = next(i for i, column in enumerate(study.series[0].columns) if column.name == "sd")
        return edits.set_column(study, series, place, replace(study.series[0].columns[place], role=value))
    if kind == "cell":
        places = [i for i, column in enumerate(study.series[0].columns) if column.raw == value[1]]
        return edits.set_cell(study, series, value[0], places[0], value[2])
    if kind == "work":
        return edits.add_worked_column(study, series, f"c{study.counter}-{len(study.series[0].columns)}", "", value)
    if kind == "sort":
        return edits.sort_rows(study, series, 0, value)
    if kind == "move":
        return edits.move_column(study, series, value, 0)
    return edits.rename_series(study, series, value)


@settings(max_examples=60)
@given(STEPS)
def test_undoing_everything_gives_the_first_study_back(steps):
    """Undo returns the very same studies in reverse, redo the later ones; values keep their bits."""
    raw = table()
    before = [column.values.tobytes() for column in raw.columns]
    history = History(edits.add_series(Study(), raw, "one"))
    states = [history.study]
    for step in steps:
        try:
            later = apply(history.study, step)
        except DataError:
            # What is refused changes nothing: a slope without a column for x, for one.
            continue
        history.do(step[0], later)
        states.append(history.study)
    for state in reversed(states[:-1]):
        assert history.undo()
        assert history.study is state
    assert history.undo() == ""
    assert not history.unsaved
    for state in states[1:]:
        assert history.redo()
        assert history.study is state
    assert [column.values.tobytes() for column in history.study.series[0].table.columns] == before
    with pytest.raises(ValueError, match="read-only"):
        raw.columns[0].values[0] = 1.0


def test_fits_and_readings_follow_the_rows():
    """Setting a row aside changes the fit and its readings; bringing it back restores them to the bit."""
    study = edits.add_fit(edits.add_series(Study(), table(), "one"), "s1", 1)
    curve = study.curves[0].id
    study = edits.keep(study, ValueReading(curve=curve, at=4.5))
    study = edits.keep(study, PlaceReading(curve=curve, at=9.0))
    first = derive_fit(study, curve).result
    without = edits.set_rows_aside(study, "s1", [3, 11], "spike")
    fewer = derive_fit(without, curve)
    assert fewer.result.values != first.values
    assert fewer.rows.tolist() == [0, 1, 2, 4, 5, 6, 7, 8, 9, 10]
    value, where = (derive_reading(without, reading) for reading in without.readings)
    assert value.value == pytest.approx(float(fewer.result.curve(4.5)))
    assert [n.row for n in value.neighbours] == [4, 5]
    assert where.crossings[0].x == pytest.approx((9.0 - fewer.result.values[0]) / fewer.result.values[1])
    again = derive_fit(edits.bring_rows_back(without, "s1", [3, 11]), curve).result
    assert again.values == first.values
    beyond = edits.keep(study, ValueReading(curve=curve, at=50.0))
    assert derive_reading(beyond, beyond.readings[-1]).beyond
    assert derive_fit(study, curve).result is first


def test_roles_are_guessed_and_single():
    """The first numbers are x and y, one named like an uncertainty is ± of y, and a role has one bearer."""
    assert guess_roles(table().columns) == (Role.X, Role.Y, Role.Y_ERROR, Role.TEXT)
    study = edits.add_series(Study(), table(), "one")
    study = edits.set_column(study, "s1", 2, ColumnSettings("sd", "m", Role.X))
    assert [column.role for column in study.series[0].columns] == [Role.CARRIED, Role.Y, Role.X, Role.TEXT]
    with pytest.raises(core.DataError, match="holds text"):
        edits.set_column(study, "s1", 3, ColumnSettings("note", "", Role.Y))
    with pytest.raises(core.DataError, match="12 rows; row 99"):
        edits.set_rows_aside(study, "s1", [98], "")
    lonely = edits.add_fit(edits.set_column(study, "s1", 1, ColumnSettings("v", "m", Role.CARRIED)), "s1", 1)
    with pytest.raises(core.DataError, match="no column for y"):
        derive_fit(lonely, "c2")


def test_removing_a_series_takes_its_curves_and_readings_along():
    """Nothing is left that refers to what is gone."""
    study = edits.add_fit(edits.add_series(Study(), table(), "one"), "s1", 1)
    study = edits.keep(study, ValueReading(curve="c2", at=1.0))
    gone = edits.remove_series(study, "s1")
    assert (gone.series, gone.curves, gone.readings) == ((), (), ())
    assert gone.reported_curve is None
    assert edits.remove_fit(study, "c2").readings == ()
    assert edits.drop_reading(study, "r3").readings == ()


def test_a_series_moves_among_the_series_and_stays_at_the_ends():
    """Up and down by one; other parts stay where they are."""
    study = demo_study()
    order = [series.id for series in study.series]
    down = edits.move_series(study, order[0], 1)
    assert [series.id for series in down.series] == [order[1], order[0], *order[2:]]
    up = edits.move_series(study, order[2], -1)
    assert [series.id for series in up.series] == [order[0], order[2], order[1], *order[3:]]
    assert edits.move_series(study, order[0], -1) is study
    assert edits.move_series(study, order[-1], 1) is study
    assert [part.id for part in down.parts if part.id not in order] == [
        part.id for part in study.parts if part.id not in order
    ]


def test_series_made_of_further_columns_leave_the_errors_to_the_first():
    """Each further column is the y of its own series, with the same x; the ± was that of the column it stood beside."""
    rng = np.random.default_rng(1)
    columns = tuple(RawColumn(name, "m", rng.normal(size=6)) for name in ("t", "v", "sd", "w", "z"))
    study = edits.add_series(Study(), Table(columns, Source("made-up.csv")), "probe")
    roles = (Role.X, Role.Y, Role.Y_ERROR, Role.CARRIED, Role.CARRIED)
    for place, role in enumerate(roles):
        study = edits.set_column(study, "s1", place, replace(study.series[0].columns[place], role=role))
    study = edits.set_rows_aside(study, "s1", [2], "")
    made = edits.split_series(study, "s1")
    assert [series.name for series in made.series] == ["probe", "probe · w", "probe · z"]
    assert made.series[0] == study.series[0]
    for series, name in zip(made.series[1:], "wz", strict=True):
        assert [c.name for c in series.columns if c.role is Role.Y] == [name]
        assert [c.name for c in series.columns if c.role is Role.X] == ["t"]
        assert not [c.name for c in series.columns if c.role is Role.Y_ERROR]
        assert not series.set_aside
    with pytest.raises(DataError, match="no further columns"):
        edits.split_series(edits.add_series(Study(), table(), "a"), "s1")
