"""Columns in use follow from raw ones and decisions; made series hold what they say."""

import numpy as np
import pytest

import vettore.core as core
from vettore.core.columns.differences import slope_through_neighbours
from vettore.study import edits, making
from vettore.study.series import ColumnSettings, ErrorKind, ErrorOfY, Role
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table


def study():
    x, y = np.array([0.0, 1, 2, 2, 4]), np.array([1.0, 2, 4, 6, np.nan])
    raw = (
        RawColumn("t", "s", x, places=0),
        RawColumn("v", "m", y, {4: "n/a"}),
        RawColumn("note", "", x * np.nan, texts=tuple("abcde")),
    )
    return edits.add_series(Study(), Table(raw, Source("f")), "one")


def column(of, name):
    series = of.series[0]
    return next(c for c in series.data if c.name == name)


def test_worked_columns_are_live():
    """They follow edits, other worked columns, renaming and conversion; blanks stay blank."""
    one = edits.add_worked_column(study(), "s1", "c", "", "ln(v) + row")
    one = edits.add_worked_column(one, "s1", "d", "", "2c")
    np.testing.assert_allclose(column(one, "d").values[:4], 2 * (np.log([1, 2, 4, 6]) + np.arange(1, 5)))
    assert np.isnan(column(one, "d").values[4])
    one = edits.set_cell(one, "s1", 4, 1, "8,5")
    assert column(one, "v").values[4] == 8.5
    assert column(one, "d").values[4] == pytest.approx(2 * (np.log(8.5) + 5))
    one = edits.set_column(one, "s1", 1, ColumnSettings("my v", "cm", Role.Y, 1, factor=100.0))
    assert column(one, "my v").values[0] == 100
    assert one.series[0].columns[3].formula == "ln(`my v`) + row"
    assert column(one, "c").values[0] == pytest.approx(np.log(100) + 1)
    assert np.isnan(one.series[0].table.columns[1].values[4])
    assert column(edits.revert_cell(one, "s1", 4, 1), "my v").words == {4: "n/a"}


def test_worked_columns_that_cannot_be_worked_out_say_why():
    """Unknown names, text, circles and taken names are refused; a later fault leaves a blank column that says why."""
    for formula, words in (("zz + 1", "no column “zz”"), ("note + 1", "holds text"), ("c + 1", "no column “c”")):
        with pytest.raises(core.VettoreError, match=words):
            edits.add_worked_column(study(), "s1", "c", "", formula)
    with pytest.raises(core.DataError, match="already"):
        edits.add_worked_column(study(), "s1", "v", "", "t")
    one = edits.add_worked_column(edits.add_worked_column(study(), "s1", "c", "", "t"), "s1", "d", "", "c")
    circle = edits.set_column(one, "s1", 3, ColumnSettings("c", "", Role.CARRIED, None, "d + 1"))
    assert "refers to itself" in column(circle, "c").problem
    gone = edits.remove_column(one, "s1", 3)
    assert "no column “c”" in column(gone, "d").problem


def test_slope_is_exact_for_parabolas_at_any_spacing():
    """The slope through neighbours is that of a parabola, in any order of rows; repeats share theirs."""
    x = np.array([3.0, 0.0, 1.0, 7.0, 1.0, 4.5])
    slope = slope_through_neighbours(x, 2 + x - 3 * x**2)
    np.testing.assert_allclose(slope, 1 - 6 * x, atol=1e-12)
    assert np.isnan(slope_through_neighbours(np.ones(3), np.arange(3.0))).all()
    one = edits.add_worked_column(study(), "s1", "rate", "m/s", "slope")
    assert np.isfinite(column(one, "rate").values[:4]).all()


def test_order_errors_and_removal():
    """Sorting shows rows in another order but keeps their numbers; the ± of y has three sources."""
    one = edits.sort_rows(study(), "s1", 1, falling=True)
    assert one.series[0].order.tolist() == [3, 2, 1, 0, 4]
    assert edits.unsort_rows(one, "s1").series[0].order.tolist() == [0, 1, 2, 3, 4]
    moved = edits.move_column(one, "s1", 1, 0)
    assert [c.name for c in moved.series[0].columns] == ["v", "t", "note"]
    assert moved.series[0].order.tolist() == [3, 2, 1, 0, 4]
    percent = edits.set_error_of_y(one, "s1", ErrorOfY(ErrorKind.PERCENT, 5.0)).series[0]
    np.testing.assert_allclose(percent.sigma[:2], [0.05, 0.1])
    assert edits.set_error_of_y(one, "s1", ErrorOfY(ErrorKind.CONSTANT, 0.2)).series[0].sigma.tolist() == [0.2] * 5
    with pytest.raises(core.DataError, match="above zero"):
        edits.set_error_of_y(one, "s1", ErrorOfY(ErrorKind.CONSTANT, 0.0))


def test_new_data_under_the_same_recipes():
    """Columns are found by name wherever they stand now; a used column that is missing is refused."""
    one = edits.add_fit(edits.add_worked_column(study(), "s1", "c", "", "2 t"), "s1", 1)
    new = Table((RawColumn("v", "m", np.array([5.0, 6])), RawColumn("t", "s", np.array([1.0, 2]))), Source("g"))
    renewed = edits.renew_series(one, "s1", new).series[0]
    assert renewed.values(Role.X).tolist() == [1, 2]
    assert renewed.data[-1].values.tolist() == [2, 4]
    with pytest.raises(core.DataError, match="no column “v”"):
        edits.renew_series(one, "s1", Table(new.columns[1:], Source("h")))


def test_made_series():
    """Averages have their standard error and count; thinning and medians leave the original alone."""
    series = study().series[0]
    averages = making.averages_of_repeats(series)
    assert [c.values.tolist() for c in averages.columns[:2]] == [[0, 1, 2], [1, 2, 5]]
    assert averages.columns[2].values[2] == pytest.approx(1.0)
    assert averages.columns[3].values.tolist() == [1, 1, 2]
    across = {c.name: c.values for c in making.across_columns(series, [0, 1]).columns}
    assert across["mean"][:2].tolist() == [0.5, 1.5]
    assert across["count"].tolist() == [2, 2, 2, 2, 1]
    assert across["standard deviation"][0] == pytest.approx(np.sqrt(0.5))
    assert np.isnan(across["standard deviation"][4])
    assert making.every_nth(series, 2).columns[1].values.tolist() == [1, 4]
    assert making.moving_median(series, 3).columns[1].values.tolist() == [1, 2, 4, 6]
    with pytest.raises(core.DataError, match="odd number"):
        making.moving_median(series, 2)


def test_typed_tables_grow_and_shrink():
    """Blocks are written anywhere, rows come and go, and sequences are exact."""
    table = making.write_block(making.empty_table(), 0, 0, [["0", "1,5"], ["1", "2.5", "ok"]])
    assert [c.values.tolist()[:2] for c in table.columns[:2]] == [[0, 1], [1.5, 2.5]]
    assert table.columns[2].texts == ("", "ok")
    table = making.write_block(table, 3, 1, [["x"]])
    assert (table.rows, table.columns[1].words) == (4, {3: "x"})
    table = making.insert_rows(table, 1, 2)
    assert (table.rows, table.columns[0].values[3]) == (6, 1)
    table = making.delete_rows(table, [1, 2, 4, 5])
    assert table.columns[1].values.tolist() == [1.5, 2.5]
    assert making.filled_sequence(0, 4, 0.1, None, False) == ["0.0", "0.1", "0.2", "0.3"]
    assert [float(v) for v in making.filled_sequence(1, 3, None, 100, True)] == [1, 10, 100]
    with pytest.raises(core.DataError, match="at least one row"):
        making.delete_rows(table, [0, 1])


def test_taking_a_column_out_keeps_the_order_of_the_rows():
    """The sorted column stays the sorted one, wherever it then stands; taken out itself, the rows are as they came."""
    table = Table(
        tuple(
            RawColumn(name, "", np.array(values))
            for name, values in (("a", [1.0, 2]), ("b", [4.0, 3]), ("c", [6.0, 5]))
        ),
        Source("t"),
    )
    study = edits.sort_rows(edits.add_series(Study(), table, "t"), "s1", 1, False)
    assert edits.remove_column(study, "s1", 0).series[0].sort == (0, False)
    assert edits.remove_column(study, "s1", 2).series[0].sort == (1, False)
    assert edits.remove_column(study, "s1", 1).series[0].sort is None
