"""A text file that is still being written: its whole rows so far, and whether it only grew."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from vettore.core.errors import Fault
from vettore.files.delimited import Change
from vettore.files.foreign import is_foreign
from vettore.files.packed import is_packed
from vettore.files.readers import MOST_BYTES, read_data
from vettore.files.refusals import FileError, check_regular, read_bytes, shown_name, shown_path
from vettore.study.table import RawColumn, Table


def rows_so_far(path: Path, change: Change | None = None) -> Table:
    """Return the table of the lines that are whole: the last one may be half written. Raises FileError."""
    check_regular(path)
    name = shown_name(path)
    if path.exists() and path.stat().st_size > MOST_BYTES:
        raise FileError(
            f"“{name}” has grown larger than {MOST_BYTES // 1024**3} GB. It is no longer followed.", Fault.TOO_MANY
        )
    data = read_bytes(path)
    if is_packed(data) or is_foreign(data):
        raise FileError(
            f"“{name}” is no text of rows. Only a file that grows by lines can be followed.", Fault.FILE_KIND
        )
    return read_data(data[: data.rfind(b"\n") + 1] or data, name, shown_path(path), change)[0][1]


def only_grew(old: Table, new: Table) -> bool:
    """Whether a table has the columns of another one, begins with its rows, and has as many or more."""
    if new.rows < old.rows or len(new.columns) != len(old.columns):
        return False
    return all(_begins(column, other, old.rows) for column, other in zip(old.columns, new.columns, strict=True))


def _begins(old: RawColumn, new: RawColumn, rows: int) -> bool:
    if (old.name, old.unit, old.texts is None) != (new.name, new.unit, new.texts is None):
        return False
    if old.texts is not None and new.texts is not None:
        return old.texts == new.texts[:rows]
    # A word among the numbers of what was read is one still; more may have come.
    words = {row: word for row, word in new.words.items() if row < rows}
    return dict(old.words) == words and np.array_equal(old.values, new.values[:rows], equal_nan=True)
