"""What is exported reads back equal, in every format."""

import re
import zipfile

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from vettore.demo.study import demo_study
from vettore.files.readers import read_file
from vettore.files.refusals import FileError
from vettore.files.writers import ENDINGS, write_series
from vettore.study.series import SetAside, new_series
from vettore.study.table import RawColumn, Source, Table, cell_texts


@pytest.mark.parametrize("ending", ENDINGS)
def test_exports_read_back_equal(ending, tmp_path):
    """What is written in any format comes back with the same values, units and marks."""
    series = next(one for one in demo_study().series if one.name.startswith("Oxygen"))
    path = tmp_path / f"oxygen{ending}"
    write_series(series, path)
    again = new_series("s", "again", read_file(path)[0].table)
    columns = {column.name: column for column in again.data}
    for column in series.data[:4]:
        np.testing.assert_array_equal(columns[column.name].values, column.values)
        assert columns[column.name].unit == column.unit
    assert "set aside" in columns
    told = dict(enumerate(cell_texts(columns["set aside"])))
    reasons = {entry.row: entry.reason for entry in series.set_aside}
    assert reasons
    if ending == ".h5":
        assert {row for row, text in told.items() if text == "1.0"} == set(reasons)
    else:
        assert {row: text for row, text in told.items() if text} == reasons


def test_a_row_without_a_reason_is_marked_and_the_headers_name_units(tmp_path):
    """Of three rows the second is aside: its line says yes, the others nothing; without any there is no such column."""
    columns = (
        RawColumn("t", "s", np.array([1.0, 2, 3])),
        RawColumn("note", "", np.full(3, np.nan), texts=("a", "b", "c")),
    )
    series = new_series("s1", "made", Table(columns, Source("made")))
    write_series(series, tmp_path / "whole.csv")
    assert (tmp_path / "whole.csv").read_bytes() == b"t (s),note\r\n1.0,a\r\n2.0,b\r\n3.0,c\r\n"
    write_series(series.changed(set_aside=(SetAside(1, ""),)), tmp_path / "aside.tsv")
    assert (
        tmp_path / "aside.tsv"
    ).read_bytes() == b"t (s)\tnote\tset aside\r\n1.0\ta\t\r\n2.0\tb\tyes\r\n3.0\tc\t\r\n"
    with pytest.raises(FileError, match=r"exported as .csv"):
        write_series(series, tmp_path / "whole.doc")


def any_number(row):
    """A wholly blank row says nothing, and readers pass over it."""
    return any(value is not None for value in row)


cells_of_numbers = st.one_of(st.floats(allow_nan=False, allow_infinity=False, width=64), st.none())


@settings(max_examples=12, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    rows=st.lists(st.lists(cells_of_numbers, min_size=3, max_size=3).filter(any_number), min_size=3, max_size=9),
    ending=st.sampled_from(sorted(ENDINGS)),
)
def test_any_table_written_reads_back_equal(rows, ending, tmp_path):
    """Any numbers with any blanks keep their bits through every format."""
    block = np.array([[np.nan if v is None else v for v in row] for row in [[1.0, 2.0, 3.0], *rows]])
    columns = tuple(RawColumn(name, "", block[:, i].copy()) for i, name in enumerate(("first", "second", "third")))
    series = new_series("s1", "made", Table(columns, Source("made")))
    path = tmp_path / f"any{ending}"
    write_series(series, path)
    again = {column.name: column for column in read_file(path)[0].table.columns}
    for column in columns:
        if np.isfinite(column.values).all() or column.name in again:
            np.testing.assert_array_equal(again[column.name].values, column.values)


def test_what_a_spreadsheet_cannot_hold_is_left_out_and_the_rest_kept(tmp_path):
    """Control characters become spaces; tabs, markup and signs stay."""
    texts = ("a\x01b", "tab\there", '<b>&"', "plain")
    columns = (RawColumn("t", "", np.arange(4.0)), RawColumn("n", "", np.full(4, np.nan), texts=texts))
    write_series(new_series("s1", "made", Table(columns, Source("made"))), tmp_path / "signs.xlsx")
    again = read_file(tmp_path / "signs.xlsx")[0].table
    assert [text.replace("\t", " ") for text in again.columns[1].texts] == ["a b", "tab here", '<b>&"', "plain"]


def test_an_open_document_shows_what_it_holds(tmp_path):
    """Each number stands as a value and as text, so that viewers show all its digits."""
    columns = (RawColumn("t", "s", np.array([0.1, 1 / 3])),)
    write_series(new_series("s1", "made", Table(columns, Source("made"))), tmp_path / "a.ods")
    with zipfile.ZipFile(tmp_path / "a.ods") as archive:
        content = archive.read("content.xml").decode()
    assert re.findall(r"<text:p>([^<]*)</text:p>", content) == ["t (s)", "0.1", "0.3333333333333333"]
    assert 'office:value="0.3333333333333333"' in content


def test_no_cell_of_an_export_is_run_by_a_spreadsheet(tmp_path):
    """Texts that begin like formulas are marked as text; numbers with signs stay numbers; the series keeps its words."""
    words = ("=1+1", "@sum(A1)", "-cmd|x", "+49 30", "-5", "plain", "'kept")
    columns = (
        RawColumn("=x", "m", np.array([1.0, -2, 3e-9, -4, 5, 6, 7])),
        RawColumn("note", "", np.zeros(7), texts=words),
    )
    series = new_series("s1", "made", Table(columns, Source("made")))
    write_series(series, tmp_path / "a.csv")
    lines = (tmp_path / "a.csv").read_text(encoding="utf-8").splitlines()
    assert lines[0] == "'=x (m),note"
    assert [line.split(",")[1] for line in lines[1:]] == [
        "'=1+1",
        "'@sum(A1)",
        "'-cmd|x",
        "'+49 30",
        "-5",
        "plain",
        "'kept",
    ]
    assert [line.split(",")[0] for line in lines[1:3]] == ["1.0", "-2.0"]
    assert series.data[1].texts == words
