"""Read any file that holds tables: what it is follows from its contents, not from the ending of its name."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

from vettore.core.errors import Fault
from vettore.files.box import tables_in_a_box
from vettore.files.delimited import Change, digest_of, parse, read_as_it_is
from vettore.files.foreign import is_foreign, may_be_text
from vettore.files.packed import is_packed, unpacked
from vettore.files.refusals import FileError, check_regular, read_bytes, shown_name, shown_path
from vettore.files.spreadsheet import OLE
from vettore.study.table import Table, shortened, with_short_names

MOST_BYTES = 2 * 1024**3
HEAD = 4096
NOT_DELIMITED = (b"\x89", b"\x93NUMPY", b"PK", OLE, b"\xff\xfe", b"\xfe\xff")
ENDINGS = (
    *("csv", "tsv", "txt", "dat", "asc", "prn", "xlsx", "xlsm", "xlsb", "xls", "ods"),
    *("json", "h5", "hdf5", "jdx", "dx", "jcamp", "npy", "npz", "html", "htm"),
)


@dataclass(frozen=True)
class Offer:
    """A table that a file holds, with a name for its series."""

    name: str
    table: Table


def read_file(path: Path | str, change: Change | None = None) -> list[Offer]:
    """Return the tables of a file. Raises FileError in a sentence.

    ``change`` may replace the layout guessed for a text, given that layout and the text's first lines.
    """
    path = Path(path)
    name = shown_name(path)
    check_regular(path)
    try:
        if path.stat().st_size > MOST_BYTES:
            raise FileError(f"“{name}” is larger than {MOST_BYTES // 1024**3} GB. Cut it down first.", Fault.TOO_MANY)
    except OSError:
        pass  # read_bytes says what is wrong
    long = _long_text(path, change)
    if long is not None:
        return [Offer(Path(name).stem.replace("_", " "), with_short_names(long))]
    data = read_bytes(path)
    tables = read_data(data, name, shown_path(path), change)
    stem = Path(name).stem.replace("_", " ")
    if is_packed(data):
        stem = Path(stem).stem
    if len(tables) == 1:
        return [Offer(stem, tables[0][1])]
    return [Offer(f"{stem} · {part}" if part else stem, table) for part, table in tables]


def _long_text(path: Path, change: Change | None) -> Table | None:
    """Return the table of a long delimited text, read straight from its file; None for all else."""
    try:
        with path.open("rb") as file:
            start = file.read(HEAD)
    except OSError:
        return None
    if (
        start.startswith(NOT_DELIMITED)
        or start.lstrip()[:1] == b"<"
        or is_foreign(start)
        or b"##" in start
        or b"\0" in start
        or is_packed(start)
    ):
        return None
    pair = read_as_it_is(path, change)
    return None if pair is None else pair[0]


def read_data(data: bytes, name: str, path: str = "", change: Change | None = None) -> list[tuple[str, Table]]:
    """Return the tables in the bytes of a file, each with the name of its part."""
    if is_packed(data):
        digest = digest_of(data)
        inner, inner_name = unpacked(data, name)
        return [
            (part, Table(table.columns, replace(table.source, name=name, digest=digest)))
            for part, table in read_data(inner, inner_name, path, change)
        ]
    if is_foreign(data):
        try:
            tables = tables_in_a_box(data, name, path)
        except FileError as error:
            if not may_be_text(data):
                raise
            # A text may begin like JSON, as with “[1] …”.
            try:
                return [("", with_short_names(parse(data, name, path, change)[0]))]
            except FileError:
                raise error from None
        return [(shortened(part), with_short_names(table)) for part, table in tables]
    return [("", with_short_names(parse(data, name, path, change)[0]))]
