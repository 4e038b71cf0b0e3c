"""Every kind of part, whatever its fields: written and read back, removed with what rests on it, undone and done again."""

import types
from enum import Enum
from typing import Annotated, Literal, Union, get_args, get_origin

import msgspec
import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from vettore.core.errors import VettoreError
from vettore.files.study_file import study_bytes, study_from_bytes
from vettore.study import edits, parts
from vettore.study.history import History
from vettore.study.kinds.fits import as_formula, as_polynomial, bare
from vettore.study.kinds.formula_fit import FormulaFit
from vettore.study.kinds.listed import KINDS
from vettore.study.kinds.polynomial_fit import PolynomialFit
from vettore.study.kinds.readings import ValueReading
from vettore.study.series import Role
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table

TEXTS = st.text(alphabet="abc xyz²µ\"'<,;|\n", max_size=6)
NUMBERS = st.floats(allow_nan=False, allow_infinity=False)
# Fields that name other parts, and what the base study below has for them.
NAMES = {"series": "s1", "source": "s1", "other": "", "curve": "c2", "fit": "c2", "of": "c2"}


def base():
    """Two series, and two fits of the first."""
    table = Table((RawColumn("t", "s", np.arange(4.0)), RawColumn("y", "m", np.arange(4.0) ** 2)), Source("made"))
    study = edits.add_fit(edits.add_series(Study(), table, "first"), "s1", 1)
    study = edits.add_formula(study, "s1", "y = a + b*t^2")
    return edits.add_series(study, table, "second")


def values(kind):
    """Any value that a type allows."""
    origin, inside = get_origin(kind), get_args(kind)
    if kind in (str, float, bool, int):
        return {str: TEXTS, float: NUMBERS, bool: st.booleans(), int: st.integers(0, 30)}[kind]
    if isinstance(kind, type) and issubclass(kind, Enum):
        return st.sampled_from(kind)
    if origin is Annotated:
        bounds = inside[1]
        if bounds.pattern is not None:
            return st.from_regex(bounds.pattern.replace("$", r"\Z"))
        return st.floats(bounds.ge, bounds.le)
    if origin is Literal:
        return st.sampled_from(inside)
    if origin in (Union, types.UnionType):
        return st.one_of([st.none() if one is type(None) else values(one) for one in inside])
    if origin is tuple and inside[-1] is Ellipsis:
        return st.lists(values(inside[0]), max_size=3).map(tuple)
    if isinstance(kind, type) and issubclass(kind, msgspec.Struct):
        return part_of(kind)
    assert origin is tuple, kind
    return st.tuples(*map(values, inside))


def part_of(kind):
    """Any part of a kind that refers to what the base study has."""
    fields = {
        field.name: st.just(NAMES[field.name]) if field.name in NAMES else values(field.type)
        for field in msgspec.structs.fields(kind)
        if field.name != "id"
    }
    return st.builds(kind, **fields)


@pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind.__struct_config__.tag)
@settings(max_examples=25, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.data())
def test_a_part_of_any_kind_is_kept_changed_undone_and_removed(kind, data):
    """What is added is in the file to the last bit; a change is one step back; removed, nothing else is gone."""
    study = base()
    made = parts.add(study, data.draw(part_of(kind)))
    assert made.parts[:-1] == study.parts
    part = made.parts[-1]
    assert part.id.startswith(kind.letter)
    again = study_from_bytes(study_bytes(made), "a.vettore")
    assert again.parts[-1] == part
    assert [other.id for other in again.parts] == [other.id for other in made.parts]
    assert (again.title, again.counter) == (made.title, made.counter)
    other = data.draw(part_of(kind)).changed(id=part.id)
    history = History(study)
    history.do("add", made)
    history.do("change", parts.change(made, other))
    assert history.study.find(part.id) == other
    assert (history.undo(), history.study.find(part.id)) == ("change", part)
    assert (history.undo(), history.study) == ("add", study)
    assert [history.redo(), history.redo(), history.redo()] == ["add", "change", ""]
    assert history.study.find(part.id) == other
    assert parts.remove(made, part.id).parts == study.parts


@pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind.__struct_config__.tag)
@settings(max_examples=10)
@given(data=st.data())
def test_a_part_goes_with_what_it_rests_on_and_with_nothing_else(kind, data):
    """Without series or curve that it names it is gone; it cannot be added, and a file that names it so is damaged."""
    study = base()
    made = parts.add(study, data.draw(part_of(kind)))
    part = made.parts[-1]
    for identity in ("s1", "c2", "c3", "s4"):
        left = parts.remove(made, identity)
        # Both fits rest on the first series.
        gone = {"s1": {"s1", "c2", "c3"}}.get(identity, {identity})
        rests = not gone.isdisjoint(part.refers_to())
        assert {other.id for other in made.parts} - {other.id for other in left.parts} == (
            gone | ({part.id} if rests else set())
        )
        if rests:
            with pytest.raises(VettoreError, match="no part"):
                parts.add(parts.remove(study, identity), part)


def test_removing_one_series_leaves_the_curves_of_another():
    """Of two series with fits, readings and areas, only what rests on the removed one goes."""
    study = edits.add_fit(base(), "s4", 2)
    study = edits.keep(study, ValueReading(curve="c2", at=1.0, name="one"))
    study = edits.keep(study, ValueReading(curve="c5", at=1.0, name="other"))
    left = edits.remove_series(study, "s1")
    assert [part.id for part in left.parts if part.id != "report"] == ["s4", "c5", "r7"]
    assert [reading.name for reading in left.readings] == ["other"]


def test_after_a_new_edit_there_is_nothing_to_redo():
    """Undone and edited anew, the other future is gone; the labels say what undo and redo would do."""
    history = History(base())
    first = history.study
    history.do("first", edits.set_title(first, "a"))
    history.do("second", edits.set_title(first, "b"))
    history.undo()
    assert (history.undo_label, history.redo_label) == ("first", "second")
    history.do("third", edits.set_title(first, "c"))
    assert (history.redo_label, history.redo(), history.study.title) == ("", "", "c")
    history.mark_kept()
    assert not history.unsaved
    history.undo()
    assert (history.unsaved, history.study.title) == (True, "a")


def test_fits_become_each_other():
    """A polynomial and a formula share id, series, weights and span; what only one of them has is let go or kept."""
    line = PolynomialFit(
        id="c2", series="s1", degree=3, intercept=False, use_errors=True, errors_known=True, span=(0, 2)
    )
    made = as_formula(line, "y = a*t", hold=(("a", 1.0),))
    assert (made.id, made.series, made.use_errors, made.errors_known, made.span) == ("c2", "s1", True, True, (0, 2))
    assert as_formula(made, "y = a*t + b").hold == (("a", 1.0),)
    assert as_polynomial(made, 2) == PolynomialFit(
        id="c2", series="s1", degree=2, use_errors=True, errors_known=True, span=(0, 2)
    )
    assert bare(line) is line
    robust = FormulaFit(series="s1", formula="y = a*t", loss="huber", start=(("a", 2.0),), model="x", seed=4)
    assert bare(robust) == FormulaFit(series="s1", formula="y = a*t", seed=4)


def test_what_is_not_there_is_neither_changed_nor_found():
    """An id that no part has, or that of another kind, is refused in a sentence."""
    study = base()
    with pytest.raises(VettoreError, match="no part “c9”"):
        parts.change(study, PolynomialFit(id="c9", series="s1", degree=1))
    with pytest.raises(VettoreError, match="no series “c2”"):
        study.find_series("c2")
    with pytest.raises(VettoreError, match="no curve “s1”"):
        study.find_curve("s1")
    with pytest.raises(VettoreError, match="stops too early"):
        edits.add_formula(study, "s1", "y = a*")


def test_a_series_is_split_into_one_for_each_column():
    """Each has the x of the first and a column of its own as y; text and what is y already make none."""
    columns = (
        RawColumn("t", "s", np.arange(3.0)),
        RawColumn("a", "m", np.arange(3.0)),
        RawColumn("b", "m", np.arange(3.0) + 5),
        RawColumn("note", "", np.full(3, np.nan), texts=("x", "y", "z")),
        RawColumn("c", "m", np.arange(3.0) + 7),
    )
    study = edits.add_series(Study(), Table(columns, Source("made")), "all")
    study = edits.set_rows_aside(study, "s1", [1], "ice")
    made = edits.split_series(study, "s1")
    assert [(series.id, series.name) for series in made.series] == [
        ("s1", "all"),
        ("s2", "all · b"),
        ("s3", "all · c"),
    ]
    assert [series.values(Role.Y).tolist() for series in made.series[1:]] == [[5, 6, 7], [7, 8, 9]]
    assert all(series.values(Role.X).tolist() == [0, 1, 2] for series in made.series)
    assert [len(series.set_aside) for series in made.series] == [1, 0, 0]
    two = edits.add_series(Study(), Table(columns[:2], Source("made")), "two")
    with pytest.raises(VettoreError, match="no further columns"):
        edits.split_series(two, "s1")
