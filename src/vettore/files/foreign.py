"""Files in formats of others, by their contents: spreadsheets, HDF5, NumPy, JSON, spectra, tables in web pages.

Read in a box, see box.py: what such a file makes its reader do is not known beforehand.
"""

from __future__ import annotations

import re
from dataclasses import replace
from datetime import datetime

from vettore.core.errors import Fault
from vettore.files.clipboard import html_grid
from vettore.files.delimited import digest_of
from vettore.files.encodings import encoding_of, text_of
from vettore.files.grid import table_from_grid
from vettore.files.refusals import FileError
from vettore.files.spreadsheet import OLE, check_archive, sheets
from vettore.study.table import Source, Table

HEAD = 4096
BOM_AND_BLANKS = b"\xef\xbb\xbf \t\r\n"
HDF5, NUMPY, ARCHIVE = b"\x89HDF\r\n\x1a\n", b"\x93NUMPY", b"PK"
# What JSON begins with; a header such as [S] (µM) is none.
_JSON = re.compile(rb"\{\s*[\"}]|\[\s*(?:[\[{\"\]]|-?\d|true|false|null)")
HTML = (b"<!doctype html", b"<html", b"<table", b"<meta", b"<?xml")


def is_foreign(data: bytes) -> bool:
    """Whether data begin like a format of others, and not like a delimited text."""
    head = data[:HEAD].lstrip(BOM_AND_BLANKS)
    upper = head.upper()
    return (
        data.startswith((HDF5, NUMPY, ARCHIVE, OLE))
        or _JSON.match(head) is not None
        or upper.startswith(b"##TITLE")
        or b"##JCAMP" in upper
        or head[:15].lower().startswith(HTML)
    )


def may_be_text(data: bytes) -> bool:
    """Whether data that begin like JSON may be a text: its first line has words behind brackets, as “[1] …”."""
    return re.match(rb"\[[^\]\n]*\][ \t]*[^\s,\]}]", data[:HEAD].lstrip(BOM_AND_BLANKS)) is not None


def read_foreign(data: bytes, name: str, path: str = "") -> list[tuple[str, Table]]:
    """Return the tables in the bytes of a file, each with the name of its part. Raises FileError."""
    source = Source(name, path, "", datetime.now().astimezone().isoformat(timespec="seconds"))
    tables = _read(data, name, path, source)
    digest = digest_of(data)
    return [(part, Table(table.columns, replace(table.source, digest=digest))) for part, table in tables]


def _read(data: bytes, name: str, path: str, source: Source) -> list[tuple[str, Table]]:
    head = data[:HEAD].lstrip(BOM_AND_BLANKS)
    if data.startswith(HDF5):
        from vettore.files.containers import from_hdf5

        return from_hdf5(data, path, source)
    if data.startswith(NUMPY) or (data.startswith(ARCHIVE) and name.casefold().endswith(".npz")):
        from vettore.files.containers import from_numpy

        if data.startswith(ARCHIVE):
            check_archive(data, name)
        return from_numpy(data, source)
    if data.startswith((ARCHIVE, OLE)):
        return sheets(data, source)
    if _JSON.match(head):
        from vettore.files.containers import from_json

        return from_json(data, source)
    if head.upper().startswith(b"##TITLE") or b"##JCAMP" in head.upper():
        from vettore.files.spectra import spectra

        return spectra(text_of(data, encoding_of(data, name)), source)
    if head[:15].lower().startswith(HTML):
        grid = html_grid(text_of(data, encoding_of(data, name)), name)
        return [("", table_from_grid(grid, replace(source, how=(("read as", "a table in a web page"),))))]
    raise FileError(f"“{name}” is in no format that is known here.", Fault.FILE_KIND)
