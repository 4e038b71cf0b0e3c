"""A library of a user's own models: an open JSON file, see docs/LIBRARY-FORMAT.md. Every formula is in x and y."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

import msgspec

from vettore.core.errors import Fault, VettoreError
from vettore.core.models.model import Model, own_model
from vettore.files.refusals import FileError, read_bytes
from vettore.files.whole import write_whole

FORMAT = 1


class ModelRecord(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One model as the file tells it."""

    name: str
    formula: str
    note: str = ""
    meanings: dict[str, str] = {}


class LibraryRecord(msgspec.Struct, frozen=True):
    """The whole file."""

    format: int
    models: tuple[ModelRecord, ...]


def read_library(path: Path) -> tuple[Model, ...]:
    """Return the models of a library. Raises FileError, which names the model that is at fault."""
    data = read_bytes(path)
    try:
        version = msgspec.json.decode(data, type=dict).get("format")
        if isinstance(version, int) and version > FORMAT:
            raise FileError(
                f"“{path.name}” was written by a newer Vettore (format {version}). Update Vettore.", Fault.FILE_NEWER
            )
        record = msgspec.json.decode(data, type=LibraryRecord)
    except (msgspec.MsgspecError, UnicodeDecodeError) as error:
        raise FileError(
            f"“{path.name}” is not a library of models, or it is damaged: {error}.", Fault.FILE_DAMAGED
        ) from None
    models: dict[str, Model] = {}
    for number, model in enumerate(record.models, 1):
        try:
            result = own_model(model.name, model.formula, "x", "y", model.note, model.meanings)
        except VettoreError as error:
            raise FileError(
                f"Model {number} of “{path.name}”, {model.name}, cannot be used: {error}", Fault.FILE_DAMAGED
            ) from None
        if result.key in models:
            raise FileError(
                f"“{path.name}” has two models called {model.name}. Give one of them another name.",
                Fault.FILE_DAMAGED,
            )
        models[result.key] = result
    return tuple(models.values())


def write_library(path: Path, models: Iterable[Model]) -> None:
    """Write models as a library, whole or not at all. Raises FileError."""
    records = tuple(ModelRecord(model.name, model.formula, model.use, dict(model.meanings)) for model in models)
    encoded = msgspec.json.encode(LibraryRecord(FORMAT, records))
    write_whole(path, msgspec.json.format(encoded, indent=1) + b"\n", make_folder=True)
