"""A reader that is not ours, in a process of its own: what it eats, and how it ends, is its own affair.

The child gets the bytes of a file, with limits on memory and time, and gives back the texts of the cells of each sheet.
Running out of memory aborts such a reader, and a fault inside it is no ordinary exception; here both are a sentence.
The answer is read as plain data, so that a child that was taken over can only lie about the cells.
"""

from __future__ import annotations

import resource
import subprocess
import sys
from typing import Any

import msgspec

from vettore.files.refusals import FileError

# Bytes that the reader may take, and seconds.
MOST_MEMORY, MOST_SECONDS = 4 * 1024**3, 300
# Cells of a sheet that are made room for, filled or not.
MOST_CELLS = 20_000_000

# Cells by sheet, or the sentence of what is wrong with it.
Sheets = list[tuple[str, list[list[str]] | str]]


def sheets_in_a_box(data: bytes, name: str) -> Sheets:
    """Return the cells of a workbook as texts. Raises FileError in a sentence, also when the reader broke down."""
    try:
        done = subprocess.run(
            [sys.executable, "-m", "vettore.files.box"],
            input=data,
            capture_output=True,
            timeout=MOST_SECONDS,
            check=False,
        )
    except subprocess.TimeoutExpired:
        raise FileError(
            f"“{name}” took longer than {MOST_SECONDS // 60} minutes to read, so it was given up. Export it as CSV."
        ) from None
    if done.returncode:
        raise FileError(
            f"“{name}” could not be read: its reader broke down over it, as over a sheet of more cells than memory holds. "
            "It may be damaged; export the table as CSV."
        )
    told = msgspec.msgpack.decode(done.stdout, type=tuple[str, Sheets])
    if told[0]:
        raise FileError(f"“{name}” {told[0]}")
    return told[1]


def _limit() -> None:
    hard = resource.getrlimit(resource.RLIMIT_AS)[1]
    most = MOST_MEMORY if hard == resource.RLIM_INFINITY else min(MOST_MEMORY, hard)
    resource.setrlimit(resource.RLIMIT_AS, (most, hard))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))


def _read(data: bytes) -> tuple[str, Sheets]:
    """Return what is wrong with a workbook (or nothing) and its sheets."""
    import io

    import python_calamine

    from vettore.files.spreadsheet import cell_text, short

    try:
        book = python_calamine.CalamineWorkbook.from_filelike(io.BytesIO(data))
        names = list(book.sheet_names)
    except Exception as error:  # the reader has no common class of errors
        return f"is damaged, or no spreadsheet that can be read ({short(error)}).", []
    found: Sheets = []
    for name in names:
        try:
            sheet = book.get_sheet_by_name(name)
            cells = sheet.total_height * sheet.total_width
            if cells > MOST_CELLS:
                found.append((name, f"has cells as far as {sheet.total_height:,} × {sheet.total_width:,}"))
                continue
            rows: Any = sheet.to_python(skip_empty_area=False)
            found.append((name, [[cell_text(cell) for cell in row] for row in rows]))
        except Exception as error:
            found.append((name, f"is damaged ({short(error)})"))
    return "", found


if __name__ == "__main__":
    _limit()
    sys.stdout.buffer.write(msgspec.msgpack.encode(_read(sys.stdin.buffer.read())))
