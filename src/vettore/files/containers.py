"""Tables in JSON, HDF5 and NumPy files."""

from __future__ import annotations

import io
from collections.abc import Iterator
from dataclasses import replace
from typing import Any

import msgspec
import numpy as np

from vettore.core.arrays import Array
from vettore.core.cells import cells
from vettore.core.cells.number_marks import Evidence
from vettore.core.errors import Fault
from vettore.files.grid import table_from_grid
from vettore.files.refusals import MOST_COLUMNS, FileError, check_columns
from vettore.study.table import RawColumn, Source, Table, columns_from_cells

MOST_ROWS = 50_000_000
# Groups of an HDF5 file within each other.
MOST_DEPTH = 50


def from_json(data: bytes, source: Source) -> list[tuple[str, Table]]:
    """Read columns (``{"t": […], "y": […]}``) or records (``[{"t": 0, "y": 1}, …]``), at the top or one level down."""
    try:
        content = msgspec.json.decode(data.lstrip(b"\xef\xbb\xbf"))
    except (msgspec.DecodeError, RecursionError, UnicodeDecodeError) as error:
        raise FileError(f"“{source.name}” is not valid JSON: {error}.", Fault.FILE_DAMAGED) from None
    result = _json_table(content, source, "JSON")
    if result is not None:
        return [("", result)]
    tables = []
    if isinstance(content, dict):
        for key, part in content.items():
            table = _json_table(part, source, f"JSON, under “{key}”")
            if table is not None:
                tables.append((str(key), table))
    if not tables:
        raise FileError(f"“{source.name}” holds JSON, but neither columns nor records of numbers.", Fault.NOTHING)
    return tables


def _json_table(content: Any, source: Source, how: str) -> Table | None:
    columns: dict[str, list[Any]] = {}
    if isinstance(content, dict):
        columns = {
            str(k): v for k, v in content.items() if isinstance(v, list) and v and not isinstance(v[0], (dict, list))
        }
        lengths = {len(v) for v in columns.values()}
        if len(lengths) > 1:
            sizes = ", ".join(f"{name} has {len(v)}" for name, v in columns.items())
            raise FileError(
                f"“{source.name}” has columns of different lengths: {sizes}. Make them the same length.",
                Fault.FILE_DAMAGED,
            )
    elif isinstance(content, list) and content and all(isinstance(row, dict) for row in content):
        names: dict[str, None] = {}
        for row in content:
            names |= dict.fromkeys(map(str, row))
            check_columns(len(names), source.name)
        columns = {name: [row.get(name) for row in content] for name in names}
    elif isinstance(content, list) and content and all(isinstance(row, list) for row in content):
        grid = [[_json_text(cell) for cell in row] for row in content]
        return table_from_grid(grid, replace(source, how=(("read as", f"{how}, rows"),)), ".")
    if not columns or len(columns) > MOST_COLUMNS:
        return None
    texts = [[_json_text(value) for value in values] for values in columns.values()]
    raw = []
    for name, column in zip(columns, columns_from_cells(texts, Evidence(".")), strict=True):
        plain, unit = cells.split_unit(name)
        raw.append(replace(column, name=plain, unit=unit))
    if not any(column.texts is None for column in raw):
        return None
    kind = "columns" if isinstance(content, dict) else "records"
    return Table(tuple(raw), replace(source, how=(("read as", f"{how}, {kind}"),)))


def _json_text(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    return repr(value) if isinstance(value, (int, float)) else str(value)


class _Holdings:
    """What an HDF5 file holds: columns by group and length, tables, and what is not read."""

    def __init__(self) -> None:
        self.groups: dict[tuple[str, int], dict[str, tuple[Array, str]]] = {}
        self.alone: list[tuple[str, dict[str, Array]]] = []
        self.elsewhere: list[str] = []
        self.large: list[str] = []
        self.numbers = 0

    def take(self, name: str, item: Any) -> None:
        """Take a dataset, if it is one of numbers."""
        if item.external or item.is_virtual:
            # Its numbers lie in other files of this machine, which a file that was sent must not show.
            self.elsewhere.append(name)
            return
        if item.shape is None or not (item.dtype.names or item.dtype.kind in "iufb"):
            return
        self.numbers += item.size
        if self.numbers > MOST_ROWS:
            self.large.append(f"{name} ({item.size:,} numbers)")
        elif item.ndim == 2 and item.shape[1] <= MOST_COLUMNS and not item.dtype.names:
            self.alone.append((name, _columns_of(np.asarray(item[()], dtype=np.float64))))
        elif item.ndim == 1 and item.dtype.names:
            columns = _fields(item[()])
            if columns:
                self.alone.append((name, columns))
        elif item.ndim == 1:
            group, _, leaf = name.rpartition("/")
            column = (np.asarray(item[()], np.float64), _unit_of(item))
            self.groups.setdefault((group, item.shape[0]), {})[leaf] = column


def from_hdf5(data: bytes, path: str, source: Source) -> list[tuple[str, Table]]:
    """Read datasets: those of one length in a group are a table, a two-dimensional or compound one is a table."""
    import h5py

    holdings = _Holdings()
    try:
        # In the order in which they were made, where the file knows it.
        with h5py.File(io.BytesIO(data), "r", track_order=True) as file:
            for name, item in _datasets(file, holdings.elsewhere, source):
                holdings.take(name, item)
    except OSError as error:
        why = str(error).splitlines()[0]
        raise FileError(
            f"“{source.name}” is damaged or no HDF5 file ({why}). Copy it again, or export the table as CSV.",
            Fault.FILE_DAMAGED,
        ) from None
    if holdings.large and not holdings.groups and not holdings.alone:
        raise FileError(
            f"“{source.name}” declares more than {MOST_ROWS:,} numbers, as {holdings.large[0]}. Cut it down first.",
            Fault.TOO_MANY,
        )
    if holdings.elsewhere:
        raise FileError(
            f"“{source.name}” takes {', '.join(sorted(holdings.elsewhere)[:3])} from other files, which is not followed. "
            "Copy the numbers into the file itself.",
            Fault.NOTHING,
        )
    tables = []
    for (group, _), columns in holdings.groups.items():
        values = {name: pair[0] for name, pair in columns.items()}
        units = {name: pair[1] for name, pair in columns.items()}
        tables.append((group, _columns_table(values, units, source, group or "top")))
    tables += [(name, _columns_table(columns, {}, source, name)) for name, columns in holdings.alone]
    if not tables:
        raise FileError(f"“{source.name}” holds no dataset of numbers.", Fault.NOTHING)
    return tables


def _unit_of(item: Any) -> str:
    """Return the unit that a dataset says, as text; what is no text is none."""
    for name in ("units", "unit"):
        if name in item.attrs:
            try:
                sentence = np.ravel(item.attrs[name])[:1].tolist()
            except (OSError, TypeError, ValueError):
                # A value of a type that has no counterpart.
                continue
            answer = sentence[0] if sentence else ""
            text = answer.decode("utf-8", "replace") if isinstance(answer, bytes) else str(answer)
            return text.encode("utf-8", "replace").decode("utf-8")
    return ""


def _datasets(
    group: Any, elsewhere: list[str], source: Source, within: str = "", depth: int = 0
) -> Iterator[tuple[str, Any]]:
    """Give the datasets in a group and those within, with their paths; links into other files go to ``elsewhere``."""
    import h5py

    if depth > MOST_DEPTH:
        raise FileError(
            f"“{source.name}” has groups within groups deeper than {MOST_DEPTH}. Copy its tables to the top.",
            Fault.TOO_MANY,
        )
    # The names as they are in the file, which need not be UTF-8.
    for raw in group.id:
        name = raw.decode("utf-8", "replace")
        path = f"{within}/{name}" if within else name
        if group.id.links.get_info(raw).type == h5py.h5l.TYPE_EXTERNAL:
            elsewhere.append(path)
            continue
        try:
            item = group[raw]
        except KeyError:
            # A link to nothing.
            continue
        if isinstance(item, h5py.Group):
            yield from _datasets(item, elsewhere, source, path, depth + 1)
        elif isinstance(item, h5py.Dataset):
            yield path, item


def from_numpy(data: bytes, source: Source) -> list[tuple[str, Table]]:
    """Read .npy and .npz arrays of numbers; arrays that hold Python objects are refused unread."""
    try:
        loaded = np.load(io.BytesIO(data), allow_pickle=False)
        arrays = {"": loaded} if isinstance(loaded, np.ndarray) else {name: loaded[name] for name in loaded.files}
        # A member that is no array comes as the bytes that it is.
        arrays = {name: array for name, array in arrays.items() if isinstance(array, np.ndarray)}
    except Exception as error:  # np.load raises a dozen kinds
        why = "it holds Python objects" if "pickle" in str(error).casefold() else str(error).splitlines()[0]
        raise FileError(f"“{source.name}” cannot be read as NumPy arrays: {why}.", Fault.FILE_DAMAGED) from None
    flat = {name: array for name, array in arrays.items() if array.ndim == 1 and array.dtype.kind in "iufb"}
    tables = []
    if flat and len({len(array) for array in flat.values()}) == 1:
        values = {name or "y": np.asarray(array, np.float64) for name, array in flat.items()}
        tables.append(("", _columns_table(values, {}, source, "arrays")))
    elif flat:
        lengths = ", ".join(f"{name} has {len(array)}" for name, array in flat.items())
        raise FileError(f"“{source.name}” has arrays of different lengths: {lengths}.", Fault.FILE_DAMAGED)
    for name, array in arrays.items():
        if array.dtype.names and array.ndim == 1:
            fields = _fields(array)
            if fields:
                tables.append((name, _columns_table(fields, {}, source, name or "records")))
        elif array.ndim == 2 and array.dtype.kind in "iufb":
            columns = _columns_of(np.asarray(array, np.float64))
            tables.append((name, _columns_table(columns, {}, source, name or "array")))
    if not tables:
        raise FileError(f"“{source.name}” holds no array of numbers with one or two dimensions.", Fault.NOTHING)
    return tables


def _fields(block: Any) -> dict[str, Array]:
    """Return the fields of records that are numbers; one of several numbers is as many columns."""
    out: dict[str, Array] = {}
    for name in block.dtype.names:
        values = block[name]
        if values.dtype.names or values.dtype.kind not in "iufb":
            continue
        across = values.reshape(len(values), -1) if len(values) else values.reshape(0, 1)
        check_columns(across.shape[1], name)
        for place in range(across.shape[1]):
            called = name if across.shape[1] == 1 else f"{name} {place + 1}"
            out[called] = np.asarray(across[:, place], np.float64)
    return out


def _columns_table(values: dict[str, Array], units: dict[str, str], source: Source, part: str) -> Table:
    if not values or not len(next(iter(values.values()))):
        raise FileError(f"“{source.name}” holds an empty table.", Fault.NOTHING)
    columns = list(values.items())
    if len(columns) == 1:
        columns.insert(0, ("row", np.arange(1.0, len(columns[0][1]) + 1)))
    raw = tuple(RawColumn(name, units.get(name, ""), np.ascontiguousarray(column)) for name, column in columns)
    return Table(
        raw, replace(source, how=(("read as", f"datasets of {part}"),), options={**source.options, "part": part})
    )


def _columns_of(block: Array) -> dict[str, Array]:
    """Return the columns of a block of numbers; its longer side runs down."""
    if block.shape[0] < block.shape[1] and block.shape[0] <= 8:
        block = block.T
    check_columns(block.shape[1], "The block")
    names = ["x", "y"] + [f"column {i}" for i in range(3, block.shape[1] + 1)]
    return {name: block[:, i].copy() for i, name in enumerate(names[: block.shape[1]])}
