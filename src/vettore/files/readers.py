"""Read any file that holds tables: what it is follows from its contents, not from the ending of its name."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path

from vettore.files.clipboard import html_grid
from vettore.files.delimited import Change, digest_of, parse, read_as_it_is
from vettore.files.encodings import encoding_of, text_of
from vettore.files.grid import table_from_grid
from vettore.files.packed import is_packed, unpacked
from vettore.files.refusals import FileError, read_bytes, shown_name, shown_path
from vettore.files.spreadsheet import OLE, sheets
from vettore.study.table import Source, Table

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
    try:
        if path.stat().st_size > MOST_BYTES:
            raise FileError(f"“{name}” is larger than {MOST_BYTES // 1024**3} GB. Cut it down first.")
    except OSError:
        pass  # read_bytes says what is wrong
    long = _long_text(path, change)
    if long is not None:
        return [Offer(Path(name).stem.replace("_", " "), long)]
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
        or start.lstrip()[:1] in (b"{", b"[", b"<")
        or b"##" in start
        or b"\0" in start
        or is_packed(start)
    ):
        return None
    found = read_as_it_is(path, change)
    return None if found is None else found[0]


def read_data(data: bytes, name: str, path: str = "", change: Change | None = None) -> list[tuple[str, Table]]:
    """Return the tables in the bytes of a file, each with the name of its part."""
    if is_packed(data):
        digest = digest_of(data)
        inner, inner_name = unpacked(data, name)
        return [
            (part, Table(table.columns, replace(table.source, name=name, digest=digest)))
            for part, table in read_data(inner, inner_name, path, change)
        ]
    head = data[:HEAD].lstrip(b"\xef\xbb\xbf \t\r\n")
    read_at = datetime.now().astimezone().isoformat(timespec="seconds")
    source = Source(name, path, "", read_at)
    if data.startswith(b"\x89HDF\r\n\x1a\n"):
        from vettore.files.containers import from_hdf5

        tables = from_hdf5(data, path, source)
    elif data.startswith(b"\x93NUMPY") or (data.startswith(b"PK") and name.casefold().endswith(".npz")):
        from vettore.files.containers import from_numpy
        from vettore.files.spreadsheet import check_archive

        if data.startswith(b"PK"):
            check_archive(data, name)
        tables = from_numpy(data, source)
    elif data.startswith((b"PK", OLE)):
        tables = sheets(data, source)
    elif head.startswith((b"{", b"[")):
        from vettore.files.containers import from_json

        tables = from_json(data, source)
    elif head.upper().startswith(b"##TITLE") or b"##JCAMP" in head.upper():
        from vettore.files.spectra import spectra

        tables = spectra(text_of(data, encoding_of(data, name)), source)
    elif head[:15].lower().startswith((b"<!doctype html", b"<html", b"<table", b"<meta", b"<?xml")):
        grid = html_grid(text_of(data, encoding_of(data, name)), name)
        tables = [("", table_from_grid(grid, replace(source, how=(("read as", "a table in a web page"),))))]
    else:
        return [("", parse(data, name, path, change)[0])]
    digest = digest_of(data)
    return [(part, Table(table.columns, replace(table.source, digest=digest))) for part, table in tables]
