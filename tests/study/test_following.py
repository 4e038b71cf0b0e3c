"""Series filled in between the points of another: at which x, and that they follow it."""

import numpy as np
import pytest

from vettore.core.errors import DataError
from vettore.study import edits, edits_of_curves
from vettore.study.derive_curves import derive_interpolant
from vettore.study.following import MOST_FILLED, places
from vettore.study.kinds.filling import Filling
from vettore.study.kinds.interpolant import InterpolantRecipe
from vettore.study.series import Role
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table

X = np.array([1.0, 2.0, 4.0, 7.0])


def table(x, y):
    return Table(
        (RawColumn("t", "s", np.asarray(x)), RawColumn("y", "m", np.asarray(y))), Source("typed", kind="typed")
    )


@pytest.fixture
def study():
    """A line in four points, and another series with x of its own."""
    made = edits.add_series(Study(), table(X, 3 * X), "line")
    made = edits.add_series(made, table([1.5, np.nan, 6.0], [0.0, 0.0, 0.0]), "other")
    return edits_of_curves.set_interpolant(made, InterpolantRecipe("s1", "linear"))


def at(study, **fields):
    curve = derive_interpolant(study.find_series("s1"), study.interpolant_of("s1"))
    return places(study, Filling("", "s1", **fields), curve).tolist()


def test_the_places_of_every_way(study):
    """Every distance from the first point, a count, a list, and the x of another series without its blank."""
    assert at(study, every=1.5) == [1, 2.5, 4, 5.5, 7]
    assert at(study, every=4.0) == [1, 5]
    assert at(study, every=6.0) == [1, 7]
    assert at(study, count=4) == [1, 3, 5, 7]
    assert at(study, count=2) == [1, 7]
    assert at(study, at=(2.5, 2.0)) == [2.5, 2.0]
    assert at(study, other="s2") == [1.5, 6.0]


@pytest.mark.parametrize(
    ("fields", "words"),
    [
        ({"every": 0.0}, "above zero"),
        ({"every": -1.0}, "above zero"),
        ({"every": 1e-9}, f"the most is {MOST_FILLED:,}"),
        ({"count": 1}, "At least two"),
        ({}, "At least two"),
        ({"count": MOST_FILLED + 1}, "1,000,001 values"),
    ],
)
def test_what_cannot_be_filled_is_refused(study, fields, words):
    """No distance, no count, too many."""
    with pytest.raises(DataError, match=words):
        at(study, **fields)
    no_x = edits.set_column(study, "s2", 0, study.series[1].columns[0].__class__("t", "s", Role.CARRIED, 0))
    with pytest.raises(DataError, match="no column for x"):
        at(no_x, other="s2")


def test_a_filled_series_follows_its_source_until_that_goes(study):
    """A cell typed over, a row set aside, another way to join: it is read again; what has no part in it changes nothing."""
    study = edits_of_curves.add_filling(study, Filling("", "s1", at=(3.0,)), "filled")
    assert study.series[-1].values(Role.Y).tolist() == [9.0]
    assert study.fillings[0].series == study.series[-1].id == "s3"
    typed = edits.set_cell(study, "s1", 2, 1, "20")
    assert typed.series[-1].values(Role.Y).tolist() == [13.0]
    aside = edits.set_rows_aside(study, "s1", [2], "bubble")
    assert aside.series[-1].values(Role.Y).tolist() == [9.0]
    assert edits.set_title(study, "b").series[-1] is study.series[-1]
    read = edits_of_curves.set_interpolant(study, InterpolantRecipe("s1", "linear", read_at=(2.0,)))
    assert read.series[-1] is study.series[-1]
    joined = edits_of_curves.set_interpolant(typed, InterpolantRecipe("s1", "previous"))
    assert joined.series[-1].values(Role.Y).tolist() == [6.0]
    # One point left joins nothing: the values stay.
    nothing = edits.set_rows_aside(study, "s1", [0, 1, 2], "all")
    assert nothing.series[-1].values(Role.Y).tolist() == [9.0]
    gone = edits.remove_series(study, "s1")
    assert (gone.fillings, gone.series[-1].id) == ((), "s3")
    assert gone.series[-1].values(Role.Y).tolist() == [9.0]
