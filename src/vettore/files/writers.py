"""Export a series: CSV, spreadsheets, JSON, HDF5, with units and the marks of rows set aside."""

from __future__ import annotations

import csv
import io
import json
import zipfile
from pathlib import Path
from xml.sax.saxutils import escape

import numpy as np

from vettore.core.cells.cells import looks_like_number
from vettore.core.cells.texts import plain
from vettore.core.errors import Fault
from vettore.files.refusals import FileError
from vettore.files.whole import write_whole
from vettore.study.series import Series
from vettore.study.table import cell_texts

ENDINGS = {
    ".csv": "Text, commas",
    ".tsv": "Text, tabs",
    ".xlsx": "Spreadsheet",
    ".ods": "OpenDocument spreadsheet",
    ".json": "JSON, columns",
    ".h5": "HDF5",
}
# What a spreadsheet takes for the beginning of a formula.
RUN = ("=", "+", "-", "@", "\t", "\r")
ASIDE = "set aside"


def write_series(series: Series, path: Path | str) -> None:
    """Write the columns as they are used; the ending says how. Raises FileError in a sentence."""
    path = Path(path)
    writers = {".csv": _csv, ".tsv": _tsv, ".xlsx": _xlsx, ".ods": _ods, ".json": _json, ".h5": _hdf5}
    writer = writers.get(path.suffix.casefold())
    if writer is None:
        raise FileError(f"“{path.name}”: a series is exported as {', '.join(ENDINGS)}.", Fault.FILE_KIND)
    write_whole(path, writer(series))


def _headers(series: Series) -> list[str]:
    names = [f"{column.name} ({column.unit})" if column.unit else column.name for column in series.columns]
    return [*names, ASIDE] if series.set_aside else names


def _rows(series: Series) -> list[list[str]]:
    columns = [cell_texts(column) for column in series.data]
    if series.set_aside:
        reasons = {entry.row: entry.reason or "yes" for entry in series.set_aside}
        columns.append([reasons.get(row, "") for row in range(series.rows)])
    return [list(row) for row in zip(*columns, strict=True)]


def _csv(series: Series, delimiter: str = ",") -> bytes:
    out = io.StringIO()
    writer = csv.writer(out, delimiter=delimiter, lineterminator="\r\n")
    writer.writerow([harmless(cell) for cell in _headers(series)])
    writer.writerows([harmless(cell) for cell in row] for row in _rows(series))
    return out.getvalue().encode("utf-8")


def harmless(cell: str) -> str:
    """Return a cell that no spreadsheet runs: a text that begins like a formula is marked as text by an apostrophe."""
    if cell.startswith(RUN) and not looks_like_number(cell):
        return f"'{cell}"
    return cell


def _tsv(series: Series) -> bytes:
    return _csv(series, "\t")


def _values(series: Series) -> list[list[object]]:
    """Return rows with numbers as numbers and blanks as None."""
    rows: list[list[object]] = []
    for row, texts in enumerate(_rows(series)):
        cells: list[object] = []
        for place, text in enumerate(texts):
            column = series.data[place] if place < len(series.data) else None
            number = column is not None and column.texts is None and np.isfinite(column.values[row])
            cells.append(float(column.values[row]) if number and column is not None else (text or None))
        rows.append(cells)
    return rows


def _lines(series: Series) -> list[list[object]]:
    """Return the headers and the rows below them."""
    return [list(_headers(series)), *_values(series)]


_XLSX = "http://schemas.openxmlformats.org"
_XLSX_PARTS = {
    "[Content_Types].xml": (
        f'<Types xmlns="{_XLSX}/package/2006/content-types">'
        '<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
        '<Override PartName="/xl/workbook.xml" '
        'ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/>'
        '<Override PartName="/xl/worksheets/sheet1.xml" '
        'ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"/></Types>'
    ),
    "_rels/.rels": (
        f'<Relationships xmlns="{_XLSX}/package/2006/relationships"><Relationship Id="r1" '
        f'Type="{_XLSX}/officeDocument/2006/relationships/officeDocument" Target="xl/workbook.xml"/></Relationships>'
    ),
    "xl/workbook.xml": (
        f'<workbook xmlns="{_XLSX}/spreadsheetml/2006/main" xmlns:r="{_XLSX}/officeDocument/2006/relationships">'
        '<sheets><sheet name="series" sheetId="1" r:id="r1"/></sheets></workbook>'
    ),
    "xl/_rels/workbook.xml.rels": (
        f'<Relationships xmlns="{_XLSX}/package/2006/relationships"><Relationship Id="r1" '
        f'Type="{_XLSX}/officeDocument/2006/relationships/worksheet" Target="worksheets/sheet1.xml"/></Relationships>'
    ),
}


def _xlsx(series: Series) -> bytes:
    """Write the few parts that a workbook needs ourselves: common writers round numbers to 16 digits."""
    rows = []
    for row in _lines(series):
        cells = []
        for value in row:
            if isinstance(value, float):
                cells.append(f"<c><v>{value!r}</v></c>")
            else:
                cells.append(f'<c t="inlineStr"><is><t xml:space="preserve">{_xml(str(value or ""))}</t></is></c>')
        rows.append(f"<row>{''.join(cells)}</row>")
    sheet = f'<worksheet xmlns="{_XLSX}/spreadsheetml/2006/main"><sheetData>{"".join(rows)}</sheetData></worksheet>'
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, text in {**_XLSX_PARTS, "xl/worksheets/sheet1.xml": sheet}.items():
            archive.writestr(name, f'<?xml version="1.0" encoding="UTF-8" standalone="yes"?>{text}')
    return out.getvalue()


def _xml(text: str) -> str:
    """Escape a text for XML, without what XML cannot hold."""
    return escape(plain(text))


def _ods(series: Series) -> bytes:
    from odf.opendocument import OpenDocumentSpreadsheet
    from odf.table import Table, TableCell, TableRow
    from odf.text import P

    book = OpenDocumentSpreadsheet()
    sheet = Table(name="series")
    for row in _lines(series):
        line = TableRow()
        for value in row:
            if isinstance(value, float):
                cell = TableCell(valuetype="float", value=repr(value))
                cell.addElement(P(text=repr(value)))
            else:
                cell = TableCell(valuetype="string")
                cell.addElement(P(text=plain(str(value or ""))))
            line.addElement(cell)
        sheet.addElement(line)
    book.spreadsheet.addElement(sheet)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def _json(series: Series) -> bytes:
    rows = _values(series)
    columns = {name: [row[i] for row in rows] for i, name in enumerate(_headers(series))}
    return json.dumps(columns, ensure_ascii=False, indent=1, allow_nan=False).encode("utf-8")


def _hdf5(series: Series) -> bytes:
    import h5py

    out = io.BytesIO()
    with h5py.File(out, "w", track_order=True) as file:
        for column in series.data:
            name = column.name.replace("/", "∕")
            if column.texts is None:
                file[name] = column.values
                file[name].attrs["units"] = column.unit
            else:
                file[name] = np.array(column.texts, dtype=h5py.string_dtype())
        if series.set_aside:
            file[ASIDE] = (~series.kept).astype(np.uint8)
    return out.getvalue()
