"""What people and instruments write around numbers, and tables that are not quite tables, read as what they are."""

import time

import numpy as np
import pytest

from vettore.files.readers import read_data
from vettore.files.refusals import FileError


def columns(text, name="made.csv"):
    """Names, units and values (texts for columns of text) of the only table in a text."""
    ((_, table),) = read_data(text.encode(), name)
    return [(c.name, c.unit, list(c.texts) if c.texts is not None else c.values.tolist()) for c in table.columns]


def notes(text):
    ((_, table),) = read_data(text.encode(), "made.csv")
    return table.source.notes


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("[S] (µM),v1\n1,2\n2,3.9\n4,7.7\n", [("[S]", "µM", [1, 2, 4]), ("v1", "", [2, 3.9, 7.7])]),
        (
            "c;y (mV)\n1;0,67 ± 0,04\n2;1,31 ± 0,05\n3;1,98 ± 0,04\n",
            [("c", "", [1, 2, 3]), ("y", "mV", [0.67, 1.31, 1.98]), ("± y", "mV", [0.04, 0.05, 0.04])],
        ),
        (
            "c,y\n1,0.67+/-0.04\n2,1.31+/-0.05\n",
            [("c", "", [1, 2]), ("y", "", [0.67, 1.31]), ("± y", "", [0.04, 0.05])],
        ),
        ("x,y\n1,12 %\n2,15 %\n3,22.5 %\n", [("x", "", [1, 2, 3]), ("y", "%", [12, 15, 22.5])]),
        ("x;cost\n1;12,50 €\n2;13,00 €\n", [("x", "", [1, 2]), ("cost", "€", [12.5, 13])]),
        ("x,m\n1,12.5 mg/L\n2,14 mg/L\n", [("x", "", [1, 2]), ("m", "mg/L", [12.5, 14])]),
        ("x,m\n1,12.5 mg\n2,13.5 g\n", [("x", "", [1, 2]), ("m", "", ["12.5 mg", "13.5 g"])]),
        ("x,y\n–1.5,2\n‒0.5,3\n0.5,4\n", [("x", "", [-1.5, -0.5, 0.5]), ("y", "", [2, 3, 4])]),
        ("x;y\n1;1,23,456.5\n2;12,34,567.5\n", [("x", "", [1, 2]), ("y", "", [123456.5, 1234567.5])]),
        ("a,,b,,c\n1,2,3\n2,3,4\n3,4,5\n", [("a", "", [1, 2, 3]), ("b", "", [2, 3, 4]), ("c", "", [3, 4, 5])]),
        (
            "sample,sample,blank\nt (s),y (mg),y (mg)\n1,2,0.1\n2,4,0.2\n",
            [("t", "s", [1, 2]), ("sample y", "mg", [2, 4]), ("blank y", "mg", [0.1, 0.2])],
        ),
        ("id,y\n1E5,2.1\n1E6,2.2\n2E5,3\n", [("id", "", ["1E5", "1E6", "2E5"]), ("y", "", [2.1, 2.2, 3])]),
        ("tube,y\n1E5,2.1\n2A5,2.2\n", [("tube", "", ["1E5", "2A5"]), ("y", "", [2.1, 2.2])]),
        ("x,y\n1E5,2.1\n1E6,2.2\n2E5,3\n", [("x", "", [1e5, 1e6, 2e5]), ("y", "", [2.1, 2.2, 3])]),
        ("a,b\n1,2\n2,3\na,b\n3,4\n", [("a", "", [1, 2, 3]), ("b", "", [2, 3, 4])]),
        ("x,y\n1,2\n2,3\n3,4\nTotal,9\n", [("x", "", [1, 2, 3]), ("y", "", [2, 3, 4])]),
        ("x,y\n1,2\n2,3\n3,4\nMean,3\nSD,1\n", [("x", "", [1, 2, 3]), ("y", "", [2, 3, 4])]),
        ("[1] bench 3\nx,y\n1,2\n2,3\n", [("x", "", [1, 2]), ("y", "", [2, 3])]),
    ],
)
def test_a_table_is_read_as_it_is_meant(text, wanted):
    """Each kind by an example; what is taken apart says so, and what is left out stands among the notes."""
    assert columns(text) == wanted


def test_what_is_left_out_is_kept_as_a_note():
    """Sums at the end and names that come again are not lost."""
    assert notes("x,y\n1,2\n2,3\n3,4\nTotal,9\n") == ("Total,9",)
    assert notes("a,b\n1,2\n2,3\na,b\n3,4\n") == ("a,b",)


def test_a_blank_cell_in_aligned_columns_shifts_nothing():
    """Where columns stand below each other their places tell; where they do not the row is shorter, as before."""
    names, cells = zip(
        *(
            (c[0], c[2])
            for c in columns("time  temp  flow\n  0   12.1   3\n  1          4\n  2   12.9   5\n", "a.txt")
        ),
        strict=True,
    )
    assert names == ("time", "temp", "flow")
    np.testing.assert_array_equal(cells, [[0, 1, 2], [12.1, np.nan, 12.9], [3, 4, 5]])
    short = columns("a b c\n1 2 3\n4 5\n6 7 8\n", "b.txt")
    np.testing.assert_array_equal(short[2][2], [3, np.nan, 8])


@pytest.mark.parametrize("mark", [",", ";", "\t"])
def test_one_long_row_among_many_is_refused_before_room_is_made(mark):
    """A text of 100 kB would take gigabytes of blank cells."""
    text = f"1{mark}2\n" * 8000 + mark.join(["3"] * 4900) + "\n" + f"1{mark}2\n" * 8000
    with pytest.raises(FileError, match="a row of 4,900 cells"):
        read_data(text.encode(), "long.csv")


@pytest.mark.parametrize(
    "inner",
    [b"<" * 100_000, b"<!--" * 30_000, b"</" * 100_000, b"<?" * 60_000, b"<![CDATA[" * 30_000, b"<td>1" * 30_000],
)
def test_an_unclosed_page_takes_time_in_proportion(inner):
    """Twice as much takes about twice as long: not four times, as with a parser that looks again from every mark."""

    def spent(times):
        begun = time.process_time()
        try:
            html_grid("<table><tr><td>1" + (inner * times).decode(), "page.html")
        except FileError as error:
            assert str(error).endswith(".")
        return time.process_time() - begun

    from vettore.files.clipboard import html_grid

    spent(1)
    assert spent(4) < 3 * 4 * max(spent(1), 0.02)


@pytest.mark.parametrize("said", ["Total:", "mean", "Std.Dev :", "Summe", "Mittelwert:", "SD"])
def test_rows_that_sum_up_are_told_from_data_however_they_are_called(said):
    assert columns(f"x,y\n1,2\n2,3\n3,4\n{said},9\n") == [("x", "", [1, 2, 3]), ("y", "", [2, 3, 4])]
    assert notes(f"x,y\n1,2\n2,3\n3,4\n{said},9\n") == (f"{said},9",)
