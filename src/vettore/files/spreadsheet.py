"""Spreadsheets: .xlsx, .xlsm, .xlsb, .xls and .ods, one table a sheet; formulas come by their values."""

from __future__ import annotations

import io
import zipfile
from dataclasses import replace
from datetime import date, datetime, time, timedelta

import numpy as np

from vettore.core.arrays import LARGEST_WHOLE
from vettore.core.errors import Fault, name_rows
from vettore.files.grid import table_from_grid
from vettore.files.refusals import FileError
from vettore.study.table import Source, Table

# What a sheet may unpack to, all files of the archive together, and how much more than its size on disk.
MOST_UNPACKED = 400 * 1024 * 1024
MOST_RATIO = 250
# Cells of a sheet that are made room for, filled or not.
MOST_CELLS = 20_000_000
OLE = b"\xd0\xcf\x11\xe0"


def sheets(data: bytes, source: Source) -> list[tuple[str, Table]]:
    """Return the tables of a workbook by the names of their sheets. Raises FileError in a sentence."""
    check_archive(data, source.name)
    pairs: list[tuple[str, Table]] = []
    refused: list[str] = []
    for name, grid in _cells(data, source.name):
        if isinstance(grid, str):
            refused.append(
                f"Sheet {name} of “{source.name}” {grid}. It was not read; cut it down, or export it as CSV."
            )
            continue
        try:
            how = (("sheet", name), ("formulas", "by their values"))
            pairs.append((name, _with_doubts(table_from_grid(grid, _with_how(source, how, name), "."))))
        except FileError as error:
            refused.append(str(error))
    if not pairs:
        raise FileError(refused[0] if refused else f"“{source.name}” has no sheets.", Fault.NOTHING)
    return pairs


def _with_doubts(table: Table) -> Table:
    """Say of whole numbers of so many digits that a spreadsheet has rounded them, if they had more."""
    columns = []
    for column in table.columns:
        large = (np.flatnonzero(np.abs(column.values) >= LARGEST_WHOLE) + 1).tolist()
        words = f"{name_rows(large).capitalize()} hold whole numbers of more digits than a spreadsheet keeps: perhaps rounded."
        columns.append(replace(column, remarks=(*column.remarks, words)) if large else column)
    return replace(table, columns=tuple(columns))


def _cells(data: bytes, name: str) -> list[tuple[str, list[list[str]] | str]]:
    """Return the cells of each sheet as texts, or what is wrong with it. Raises FileError."""
    import python_calamine

    try:
        book = python_calamine.CalamineWorkbook.from_filelike(io.BytesIO(data))
        names = list(book.sheet_names)
    except Exception as error:  # the reader has no common class of errors
        raise FileError(
            f"“{name}” is damaged, or no spreadsheet that can be read ({short(error)}).", Fault.FILE_DAMAGED
        ) from None
    pairs: list[tuple[str, list[list[str]] | str]] = []
    for sheet_name in names:
        try:
            sheet = book.get_sheet_by_name(sheet_name)
            cells = sheet.total_height * sheet.total_width
            if cells > MOST_CELLS:
                pairs.append((sheet_name, f"has cells as far as {sheet.total_height:,} × {sheet.total_width:,}"))
                continue
            rows = sheet.to_python(skip_empty_area=False)
            pairs.append((sheet_name, [[cell_text(cell) for cell in row] for row in rows]))
        except Exception as error:
            pairs.append((sheet_name, f"is damaged ({short(error)})"))
    return pairs


def check_archive(data: bytes, name: str) -> None:
    """Refuse what is locked, cut off, or unpacks to far more than it should."""
    if data.startswith(OLE):
        if "EncryptedPackage".encode("utf-16-le") in data:
            raise FileError(
                f"“{name}” is protected by a password. Take the password off and save it again.", Fault.FILE_PROTECTED
            )
        return
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            infos = archive.infolist()
            if any(info.flag_bits & 1 for info in infos):
                raise FileError(
                    f"“{name}” is protected by a password. Take the password off and save it again.",
                    Fault.FILE_PROTECTED,
                )
            manifest = archive.read("META-INF/manifest.xml") if "META-INF/manifest.xml" in archive.namelist() else b""
    except (zipfile.BadZipFile, EOFError, OSError, RuntimeError):
        raise FileError(f"“{name}” is damaged or cut off.", Fault.FILE_DAMAGED) from None
    if b"encryption-data" in manifest:
        raise FileError(
            f"“{name}” is protected by a password. Take the password off and save it again.", Fault.FILE_PROTECTED
        )
    unpacked = sum(info.file_size for info in infos)
    if unpacked > MOST_UNPACKED or (unpacked > 50_000_000 and unpacked > MOST_RATIO * len(data)):
        raise FileError(
            f"“{name}” would unpack to {unpacked / 1e6:,.0f} MB, which no measured table needs. It was not opened.",
            Fault.TOO_MANY,
        )


def _with_how(source: Source, how: tuple[tuple[str, str], ...], sheet: str) -> Source:
    return replace(source, how=how, options={**source.options, "part": sheet})


def cell_text(cell: object) -> str:
    """Return a cell as the text that a person would have typed."""
    if isinstance(cell, bool):
        return "yes" if cell else "no"
    if isinstance(cell, float):
        return repr(int(cell)) if cell.is_integer() and abs(cell) < 1e15 else repr(cell)
    if isinstance(cell, datetime):
        return cell.isoformat(" ") if cell.time() != time() else cell.date().isoformat()
    if isinstance(cell, (date, time)):
        return cell.isoformat()
    if isinstance(cell, timedelta):
        # With its unit, which becomes that of the column.
        return f"{cell.total_seconds()!r} s"
    return str(cell).strip()


def short(error: Exception) -> str:
    """Return the first line of what a reader says."""
    return str(error).split("\n")[0][:120] or type(error).__name__
