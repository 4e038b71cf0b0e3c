"""What text files mean: grouped digits, words among numbers, units as ISO writes them; short and long files alike."""

import math
import random

import numpy as np
import pytest

from vettore.core.cells.cells import split_unit
from vettore.core.cells.number_marks import Evidence, decide, decide_together
from vettore.core.rounding import NumberStyle
from vettore.files import delimited
from vettore.files.delimited import parse
from vettore.words.findings import doubt_of, finding_sentence, words_in

NAN = math.nan

# name: (text, {column: values}, columns whose reading is doubtful)
FILES = {
    "quoted groups in a comma file": ('t,y\n1,"1,234"\n2,"5,678"\n', {"t": [1, 2], "y": [1234, 5678]}, {"y"}),
    "quoted groups and a fraction": ('t,y\n1,"1,502.76"\n2,870.4\n', {"y": [1502.76, 870.4]}, set()),
    "points group, commas part": ("t;y\n1;1.502,76\n2;870,4\n", {"y": [1502.76, 870.4]}, set()),
    "both columns grouped": (
        "x;y\n1.000,0;3.870,4\n2.000,0;870,1\n",
        {"x": [1000, 2000], "y": [3870.4, 870.1]},
        set(),
    ),
    "spaces group": ("x;y\n1;1 234,5\n2;12,5\n", {"y": [1234.5, 12.5]}, set()),
    "thin spaces group": ("x\ty\n1\t1\u202f234,5\n2\t1\u2009000\n", {"y": [1234.5, 1000]}, set()),
    "no-break spaces group": ("x;y\n1;1\u00a0234\n2;12\n", {"y": [1234, 12]}, set()),
    "apostrophes group": ("x,y\n1,1'234.5\n2,12’345.0\n", {"y": [1234.5, 12345]}, set()),
    "underscores group": ("x,y\n1,1_234.5\n2,12\n", {"y": [1234.5, 12]}, set()),
    "millions": ("x;y\n1;1.234.567\n2;9.876\n", {"y": [1234567, 9876]}, set()),
    "no group starts with 0": ("x;y\n1;0.123\n2;1.234\n", {"y": [0.123, 1.234]}, set()),
    "four digits are no group": ("x;y\n1;1234.567\n2;1.234\n", {"y": [1234.567, 1.234]}, set()),
    "three digits alone": ("x;y\n1;1.234\n2;5.678\n", {"y": [1.234, 5.678]}, {"y"}),
    "three digits beside commas": ("x;y\n0,5;1.234\n0,7;5.678\n", {"y": [1234, 5678]}, {"y"}),
    "three digits beside points": ("x;y\n0.5;1.234\n0.7;5.678\n", {"y": [1.234, 5.678]}, set()),
    "three digits, comma, alone": ("x;y\n1;1,234\n2;5,678\n", {"y": [1.234, 5.678]}, {"y"}),
    "powers of ten do not group": ("x;y\n1;1.234e3\n2;5.678e3\n", {"y": [1234, 5678]}, set()),
    "different columns": ("a;b;c\n1,5;1.000;x\n2,5;2.000;y\n", {"a": [1.5, 2.5], "b": [1000, 2000]}, {"b"}),
    "limits first": ("x,y\n0,<LOD\n1,<LOD\n2,5\n3,6\n4,8\n", {"x": [0, 1, 2, 3, 4], "y": [NAN, NAN, 5, 6, 8]}, set()),
    "words first": (
        "x,y,z\n0,over,n.d.\n1,over,3\n2,5,4\n3,6,5\n",
        {"y": [NAN, NAN, 5, 6], "z": [NAN, 3, 4, 5]},
        set(),
    ),
    "n.d. first": ("x,y\n0,n.d.\n1,n.d.\n2,5\n3,6\n", {"x": [0, 1, 2, 3], "y": [NAN, NAN, 5, 6]}, set()),
    "words first, semicolons": ("x;y\n0;over\n1;2,5\n2;3,5\n", {"x": [0, 1, 2], "y": [NAN, 2.5, 3.5]}, set()),
    "a short first row": ("a,b,c\n1\n4,5,6\n", {"a": [1, 4], "b": [NAN, 5], "c": [NAN, 6]}, set()),
    "numbers count the columns": ("1,2,3\nt,y,z\n0,5,6\n1,7,8\n", {"t": [0, 1], "y": [5, 7], "z": [6, 8]}, set()),
    "a rule under the names": ("t,y\n---,---\n0,5\n1,7\n", {"t": [0, 1], "y": [5, 7]}, set()),
    "a rule, spaces": ("t      y\n------ -----\n0.5    5\n1.5    7\n", {"t": [0.5, 1.5], "y": [5, 7]}, set()),
    "names that are numbers": ("t,400,500\n0,5,6\n1,7,8\n2,9,10\n", {"t": [0, 1, 2], "400": [5, 7, 9]}, set()),
    "numbers count the columns, with a word": (
        "No.,1,2\nt,A,B\n0,1.5,2\n1,1.6,3\n",
        {"t": [0, 1], "A": [1.5, 1.6], "B": [2, 3]},
        set(),
    ),
    "numbers, names, units": ("1;2;3\nt;A;B\n(s);(mV);(mV)\n0;1,5;2,5\n1;1,7;2,6\n", {"A": [1.5, 1.7]}, set()),
    "counted names over names": ("Column 1,Column 2\nt / s,U / V\n1,2\n2,3\n", {"t": [1, 2], "U": [2, 3]}, set()),
    "words first beside names of samples": (
        "sample,y\nblank,n.d.\nA,n.d.\nB,6.1\nC,7\n",
        {"y": [NAN, NAN, 6.1, 7]},
        set(),
    ),
    "a word of its own comes again": ("sample,y\nblank,low\nA,6\nB,low\nC,7\n", {"y": [NAN, 6, NAN, 7]}, set()),
    "bars all around": ("| t | y |\n|---|---|\n| 0 | 1.5 |\n| 1 | 2.5 |\n", {"t": [0, 1], "y": [1.5, 2.5]}, set()),
    "a rule of stars": ("t,y\n*****\n0,5\n1,7\n", {"t": [0, 1], "y": [5, 7]}, set()),
    "doubled quotes": ('t,note,y\n1,"a ""b""",3\n2,"c",4\n', {"t": [1, 2], "y": [3, 4]}, set()),
    "line ends in quotes": ('t,note,y\n1,"a\nb",3\n2,c,4\n', {"t": [1, 2], "y": [3, 4]}, set()),
    "longer rows": ("t,y\n1,2\n3,4,5\n6,7\n", {"t": [1, 3, 6], "y": [2, 4, 7], "column 3": [NAN, 5, NAN]}, set()),
    "an unclosed quote": ('t,y,note\n1,2,"open\n3,4,b\n5,6,c\n', {"t": [1, 3, 5], "y": [2, 4, 6]}, set()),
    "beyond the range": ("t,y\n1,1e400\n2,5\n", {"y": [NAN, 5]}, set()),
    "a preamble": ("Instrument 7\nGain 3\n\nt;y\n0;1,5\n1;2,5\n", {"t": [0, 1], "y": [1.5, 2.5]}, set()),
    "minus signs of print": ("t;y\n1;−1.234,5\n2;3,5\n", {"y": [-1234.5, 3.5]}, set()),
    "percent left in words": ("t,y\n1,5 %\n2,6\n3,7\n", {"y": [NAN, 6, 7]}, set()),
}


@pytest.mark.parametrize("name", FILES)
@pytest.mark.parametrize("long", [False, True])
def test_a_file_is_read_as_it_was_meant_or_its_doubt_is_said(name, long, monkeypatch):
    """Values, names and doubts, by the rules of short files and by those of long ones."""
    if long:
        monkeypatch.setattr(delimited, "LARGE", 0)
    text, wanted, doubtful = FILES[name]
    table, _ = parse(text.encode(), f"{name}.txt")
    columns = {column.name: column for column in table.columns}
    for called, values in wanted.items():
        np.testing.assert_array_equal(columns[called].values, values, err_msg=called)
    assert {column.name for column in table.columns if column.doubt} == doubtful
    for column in table.columns:
        assert bool(doubt_of(column)) == (column.name in doubtful)


def test_the_other_reading_of_a_doubtful_column_is_the_other_number():
    """What grouped digits becomes a fraction and the other way round, exactly, also beside cells without a mark."""
    grouped = parse(b't,y\n1,"1,234"\n2,7\n3,"5,678"\n', "a.csv")[0].columns[1]
    assert grouped.values.tolist() == [1234, 7, 5678]
    assert grouped.doubt.other_values(grouped.values).tolist() == [1.234, 7, 5.678]
    assert (
        doubt_of(grouped) == "y: the comma was taken to group digits, so that 1,234 is 1234; it could also be 1.234."
    )
    plain = parse(b"t;y\n1;1.234\n2;7\n3;5.678\n", "a.csv")[0].columns[1]
    assert plain.doubt.other_values(plain.values).tolist() == [1234, 7, 5678]
    assert "it could also be 1234" in doubt_of(plain)


def test_cells_that_are_no_numbers_are_counted_and_named():
    """How many, which rows, and what they say."""
    table = parse(b"t,signal\n1,5\n2,<LOD\n3,6\n4,over\n5,7\n6,8\n", "a.csv")[0]
    assert words_in(table.columns[1]) == "2 cells of signal are not numbers: rows 2 and 4 (“<LOD”, “over”)"
    large = parse(b"t,y\n1,9007199254740993\n2,9007199254740992\n", "a.csv")[0].columns[1]
    assert "Row 1" in large.remarks[0]
    assert "rounded" in large.remarks[0]


@pytest.mark.parametrize(
    ("header", "told"),
    [
        ("wavelength / nm", ("wavelength", "nm")),
        ("I in pA", ("I", "pA")),
        ("T [K]", ("T", "K")),
        ("t, min", ("t", "min")),
        ("c / (mg/L)", ("c", "mg/L")),
        ("E / kJ mol⁻¹", ("E", "kJ mol⁻¹")),
        ("flow, L/min", ("flow", "L/min")),
        ("T/K", ("T", "K")),
        ("oxygen (mg/L)", ("oxygen", "mg/L")),
        ("m/s", ("m/s", "")),
        ("mg/L", ("mg/L", "")),
        ("ratio A/B", ("ratio A/B", "")),
        ("note, first", ("note, first", "")),
        ("light in room", ("light in room", "")),
        ("height in", ("height in", "")),
    ],
)
def test_units_as_iso_writes_them(header, told):
    """A quantity over its unit, in it, or behind a comma; what is no unit stays in the name."""
    assert split_unit(header) == told


def test_the_clear_columns_of_a_file_decide_for_the_others():
    """And a mark seen twice in a cell groups; two marks make the last the decimal one."""
    told = decide_together([["1.234", "5.678"], ["0,5"]], Evidence())
    assert (told[0].marks.decimal, told[0].marks.group) == (",", ".")
    assert told[0].other is not None
    assert decide(["1,234,567"], Evidence()).marks.group == ","
    assert decide(["1,234.5"], Evidence(",")).marks.decimal == "."
    assert decide(["1.234"], Evidence(".", True)).other is None


def _written(rng: random.Random, value: float | None, decimal: str, group: str, places: int, delimiter: str) -> str:
    if value is None:
        return rng.choice(["", "n/a", "<LOD", "over"])
    text = f"{value:,.{places}f}".replace(",", "\0").replace(".", decimal).replace("\0", group)
    return f'"{text}"' if delimiter in text or rng.random() < 0.1 else text


def _random_table(seed: int) -> tuple[str, list[list[float | None]]]:
    rng = random.Random(seed)
    delimiter = rng.choice([",", ";", "\t", "|"])
    decimal, group = rng.choice([(".", ""), (",", ""), (".", ","), (",", "."), (",", " "), (".", "'")])
    columns = rng.randint(2, 5)
    places = [rng.choice([0, 1, 2, 4]) for _ in range(columns)]
    places[0] = 2
    rows = [
        [None if rng.random() < 0.05 and c else rng.uniform(-9, 9) * 10 ** rng.randint(0, 5) for c in range(columns)]
        for _ in range(rng.randint(8, 40))
    ]
    rows = [[None if v is None else round(v, places[c]) for c, v in enumerate(row)] for row in rows]
    names = delimiter.join(f"name {'abcde'[c]}" for c in range(columns))
    lines = [
        delimiter.join(_written(rng, v, decimal, group, places[c], delimiter) for c, v in enumerate(r)) for r in rows
    ]
    return "\n".join([*(["a note above"] if rng.random() < 0.3 else []), names, *lines]) + "\n", rows


@pytest.mark.parametrize("block", range(9))
def test_random_tables_are_read_as_meant_and_alike_both_ways(block, monkeypatch):
    """Fifty tables a block: all numbers as they were written or a doubt said, and the same cells by both ways."""
    for seed in range(50 * block, 50 * block + 50):
        text, rows = _random_table(seed)
        monkeypatch.setattr(delimited, "LARGE", 2**21)
        short = parse(text.encode(), "t.txt")[0]
        monkeypatch.setattr(delimited, "LARGE", 0)
        long = parse(text.encode(), "t.txt")[0]
        assert (
            [c.name for c in short.columns]
            == [c.name for c in long.columns]
            == [f"name {letter}" for letter in "abcde"[: len(rows[0])]]
        )
        for place, (one, other) in enumerate(zip(short.columns, long.columns, strict=True)):
            np.testing.assert_array_equal(one.values, other.values, err_msg=f"{seed}")
            assert (dict(one.words), one.texts, one.places, one.doubt) == (
                dict(other.words),
                other.texts,
                other.places,
                other.doubt,
            )
            meant = np.array([NAN if row[place] is None else row[place] for row in rows])
            if one.doubt is None and one.texts is None:
                np.testing.assert_array_equal(one.values, meant, err_msg=f"{seed}")


def test_the_other_reading_is_one_edit_and_undone_by_the_same():
    """What the Data page offers about a doubtful column: its values change, the file's stay, and the study keeps it."""
    from vettore.core.columns.inspection import Remedy
    from vettore.files.study_file import study_bytes, study_from_bytes
    from vettore.study import edits
    from vettore.study.inspect import column_findings
    from vettore.study.study import Study

    table = parse(b't,y\n1,"1,234"\n2,"5,678"\n3,<LOD\n', "a.csv")[0]
    study = edits.add_series(Study(title="a"), table, "a")
    found = column_findings(study.series[0])
    doubt = next(finding for finding in found if finding.remedy is Remedy.OTHER_READING)
    said = [finding_sentence(finding, study.series[0], NumberStyle()) for finding in found]
    assert any("so that 1,234 is 1234; it could also be 1.234" in words for words in said)
    assert any("1 cell of y is not a number: row 3 (“<LOD”)" in words for words in said)
    other = edits.read_other_way(study, "s1", doubt.column)
    assert other.series[0].data[1].values[:2].tolist() == [1.234, 5.678]
    again = study_from_bytes(study_bytes(other), "a.vettore").series[0]
    assert again.data[1].values[:2].tolist() == [1.234, 5.678]
    assert "so that 1,234 is 1.234; it could also be 1234" in finding_sentence(
        column_findings(again)[0], again, NumberStyle()
    )
    back = edits.read_other_way(other, "s1", doubt.column)
    assert back.series[0].data[1].values[:2].tolist() == [1234, 5678]
