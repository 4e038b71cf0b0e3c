"""Text tables are read as a person would read them; what cannot be read is refused in a sentence."""

from dataclasses import replace

import numpy as np
import pytest

from vettore.files import delimited
from vettore.files.delimited import parse, read_table
from vettore.files.refusals import FileError

NASTY = {
    "semicolons and decimal comma under notes and a units row": (
        b"Logger 7, chamber B\nOperator: M. Reed\n\nTime;Oxygen;Remark\nmin;mg/L;\n0;8,53;\n2;8,05;lid closed\n4;7,5;\n",
        {"Time": [0, 2, 4], "Oxygen": [8.53, 8.05, 7.5]},
        {"Time": "min", "Oxygen": "mg/L"},
    ),
    "units in brackets, latin-1, windows line ends, trailing delimiter": (
        "Zeit [s],Temp (°C),\r\n0,18.5,\r\n10,18.7,\r\n".encode("latin-1"),
        {"Zeit": [0, 10], "Temp": [18.5, 18.7]},
        {"Zeit": "s", "Temp": "°C"},
    ),
    "tabs, decimal comma, utf-16 with mark": (
        "t (h)\tT (°C)\n0,5\t12,25\n1,0\t12,5\n1,5\t-0,75\n".encode("utf-16"),
        {"t": [0.5, 1.0, 1.5], "T": [12.25, 12.5, -0.75]},
        {"T": "°C"},
    ),
    "utf-8 with mark, blanks and words among numbers": (
        "\ufeffx,y\n1,2.5\n2,NaN\n3,n/a\n4,\n5,–\n6,<LOD\n7,9.5\n".encode(),
        {"x": [1, 2, 3, 4, 5, 6, 7], "y": [2.5, None, None, None, None, None, 9.5]},
        {},
    ),
    "aligned with spaces, names with units, exponents": (
        b"  depth (m)   light (1/s)\n   0.0   1.00E+03\n   1.5   4.2e2\n  10.0  -.5\n",
        {"depth": [0, 1.5, 10], "light": [1000, 420, -0.5]},
        {"depth": "m"},
    ),
    "commented header and comments between rows": (
        b"# weir 3\n# t (s)\tdye (ug/L)\n0\t0.1\n# pump restarted\n5\t0.2\n10\t44\n",
        {"t": [0, 5, 10], "dye": [0.1, 0.2, 44]},
        {"t": "s"},
    ),
    "quoted cells with delimiters inside": (
        b'"sample, name","conc (mg/L)","signal"\n"a, first",1.5,"10.25"\n"b ""x""",2.5,"11"\n',
        {"conc": [1.5, 2.5], "signal": [10.25, 11]},
        {"conc": "mg/L"},
    ),
    "quoted decimal commas between commas": (
        b'"x","y"\n"1,5","2,25"\n"2,5","3,75"\n',
        {"x": [1.5, 2.5], "y": [2.25, 3.75]},
        {},
    ),
    "no header at all, old line ends": (b"1 2\r2 4\r3 6.5\r", {"x": [1, 2, 3], "y": [2, 4, 6.5]}, {}),
    "one column of numbers": (b"reading\n3.5\n4.5\n\n", {"reading": [3.5, 4.5]}, {}),
    "ragged rows and a wholly blank row": (
        b"a;b;c\n1;2;3\n4;5\n;;\n7;8;9;10\n",
        {"a": [1, 4, 7], "b": [2, 5, 8], "c": [3, None, 9], "column 4": [None, None, 10]},
        {},
    ),
    "dates beside numbers, bars, true minus signs": (
        "when | level (cm)\n2026-06-03 10:00 | −1.5\n2026-06-03 10:05 | 2\n2026-06-03 10:10 | 2.5\n".encode(),
        {"level": [-1.5, 2, 2.5]},
        {"level": "cm"},
    ),
    "same name twice, numbers with a leading plus, a mark for end of file": (
        b"x,y,y\n+1,2,3\n+2,3,4\n\x1a",
        {"x": [1, 2], "y": [2, 3], "y 2": [3, 4]},
        {},
    ),
}


@pytest.mark.parametrize("way", ["by cells", "by pandas from memory", "by pandas from the file"])
@pytest.mark.parametrize("case", NASTY)
def test_a_messy_file_is_read_as_a_person_would_read_it(case, way, monkeypatch, tmp_path):
    """All readers give the same names, units and numbers, blanks where nothing was measured."""
    if way != "by cells":
        monkeypatch.setattr(delimited, "LARGE", 0)
    data, numbers, units = NASTY[case]
    path = tmp_path / "file.txt"
    path.write_bytes(data)
    table, layout = read_table(path) if way.endswith("file") else parse(data, "file.txt")
    columns = {column.name: column for column in table.columns if column.texts is None}
    assert set(columns) == set(numbers), layout
    for name, values in numbers.items():
        expected = [np.nan if value is None else value for value in values]
        np.testing.assert_array_equal(columns[name].values, expected, err_msg=name)
    for name, unit in units.items():
        assert columns[name].unit == unit


def test_words_stay_as_text_and_notes_are_kept():
    """Cells that are no numbers are blanks for the arithmetic and words for the eye."""
    data, _, _ = NASTY["utf-8 with mark, blanks and words among numbers"]
    table, _ = parse(data, "f")
    assert table.columns[1].words == {1: "NaN", 2: "n/a", 4: "–", 5: "<LOD"}
    data, _, _ = NASTY["semicolons and decimal comma under notes and a units row"]
    table, layout = parse(data, "f")
    assert table.source.notes == ("Logger 7, chamber B", "Operator: M. Reed")
    assert dict(table.source.how)["read as"] == "semicolons, decimal comma"
    assert layout.decimal_mark == ","


def test_a_guess_can_be_overridden():
    """The caller may say that there is no header, or take the comma as a decimal mark; nonsense is refused."""
    table, _ = parse(b"a,b\n1,5\n2,5\n", "f", change=lambda guess, _head: replace(guess, names_line=None))
    assert [column.name for column in table.columns] == ["x", "y"]
    table, _ = parse(
        b"a,b\n1,5\n2,5\n", "f", change=lambda g, _head: replace(g, delimiter=";", decimal_mark=",", columns=1)
    )
    assert table.columns[0].values.tolist() == [1.5, 2.5]
    with pytest.raises(FileError, match="no column of numbers"):
        parse(b"1;2\n3;4\n", "f", change=lambda guess, _head: replace(guess, delimiter="|"))


REFUSED = {
    "empty": (b"", "empty"),
    "blank": (b"  \n \n", "empty"),
    "binary": (bytes(range(256)) * 40, "not text"),
    "archive": (b"PK\x03\x04\x00\x00" + bytes(200), "spreadsheet"),
    "prose": (b"Dear colleague,\nthe probe is broken.\n", "no table of numbers"),
}


@pytest.mark.parametrize("case", REFUSED)
def test_what_cannot_be_read_is_refused_in_a_sentence(case, tmp_path):
    """The sentence names the file and what was found in it."""
    data, words = REFUSED[case]
    path = tmp_path / "odd.csv"
    path.write_bytes(data)
    with pytest.raises(FileError, match=words) as caught:
        read_table(path)
    assert "odd.csv" in str(caught.value)
    assert str(caught.value).endswith(".")


def test_missing_and_unreadable_places_are_said(tmp_path):
    """A missing file and a folder each get their own sentence."""
    with pytest.raises(FileError, match="is not in"):
        read_table(tmp_path / "gone.csv")
    with pytest.raises(FileError, match="is a folder"):
        read_table(tmp_path)
