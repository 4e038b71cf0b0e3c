"""Tables of numbers and words, written as the ending of a name says."""

from __future__ import annotations

import csv
import io
import json
import math
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from vettore.core.cells.texts import plain
from vettore.core.errors import Fault, VettoreError
from vettore.files.whole import write_whole
from vettore.files.writers import harmless

ENDINGS = (".csv", ".tsv", ".json", ".xlsx", ".parquet")


def check_ending(path: Path | None) -> None:
    """Refuse a name that no table is written under; None is none. Raises VettoreError."""
    if path is not None and path.suffix.casefold() not in ENDINGS:
        raise VettoreError(f"“{path.name}”: a table of numbers ends in {', '.join(ENDINGS)}.", Fault.FILE_KIND)


def write_table(path: Path | str, columns: Mapping[str, Sequence[Any]], whole: Mapping[str, Any]) -> None:
    """Write columns by name as the ending says, ``whole`` as JSON. Raises VettoreError."""
    path = Path(path)
    check_ending(path)
    match path.suffix.casefold():
        case ".csv":
            data = text_of(columns, ",").encode("utf-8")
        case ".tsv":
            data = text_of(columns, "\t").encode("utf-8")
        case ".json":
            data = (json.dumps(whole, ensure_ascii=False, indent=1, allow_nan=False) + "\n").encode("utf-8")
        case ".xlsx":
            data = _workbook(columns)
        case _:
            data = _parquet(columns)
    write_whole(path, data)


def text_of(columns: Mapping[str, Sequence[Any]], delimiter: str = ",") -> str:
    """Return the table as text; numbers in full, in plain ASCII."""
    out = io.StringIO()
    writer = csv.writer(out, delimiter=delimiter, lineterminator="\n")
    writer.writerow([harmless(name) for name in columns])
    for row in zip(*columns.values(), strict=True):
        writer.writerow([_cell(value) for value in row])
    return out.getvalue()


def shown(text: str) -> str:
    """Return a text as it can be written: a name that is not UTF-8 with question marks, spaces for what is no character."""
    return plain(text.encode("utf-8", "surrogateescape").decode("utf-8", "replace"))


def _cell(value: object) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, (float, int)):
        return repr(value) if math.isfinite(value) else ""
    return harmless(shown(str(value)))


def _workbook(columns: Mapping[str, Sequence[Any]]) -> bytes:
    from openpyxl import Workbook

    book = Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.title = "Numbers"
    for line, cells in enumerate([tuple(columns), *zip(*columns.values(), strict=True)], 1):
        for place, value in enumerate(cells, 1):
            if isinstance(value, (float, int)) and not isinstance(value, bool):
                if math.isfinite(value):
                    # The library would round to 16 digits.
                    sheet.cell(line, place, repr(value)).data_type = "n"
            elif text := _cell(value) if isinstance(value, bool) else value:
                sheet.cell(line, place, shown(str(text))).data_type = "s"
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def _parquet(columns: Mapping[str, Sequence[Any]]) -> bytes:
    try:
        import pyarrow  # noqa: F401
        from pandas import DataFrame

        cells = {name: [shown(v) if isinstance(v, str) else v for v in values] for name, values in columns.items()}
        data: bytes = DataFrame(cells).to_parquet(index=False)
    except ImportError:
        raise VettoreError(
            "Writing .parquet needs the package pyarrow: pip install “vettore[parquet]”, or take .csv, .json or .xlsx.",
            Fault.PACKAGE,
        ) from None
    return data
