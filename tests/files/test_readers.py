"""Files of all kinds open as a person would read them; broken ones are refused in a sentence and in little memory."""

import io
import json
import tracemalloc
import zipfile
from datetime import datetime, timedelta

import h5py
import numpy as np
import openpyxl
import pytest
from odf.opendocument import OpenDocumentSpreadsheet
from odf.table import Table as OdfTable
from odf.table import TableCell, TableRow
from odf.text import P

from tests.made import npy
from vettore.files.clipboard import as_html, as_tab_text, pasted_table
from vettore.files.readers import read_data, read_file
from vettore.files.refusals import FileError
from vettore.study.series import Role, new_series


def workbook(*sheets, merge=()):
    book = openpyxl.Workbook()
    book.remove(book.active)
    for i, rows in enumerate(sheets):
        sheet = book.create_sheet(f"run {i + 1}")
        for row in rows:
            sheet.append(row)
        for area in merge:
            sheet.merge_cells(area)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def opendocument(rows):
    book = OpenDocumentSpreadsheet()
    sheet = OdfTable(name="survey")
    for row in rows:
        line = TableRow()
        for cell in row:
            kind = {"valuetype": "float", "value": str(cell)} if isinstance(cell, float) else {"valuetype": "string"}
            one = TableCell(**kind)
            one.addElement(P(text=str(cell)))
            line.addElement(one)
        sheet.addElement(line)
    book.spreadsheet.addElement(sheet)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def hdf5(fill):
    out = io.BytesIO()
    with h5py.File(out, "w") as file:
        fill(file)
    return out.getvalue()


def run(file):
    group = file.create_group("run 1")
    group["time"], group["oxygen"] = [0.0, 1, 2], np.float32([8.5, 8.25, 8.0])
    group["oxygen"].attrs["units"] = "mg/L"
    file["image"] = np.arange(8.0).reshape(4, 2)


def npz(**arrays):
    out = io.BytesIO()
    np.savez(out, **arrays)
    return out.getvalue()


SPECTRUM = (
    "##TITLE=reed leaf\n##JCAMP-DX=4.24\n##XUNITS=NANOMETERS\n##YUNITS=ABSORBANCE\n##XFACTOR=1\n##YFACTOR=0.001\n"
)
PAGE = (
    "<!DOCTYPE html><html><body><p>Results</p><table><tr><th>depth (m)</th><th>light</th></tr>"
    "<tr><td>0</td><td>1&nbsp;000,5</td></tr><tr><td>1,5</td><td>420,25</td></tr><tr><td>3</td><td>180</td></tr></table></body></html>"
)
FILES = {
    "plain.xlsx": (workbook([["t (s)", "v (m)"], [0, 1.5], [1, 2.5]]), {"t": [0, 1], "v": [1.5, 2.5]}),
    "titled.xlsx": (
        workbook(
            [
                ["Chamber B"],
                ["made by", "M. Reed"],
                [],
                ["time", "oxygen"],
                ["min", "mg/L"],
                [0, 8.5],
                [2, None],
                [4, 7.5],
            ]
        ),
        {"time": [0, 2, 4], "oxygen": [8.5, None, 7.5]},
    ),
    "merged.xlsx": (
        workbook(
            [
                ["time", "chamber A", None, "chamber B", None],
                [None, "O2", "T", "O2", "T"],
                [0, 1, 2, 3, 4],
                [1, 5, 6, 7, 8],
            ],
            merge=("B1:C1", "D1:E1"),
        ),
        {"time": [0, 1], "chamber A T": [2, 6], "chamber B O2": [3, 7]},
    ),
    "shifted.xlsx": (
        workbook([[], [None, None, "x", "y"], [None, None, 1, 2], [None, None, 3, 4]]),
        {"x": [1, 3], "y": [2, 4]},
    ),
    "dated.xlsx": (
        workbook([["when", "level"], [datetime(2026, 6, 3, 10, 0), 1.5], [datetime(2026, 6, 3, 13, 30), 1.75]]),
        {"level": [1.5, 1.75]},
    ),
    "survey.ods": (
        opendocument([["east (m)", "nitrate"], [1.0, 2.5], [2.0, "<LOD"], [3.0, 4.5]]),
        {"nitrate": [2.5, None, 4.5]},
    ),
    "columns.json": (
        b'{"t (s)": [0, 1, 2], "v": [1.5, null, 3.5], "note": ["a", "b", "c"]}',
        {"t": [0, 1, 2], "v": [1.5, None, 3.5]},
    ),
    "records.json": (b'[{"t": 0, "v": 1}, {"t": 1, "v": "n/a"}, {"t": 2}]', {"t": [0, 1, 2], "v": [1, None, None]}),
    "rows.json": (b'[["x", "y"], [1, 2], [3, 4]]', {"x": [1, 3], "y": [2, 4]}),
    "leaf.jdx": (
        (
            SPECTRUM
            + "##FIRSTX=400\n##LASTX=404\n##NPOINTS=5\n##XYDATA=(X++(Y..Y))\n400 100 200 300\n403 400 500\n##END=\n"
        ).encode(),
        {"wavelength": [400, 401, 402, 403, 404], "absorbance": [0.1, 0.2, 0.3, 0.4, 0.5]},
    ),
    "packed.dx": (
        (
            SPECTRUM
            + "##FIRSTX=400\n##LASTX=405\n##NPOINTS=6\n##XYDATA=(X++(Y..Y))\n400A00J00T\n402C00J00J00\n404E00J00\n##END=\n"
        ).encode(),
        {"absorbance": [0.1, 0.2, 0.3, 0.4, 0.5, 0.6]},
    ),
    "pairs.jdx": (
        (SPECTRUM + "##XYPOINTS=(XY..XY)\n400, 100; 410, 250\n425, 300\n##END=\n").encode(),
        {"wavelength": [400, 410, 425], "absorbance": [0.1, 0.25, 0.3]},
    ),
    "chamber.h5": (hdf5(run), {"time": [0, 1, 2], "oxygen": [8.5, 8.25, 8.0]}),
    "two.npz": (npz(t=np.arange(3.0), v=np.array([1, 2, 4])), {"t": [0, 1, 2], "v": [1, 2, 4]}),
    "pairs.npy": (npy(np.array([[1.0, 2.0], [3.0, 4.0], [5.0, 6.0]])), {"x": [1, 3, 5], "y": [2, 4, 6]}),
    "fields.npy": (
        npy(np.array([(1, 2.5), (2, 3.5)], dtype=[("t", "i4"), ("v", "f8")])),
        {"t": [1, 2], "v": [2.5, 3.5]},
    ),
    "page.html": (
        PAGE.replace("1&nbsp;000,5", "1000,5").encode(),
        {"depth": [0, 1.5, 3], "light": [1000.5, 420.25, 180]},
    ),
    "wrong ending.csv": (workbook([["t", "v"], [0, 1], [1, 2]]), {"t": [0, 1], "v": [1, 2]}),
}


@pytest.mark.parametrize("name", FILES)
def test_files_of_all_kinds_open_as_a_person_would_read_them(name, tmp_path):
    """Names, units, values and blanks come as they were written, whatever the file calls itself."""
    data, expected = FILES[name]
    path = tmp_path / name
    path.write_bytes(data)
    offers = read_file(path)
    columns = {column.name: column for column in offers[0].table.columns}
    assert set(expected) <= set(columns), list(columns)
    for column, values in expected.items():
        if values is not None:
            wanted = np.array([np.nan if v is None else v for v in values], dtype=float)
            np.testing.assert_allclose(columns[column].values, wanted, rtol=1e-15, err_msg=column)
    assert offers[0].table.source.digest
    assert offers[0].table.source.how


def test_a_file_with_several_tables_offers_each(tmp_path):
    """Every sheet, block and dataset with numbers is a table of its own; empty sheets are passed over."""
    data = workbook([["t", "v"], [0, 1], [1, 2]], [["only words"]], [["u", "w"], [5, 6]])
    assert [part for part, _ in read_data(data, "runs.xlsx")] == ["run 1", "run 3"]
    parts = read_data(hdf5(run), "chamber.h5")
    assert [(part, table.rows) for part, table in parts] == [("run 1", 3), ("image", 4)]
    assert parts[0][1].columns[1].unit == "mg/L" or parts[0][1].columns[0].unit == "mg/L"


def test_dates_become_elapsed_time_and_stay():
    """A first column of dates gives elapsed time as x, in a fitting unit; the dates are kept as they were."""
    (_, table) = read_data(FILES["dated.xlsx"][0], "dated.xlsx")[0]
    series = new_series("s1", "level", table)
    assert series.column(Role.X).unit == "h"
    assert series.values(Role.X).tolist() == [0.0, 3.5]
    assert series.values(Role.Y).tolist() == [1.5, 1.75]
    assert series.data[0].texts == ("2026-06-03 10:00:00", "2026-06-03 13:30:00")
    for texts, seconds in (
        (["03.06.2026 23:59", "04.06.2026 00:01"], 120),
        (["6/13/2026", "6/14/2026"], 86400),
        (["23:59:30", "00:00:30"], 60),
        (["2026-06-03T10:00:00.25Z", "2026-06-03T12:00:00.75+02:00"], 0.5),
        (["11:30 AM", "1:00 pm"], 5400),
    ):
        rows = "\n".join(f"{text},{i}" for i, text in enumerate(texts))
        (_, table) = read_data(f"when,v\n{rows}\n".encode(), "t.csv")[0]
        x = new_series("s1", "t", table).values(Role.X)
        unit = {"s": 1, "min": 60, "h": 3600, "d": 86400}[new_series("s1", "t", table).column(Role.X).unit]
        assert x[1] * unit == pytest.approx(seconds), texts


def bomb():
    out = io.BytesIO()
    with (
        zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive,
        archive.open("xl/worksheets/sheet1.xml", "w") as sheet,
    ):
        for _ in range(500):
            sheet.write(bytes(1024 * 1024))
    return out.getvalue()


BROKEN = {
    "cut.xlsx": (lambda: workbook([["t", "v"], [0, 1], [1, 2]])[:-400], "damaged or cut off"),
    "bomb.xlsx": (bomb, "would unpack to"),
    "wide.csv": (lambda: b"1," * 1_000_000 + b"1\n", "columns; the most is"),
    "wide.json": (lambda: json.dumps([[1] * 6000] * 3).encode(), "columns; the most is"),
    "picture.csv": (lambda: b"\x89PNG\r\n\x1a\n" + bytes(range(256)) * 50, "not text"),
    "locked.xlsx": (
        lambda: b"\xd0\xcf\x11\xe0" + bytes(512) + "EncryptedPackage".encode("utf-16-le") + bytes(512),
        "password",
    ),
    "deep.html": (lambda: b"<html>" + b"<div>" * 400_000, "holds no table"),
    "nested.json": (lambda: b"[" * 200_000, "not valid JSON"),
    "half.json": (lambda: b'{"t": [1, 2', "not valid JSON"),
    "uneven.json": (lambda: b'{"t": [1, 2, 3], "v": [1]}', "different lengths: t has 3, v has 1"),
    "objects.npy": (lambda: npy(np.array([{}], dtype=object), allow_pickle=True), "Python objects"),
    "cut.h5": (lambda: hdf5(run)[:900], "damaged"),
    "cut.jdx": (
        lambda: (SPECTRUM + "##NPOINTS=9\n##XYDATA=(X++(Y..Y))\n400 1 2\n##END=\n").encode(),
        "states 9 points but holds 2",
    ),
    "words.xlsx": (lambda: workbook([["only"], ["words"]]), "no table of numbers"),
    "uneven.npz": (lambda: npz(t=np.arange(3.0), v=np.arange(2.0)), "different lengths"),
}


@pytest.mark.parametrize("name", BROKEN)
def test_broken_files_are_refused_in_a_sentence_and_in_little_memory(name, tmp_path):
    """One sentence that names the file, and no more than 300 MB on the way (the time is in the benchmarks)."""
    make, words = BROKEN[name]
    path = tmp_path / name
    path.write_bytes(make())
    tracemalloc.start()
    with pytest.raises(FileError, match=words) as caught:
        read_file(path)
    _, most = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert name in str(caught.value)
    assert most < 300e6


def test_tables_are_pasted_as_spreadsheets_and_web_pages_put_them():
    """Tab text and HTML come in with their headers; what is copied out comes back equal."""
    table = pasted_table("t (s)\tv\r\n0\t1,5\r\n1\t2,5\r\n")
    assert [column.values.tolist() for column in table.columns] == [[0, 1], [1.5, 2.5]]
    assert table.columns[0].unit == "s"
    assert pasted_table("1.5\n2.5\n3\n").columns[0].values.tolist() == [1.5, 2.5, 3]
    assert pasted_table("", PAGE.replace("1&nbsp;000,5", "1000,5")).columns[1].values[1] == 420.25
    rows = [["a <b> (m)", "c"], ["1", "2.5"], ["3", "4.5"]]
    for again in (pasted_table(as_tab_text(rows)), pasted_table("", as_html(rows))):
        assert [column.name for column in again.columns] == ["a <b>", "c"]
        assert again.columns[1].values.tolist() == [2.5, 4.5]
    with pytest.raises(FileError, match="holds no text"):
        pasted_table("  ")


def test_durations_of_a_spreadsheet_have_their_unit():
    """Cells that are durations, below and above a day, are seconds, and the column says so."""
    rows = [["run", "time", "signal"], [1, timedelta(seconds=90), 2.5], [2, timedelta(days=1, hours=6), 2.25]]
    ((_, table),) = read_data(workbook(rows), "runs.xlsx")
    column = table.columns[1]
    assert column.values.tolist() == [90.0, 108000.0]
    assert column.unit == "s"


def test_whole_numbers_of_more_digits_than_a_spreadsheet_keeps_are_doubted():
    """What a spreadsheet has rounded already cannot be seen, so the rows are named; smaller ones are left alone."""
    rows = [["barcode", "count"], [12345678901234567, 10**14], [42, 7]]
    ((_, table),) = read_data(workbook(rows), "codes.xlsx")
    assert table.columns[0].remarks == (
        "Row 1 hold whole numbers of more digits than a spreadsheet keeps: perhaps rounded.",
    )
    assert not table.columns[1].remarks
