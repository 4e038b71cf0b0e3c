"""Decisions that show in what is printed later: names, roles, which fit is reported, what is kept as saved."""

import numpy as np
import pytest

from vettore.core.errors import DataError, VettoreError
from vettore.core.models.catalogue import CATALOGUE
from vettore.core.models.model import Model
from vettore.study import edits, parts
from vettore.study.history import History
from vettore.study.kinds.readings import FormulaReading, ValueReading
from vettore.study.series import Role
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table


def numbers(name, *values, unit=""):
    return RawColumn(name, unit, np.array(values, dtype=float))


def words(name, *texts):
    return RawColumn(name, "", np.full(len(texts), np.nan), texts=texts)


@pytest.fixture
def study():
    """A series of three columns, typed here."""
    table = Table(
        (numbers("t", 0, 1, 2), numbers("y", 1, 3, 5), words("note", "a", "b", "c")), Source("typed", kind="typed")
    )
    return edits.add_series(Study(), table, "typed")


def test_the_last_fit_made_is_the_one_reported(study):
    """Each new fit of any kind takes the report; when it goes, the report falls back to the last one left."""
    study = edits.add_fit(study, "s1", 1)
    assert study.reported_curve.id == study.report.curve == "c2"
    study = edits.add_formula(study, "s1", "y = a*t")
    assert study.reported_curve.id == "c3"
    study = edits.set_report(study, study.report.changed(curve="c2"))
    study = edits.add_model(study, "s1", "straight-line")
    assert study.report.curve == study.reported_curve.id == "c4"
    assert edits.remove_fit(study, "c4").reported_curve.id == "c3"
    assert study.report.note == ""


def test_models_of_the_catalogue_and_of_ones_own_keep_their_names(study):
    """One by its key, the other by what the user called it; both over the columns of the series."""
    catalogue = edits.add_model(study, "s1", "exponential-decay").curves[-1]
    assert (catalogue.model, catalogue.called, catalogue.name) == (
        "exponential-decay",
        "",
        CATALOGUE["exponential-decay"].name,
    )
    own = edits.add_model(study, "s1", Model("my-line", "My line", "own", "y = p + q*x", "", {})).curves[-1]
    assert (own.model, own.called, own.name) == ("", "My line", "My line")
    assert own.formula == "y = p + q*t"
    no_y = edits.set_column(study, "s1", 1, study.series[0].columns[1].__class__("y", "", Role.CARRIED, 1))
    with pytest.raises(DataError, match="no column for y"):
        edits.add_model(no_y, "s1", "straight-line")


def test_roles_follow_cells_that_become_words_or_numbers(study):
    """A column typed over with words is text; numbers again, it is carried along; others keep their roles."""
    table = study.series[0].table
    worded = edits.set_table(
        study, "s1", Table((table.columns[0], words("y", "x", "y", "z"), table.columns[2]), table.source)
    )
    assert [column.role for column in worded.series[0].columns] == [Role.X, Role.TEXT, Role.TEXT]
    back = edits.set_table(
        worded, "s1", Table((table.columns[0], table.columns[1], numbers("note", 1, 2, 3)), table.source)
    )
    assert [column.role for column in back.series[0].columns] == [Role.X, Role.CARRIED, Role.CARRIED]
    plain = edits.set_table(study, "s1", table)
    assert [column.role for column in plain.series[0].columns] == [Role.X, Role.Y, Role.TEXT]


def test_names_of_readings_are_apart_and_followed(study):
    """A second one of a name gets a number; renaming reaches formulas of the same curve and no others."""
    study = edits.add_fit(edits.add_fit(study, "s1", 1), "s1", 0)
    for curve in ("c2", "c3"):
        study = edits.keep(study, ValueReading(curve=curve, at=1.0, name="here"))
        study = edits.keep(study, ValueReading(curve=curve, at=1.5, name="here"))
        study = edits.keep(study, FormulaReading(curve=curve, formula="d = here2 - here", name="d"))
    assert [reading.name for reading in study.readings] == ["here", "here2", "d"] * 2
    renamed = edits.rename_reading(study, study.readings[0].id, "there")
    assert [reading.name for reading in renamed.readings] == ["there", "here2", "d", "here", "here2", "d"]
    assert [reading.formula for reading in renamed.all(FormulaReading)] == ["d = here2 - there", "d = here2 - here"]
    assert edits.rename_reading(study, study.readings[0].id, "here").readings == study.readings
    with pytest.raises(DataError, match="called here2 already"):
        edits.rename_reading(study, study.readings[0].id, "here2")
    with pytest.raises(VettoreError, match="no part “c9”"):
        parts.change(study, study.readings[0].changed(curve="c9"))


def test_showing_another_fit_is_no_step_but_is_not_on_disk_either(study):
    """The report shows another fit: there is nothing to undo, and saved is what was saved, by what it holds."""
    history = History(study)
    history.mark_kept()
    shown = edits.set_title(study, "shown")
    history.amend(shown)
    assert (history.study, history.unsaved, history.undo_label) == (shown, True, "")
    history.amend(edits.set_title(shown, study.title))
    assert not history.unsaved
    history.do("edit", edits.set_title(study, "edited"))
    history.amend(edits.set_title(study, "shown again"))
    assert (history.study.title, history.unsaved, history.undo_label) == ("shown again", True, "edit")
    history.mark_kept()
    history.mark_changed()
    assert history.unsaved


def test_a_column_typed_beside_others_is_shown_with_them(study):
    """It is added once, carried along, or y where there is none yet; what is there already stays as it is."""
    table = study.series[0].table
    wider = Table((*table.columns, numbers("z", 7, 8, 9, unit="m")), table.source)
    more = edits.set_table(study, "s1", wider)
    assert [(c.name, c.unit, c.role, c.raw) for c in more.series[0].columns[3:]] == [("z", "m", Role.CARRIED, 3)]
    assert edits.set_table(more, "s1", wider).series[0].columns == more.series[0].columns
    hidden = edits.remove_column(study, "s1", 1)
    assert [c.name for c in edits.set_table(hidden, "s1", table).series[0].columns] == ["t", "note"]
