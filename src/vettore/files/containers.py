"""Tables in JSON, HDF5 and NumPy files."""

from __future__ import annotations

import io
from collections.abc import Iterator
from dataclasses import replace
from typing import Any

import msgspec
import numpy as np

from vettore.core import cells
from vettore.core.arrays import Array
from vettore.core.number_marks import Evidence
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
        raise FileError(f"“{source.name}” is not valid JSON: {error}.") from None
    found = _json_table(content, source, "JSON")
    if found is not None:
        return [("", found)]
    tables = []
    if isinstance(content, dict):
        for key, part in content.items():
            table = _json_table(part, source, f"JSON, under “{key}”")
            if table is not None:
                tables.append((str(key), table))
    if not tables:
        raise FileError(f"“{source.name}” holds JSON, but neither columns nor records of numbers.")
    return tables


def _json_table(content: Any, source: Source, how: str) -> Table | None:
    columns: dict[str, list[Any]] = {}
    if isinstance(content, dict):
        columns = {
            str(k): v for k, v in content.items() if isinstance(v, list) and v and not isinstance(v[0], (dict, list))
        }
        lengths = {len(v) for v in columns.values()}
        if len(lengths) > 1:
            told = ", ".join(f"{name} has {len(v)}" for name, v in columns.items())
            raise FileError(f"“{source.name}” has columns of different lengths: {told}. Make them the same length.")
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


def from_hdf5(data: bytes, path: str, source: Source) -> list[tuple[str, Table]]:
    """Read datasets: those of one length in a group are a table, a two-dimensional or compound one is a table."""
    import h5py

    try:
        # In the order in which they were made, where the file knows it.
        with h5py.File(io.BytesIO(data), "r", track_order=True) as file:
            groups: dict[str, dict[str, Any]] = {}
            alone: list[tuple[str, Table]] = []
            elsewhere: list[str] = []
            large: list[str] = []
            numbers = 0
            for name, item in _datasets(file, elsewhere, source):
                if item.external or item.is_virtual:
                    # Its numbers lie in other files of this machine, which a file that was sent must not show.
                    elsewhere.append(name)
                    continue
                if item.shape is None or item.dtype.kind not in "iufbV":
                    continue
                numbers += item.size
                if numbers > MOST_ROWS:
                    large.append(f"{name} ({item.size:,} numbers)")
                    continue
                if item.ndim == 2 and item.shape[1] <= MOST_COLUMNS:
                    block = np.asarray(item[()], dtype=np.float64)
                    alone.append((name, _array_table(block, None, source, name)))
                elif item.ndim == 1 and item.dtype.names:
                    block = item[()]
                    columns = {
                        n: np.asarray(block[n], dtype=np.float64)
                        for n in item.dtype.names
                        if block[n].dtype.kind in "iufb"
                    }
                    alone.append((name, _columns_table(columns, {}, source, name)))
                elif item.ndim == 1:
                    group, _, leaf = name.rpartition("/")
                    unit = item.attrs.get("units", item.attrs.get("unit", ""))
                    unit = unit.decode() if isinstance(unit, bytes) else str(unit)
                    groups.setdefault(f"{group}\0{item.shape[0]}", {})[leaf] = (
                        np.asarray(item[()], np.float64),
                        unit,
                    )

            if large and not groups and not alone:
                raise FileError(
                    f"“{source.name}” declares more than {MOST_ROWS:,} numbers, as {large[0]}. Cut it down first."
                )
            if elsewhere:
                raise FileError(
                    f"“{source.name}” takes {', '.join(sorted(elsewhere)[:3])} from other files, which is not followed. "
                    "Copy the numbers into the file itself."
                )
    except OSError as error:
        raise FileError(f"“{source.name}” is damaged or no HDF5 file: {str(error).splitlines()[0]}.") from None
    tables = []
    for key, columns in groups.items():
        group = key.partition("\0")[0]
        values = {name: pair[0] for name, pair in columns.items()}
        tables.append((group, _columns_table(values, {n: p[1] for n, p in columns.items()}, source, group or "top")))
    if not tables + alone:
        raise FileError(f"“{source.name}” holds no dataset of numbers.")
    return tables + alone


def _datasets(
    group: Any, elsewhere: list[str], source: Source, within: str = "", depth: int = 0
) -> Iterator[tuple[str, Any]]:
    """Give the datasets in a group and those within, with their paths; links into other files go to ``elsewhere``."""
    import h5py

    if depth > MOST_DEPTH:
        raise FileError(
            f"“{source.name}” has groups within groups deeper than {MOST_DEPTH}. Copy its tables to the top."
        )
    for name in group:
        path = f"{within}/{name}" if within else str(name)
        if isinstance(group.get(name, getlink=True), h5py.ExternalLink):
            elsewhere.append(path)
            continue
        item = group.get(name)
        if isinstance(item, h5py.Group):
            yield from _datasets(item, elsewhere, source, path, depth + 1)
        elif isinstance(item, h5py.Dataset):
            yield path, item


def from_numpy(data: bytes, source: Source) -> list[tuple[str, Table]]:
    """Read .npy and .npz arrays of numbers; arrays that hold Python objects are refused unread."""
    try:
        loaded = np.load(io.BytesIO(data), allow_pickle=False)
        arrays = {"": loaded} if isinstance(loaded, np.ndarray) else {name: loaded[name] for name in loaded.files}
    except Exception as error:  # np.load raises a dozen kinds
        why = "it holds Python objects" if "pickle" in str(error).casefold() else str(error).splitlines()[0]
        raise FileError(f"“{source.name}” cannot be read as NumPy arrays: {why}.") from None
    flat = {name: array for name, array in arrays.items() if array.ndim == 1 and array.dtype.kind in "iufb"}
    tables = []
    if flat and len({len(array) for array in flat.values()}) == 1:
        values = {name or "y": np.asarray(array, np.float64) for name, array in flat.items()}
        tables.append(("", _columns_table(values, {}, source, "arrays")))
    elif flat:
        told = ", ".join(f"{name} has {len(array)}" for name, array in flat.items())
        raise FileError(f"“{source.name}” has arrays of different lengths: {told}.")
    for name, array in arrays.items():
        if array.dtype.names and array.ndim == 1:
            tables.append((name, _columns_table(_fields(array), {}, source, name or "records")))
        elif array.ndim == 2 and array.dtype.kind in "iufb":
            tables.append((name, _array_table(np.asarray(array, np.float64), None, source, name or "array")))
    if not tables:
        raise FileError(f"“{source.name}” holds no array of numbers with one or two dimensions.")
    return tables


def _fields(block: Any) -> dict[str, Array]:
    return {n: np.asarray(block[n], np.float64) for n in block.dtype.names if block[n].dtype.kind in "iufb"}


def _columns_table(values: dict[str, Array], units: dict[str, str], source: Source, part: str) -> Table:
    if not values or not len(next(iter(values.values()))):
        raise FileError(f"“{source.name}” holds an empty table.")
    columns = list(values.items())
    if len(columns) == 1:
        columns.insert(0, ("row", np.arange(1.0, len(columns[0][1]) + 1)))
    raw = tuple(RawColumn(name, units.get(name, ""), np.ascontiguousarray(column)) for name, column in columns)
    return Table(
        raw, replace(source, how=(("read as", f"datasets of {part}"),), options={**source.options, "part": part})
    )


def _array_table(block: Array, names: list[str] | None, source: Source, part: str) -> Table:
    # The longer side runs down.
    if block.shape[0] < block.shape[1] and block.shape[0] <= 8:
        block = block.T
    check_columns(block.shape[1], source.name)
    names = names or ["x", "y"] + [f"column {i}" for i in range(3, block.shape[1] + 1)]
    return _columns_table({n: block[:, i].copy() for i, n in enumerate(names[: block.shape[1]])}, {}, source, part)
