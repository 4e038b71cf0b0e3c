"""The study file ``.vettore``: a zip with ``study.json`` (what was decided) and one CSV of data a series.

See docs/STUDY-FORMAT.md. Numbers are written with as many digits as bring back the same bits.
Writing is atomic: a complete new file replaces the old one in a single step.
"""

from __future__ import annotations

import csv
import io
import os
import re
import zipfile
import zlib
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from functools import partial, reduce
from operator import or_
from pathlib import Path
from typing import Any, Literal

import msgspec
import numpy as np

from vettore.core.errors import Fault
from vettore.files.old_studies import brought_up
from vettore.files.refusals import FileError, read_bytes
from vettore.files.whole import write_whole
from vettore.study.kinds.listed import KINDS
from vettore.study.parts import missing_of
from vettore.study.series import CellEdit, ColumnSettings, ErrorOfY, Series, SetAside
from vettore.study.study import AnyPart, Study
from vettore.study.table import Doubt, RawColumn, Source, Table, cell_texts, shortened

FORMAT = 5
# What a series record and a series hold under the same name.
DECISIONS = ("columns", "set_aside", "edits", "error_of_y", "sort", "colour", "truth")


@dataclass(frozen=True)
class ColumnRecord:
    """A column as the JSON describes it; its cells are in the CSV."""

    name: str
    unit: str
    kind: Literal["numbers", "text"]
    places: int | None = None
    words: dict[str, str] = field(default_factory=dict)
    doubt: Doubt | None = None
    remarks: tuple[str, ...] = ()


class SeriesRecord(msgspec.Struct, frozen=True, tag_field="kind", tag="series"):
    """A series as the JSON describes it."""

    id: str
    name: str
    data: str
    rows: int
    source: Source
    raw: tuple[ColumnRecord, ...]
    columns: tuple[ColumnSettings, ...]
    set_aside: tuple[SetAside, ...] = ()
    edits: tuple[CellEdit, ...] = ()
    error_of_y: ErrorOfY = msgspec.field(default_factory=ErrorOfY)
    sort: tuple[int, bool] | None = None
    colour: int | None = None
    truth: str = ""


AnyRecord: Any = reduce(or_, KINDS, SeriesRecord)


@dataclass(frozen=True)
class StudyRecord:
    """The whole of ``study.json``."""

    format: int
    title: str
    counter: int
    parts: tuple[AnyRecord, ...] = ()


# Ids are given by the program, or a word that a kind has one of; they are part of names in the file.
ID = re.compile(r"[A-Za-z][\w-]{0,59}", re.ASCII)
LONGEST_SAID = 240
# So many parts of two paths must be the same ("/", "home" and a name) before one is told from the other.
SHARED_DEPTH = 2
# Fields of any length: notes, cells that are no numbers, cells typed over, and what is read as a formula.
WRITTEN_AT_LENGTH = ("note", "notes", "words", "text", "formula", "start", "end")
MIME_TYPE = "application/x-vettore"
# The same study is the same file, whenever it is written.
WRITTEN = (1980, 1, 1, 0, 0, 0)
# What a study may unpack to.
MOST_UNPACKED = 2 * 1024**3


def save_study(study: Study, path: Path | str) -> None:
    """Write a study, whole or not at all. Raises FileError when the place cannot be written."""
    write_whole(Path(path), study_bytes(study, Path(path).absolute().parent))


def study_bytes(study: Study, folder: Path | None = None) -> bytes:
    """Return a study as the bytes of its file; it finds the files of its data from ``folder``, or (None) keeps no paths."""
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
        # First and unpacked, so that a desktop knows the file by its contents.
        archive.writestr(zipfile.ZipInfo("mimetype", WRITTEN), MIME_TYPE, zipfile.ZIP_STORED)
        for series in study.series:
            archive.writestr(_entry(_data_name(series)), table_csv(series.table), zipfile.ZIP_DEFLATED, 1)
        archive.writestr(
            _entry("study.json"),
            msgspec.json.format(
                msgspec.json.encode(study_record(study, _data_name, partial(path_from, folder))), indent=1
            ),
            zipfile.ZIP_DEFLATED,
            1,
        )
    return buffer.getvalue()


def _entry(name: str) -> zipfile.ZipInfo:
    """Return an entry that carries no clock, so that the same study is the same bytes."""
    entry = zipfile.ZipInfo(name, WRITTEN)
    entry.external_attr = 0o600 << 16
    return entry


def study_record(
    study: Study, data_name: Callable[[Series], str], path_of: Callable[[str], str] = str
) -> StudyRecord:
    """Return what was decided in a study.

    ``data_name`` says where the values of a series are kept, ``path_of`` what is kept of the path of the file they came from.
    """
    parts = tuple(
        _series_record(part, data_name(part), path_of) if isinstance(part, Series) else part for part in study.parts
    )
    return StudyRecord(FORMAT, study.title, study.counter, parts)


def path_from(folder: Path | None, path: str) -> str:
    """Return a path as seen from a folder, or "" where that would tell how the machine is laid out or who works on it."""
    if folder is None or not path or not Path(path).is_absolute():
        return ""
    shared = Path(os.path.commonpath([folder, path]))
    # Beside the study, or below somebody's own folder, or a folder of a drive that is shared.
    near = shared == folder or len(shared.parts) > SHARED_DEPTH
    return os.path.relpath(path, folder) if near else ""


def _data_name(series: Series) -> str:
    return f"data/{series.id}.csv"


def open_study(path: Path | str) -> Study:
    """Read a study. Raises FileError in a sentence when it is no study, is damaged or is from a newer Vettore."""
    path = Path(path)
    return study_from_bytes(read_bytes(path), path.name, path.absolute().parent)


def study_from_bytes(data: bytes, name: str, folder: Path | None = None) -> Study:
    """Read a study from the bytes of its file, which lay in ``folder``; see open_study."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            unpacked = sum(info.file_size for info in archive.infolist())
            if unpacked > MOST_UNPACKED:
                raise FileError(
                    f"“{name}” would unpack to {unpacked / 1024**3:,.1f} GB, which no study needs. It was not opened.",
                    Fault.TOO_MANY,
                )
            content = msgspec.json.decode(archive.read("study.json"))
            return study_from_parts(content, lambda part: archive.read(part).decode("utf-8"), name, folder)
    except FileError:
        raise
    except (zipfile.BadZipFile, KeyError, EOFError, NotImplementedError, RuntimeError):
        raise FileError(f"“{name}” is not a Vettore study, or it is damaged.", Fault.FILE_DAMAGED) from None
    except (RecursionError, MemoryError):
        raise FileError(
            f"“{name}” is damaged: it holds more, or deeper nested, than any study.", Fault.FILE_DAMAGED
        ) from None
    except (msgspec.MsgspecError, UnicodeDecodeError, AttributeError, TypeError, ValueError, zlib.error) as error:
        raise FileError(f"“{name}” is damaged: {_shortened(str(error))}.", Fault.FILE_DAMAGED) from None


def _shortened(text: str) -> str:
    """What a file says can be as long as it likes; a sentence about it cannot."""
    return text if len(text) <= LONGEST_SAID else f"{text[: LONGEST_SAID // 2]} … {text[-LONGEST_SAID // 2 :]}"


def _with_short_names(content: Any, key: str = "") -> Any:
    """Shorten what is far longer than any name, as the readers do; what people wrote at length, and cells, stay."""
    if isinstance(content, str):
        return content if key in WRITTEN_AT_LENGTH else shortened(content)
    if isinstance(content, list):
        return [_with_short_names(value, key) for value in content]
    if isinstance(content, dict):
        return {
            name: _with_short_names(value, key if key in WRITTEN_AT_LENGTH else name)
            for name, value in content.items()
        }
    return content


def study_from_parts(content: Any, text_of: Callable[[str], str], name: str, folder: Path | None = None) -> Study:
    """Return the study that a record describes; ``text_of`` gives the CSV of a series by its data name.

    Paths in the record are as seen from ``folder``.
    """
    version = content.get("format")
    if isinstance(version, int) and version < 1:
        raise FileError(
            f"“{name}” says that it is of format {version}, which never was. It is damaged, or no study.",
            Fault.FILE_DAMAGED,
        )
    if isinstance(version, int) and version > FORMAT:
        raise FileError(
            f"“{name}” was written by a newer Vettore (format {version}). Update Vettore to open it.",
            Fault.FILE_NEWER,
        )
    record = msgspec.convert(_with_short_names(brought_up(content)), StudyRecord)
    parts = tuple(
        _read_series(part, text_of(part.data), name, folder) if isinstance(part, SeriesRecord) else part
        for part in record.parts
    )
    _check_parts(parts, name)
    return Study(record.title, parts, record.counter)


def _check_parts(parts: Sequence[AnyPart], name: str) -> None:
    """Insist that every part has an id of its own, and that what it refers to is there. Raises FileError."""
    odd = next((part.id for part in parts if not ID.fullmatch(part.id)), None)
    if odd is not None:
        raise FileError(f"“{name}” is damaged: “{odd[:40]}” is no id of a part.", Fault.FILE_DAMAGED)
    there = Counter(part.id for part in parts)
    twice = next((identity for identity, count in there.items() if count > 1), None)
    if twice is not None:
        raise FileError(f"“{name}” is damaged: two parts have the id “{twice}”.", Fault.FILE_DAMAGED)
    for part in parts:
        missing = missing_of(part, there)
        if missing:
            raise FileError(
                f"“{name}” is damaged: part “{part.id}” refers to “{_shortened(missing)}”, which is not in it.",
                Fault.FILE_MISSING,
            )


def _series_record(series: Series, data: str, path_of: Callable[[str], str]) -> SeriesRecord:
    raw = tuple(
        ColumnRecord(
            column.name,
            column.unit,
            "numbers" if column.texts is None else "text",
            column.places,
            {str(row): word for row, word in column.words.items()},
            column.doubt,
            column.remarks,
        )
        for column in series.table.columns
    )
    decided = {name: getattr(series, name) for name in DECISIONS}
    source = series.table.full_source
    source = replace(source, path=path_of(source.path))
    return SeriesRecord(series.id, series.name, data, series.table.rows, source, raw, **decided)


def table_csv(table: Table) -> str:
    """Return the values of a table as CSV."""
    out = io.StringIO()
    # With these line ends the writer quotes both characters wherever they stand in a cell.
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow([f"{column.name} ({column.unit})" if column.unit else column.name for column in table.columns])
    writer.writerows(zip(*(cell_texts(column) for column in table.columns), strict=True))
    return out.getvalue()


def _read_series(record: SeriesRecord, text: str, name: str, folder: Path | None) -> Series:
    rows = list(csv.reader(io.StringIO(text, newline="")))[1:]
    # A row of a single blank cell is written as an empty line, which the reader gives as no cells.
    rows = [row or [""] for row in rows]
    if len(rows) != record.rows or any(len(row) != len(record.raw) for row in rows):
        raise FileError(
            f"“{name}” is damaged: the data of {_shortened(record.name)} are not the {record.rows} rows they should be.",
            Fault.FILE_DAMAGED,
        )
    raw_places = [column.raw for column in record.columns if column.raw is not None]
    rows_named = [*(entry.row for entry in record.set_aside), *(edit.row for edit in record.edits)]
    if not all(0 <= place < len(record.raw) for place in (*raw_places, *(edit.raw for edit in record.edits))) or not (
        all(0 <= row < record.rows for row in rows_named)
        and (record.sort is None or 0 <= record.sort[0] < len(record.columns))
    ):
        raise FileError(
            f"“{name}” is damaged: the recipe of {_shortened(record.name)} does not fit its data.", Fault.FILE_DAMAGED
        )
    columns = tuple(_read_column(entry, [row[i] for row in rows]) for i, entry in enumerate(record.raw))
    twice = next((own for own, count in Counter(item.name for item in record.columns).items() if count > 1), None)
    if twice is not None:
        raise FileError(
            f"“{name}” is damaged: two columns of {_shortened(record.name)} have the name “{_shortened(twice)}”.",
            Fault.FILE_DAMAGED,
        )
    decided = {field_name: getattr(record, field_name) for field_name in DECISIONS}
    path = record.source.path
    if folder is not None and path:
        path = os.path.normpath(folder / path)
    return Series(record.id, record.name, Table(columns, replace(record.source, path=path)), **decided)


def _read_column(record: ColumnRecord, texts: list[str]) -> RawColumn:
    if record.kind == "text":
        return RawColumn(record.name, record.unit, np.full(len(texts), np.nan), texts=tuple(texts))
    words = {int(row): word for row, word in record.words.items()}
    try:
        numbers = [np.nan if row in words or not text else float(text) for row, text in enumerate(texts)]
    except ValueError as error:
        raise msgspec.ValidationError(f"column {record.name}: {error}") from None
    return RawColumn(
        record.name,
        record.unit,
        np.array(numbers, dtype=np.float64),
        words,
        None,
        record.places,
        "",
        record.doubt,
        record.remarks,
    )
