"""A study whose texts can be written anywhere: names that hold control characters would end pages, tables and figures."""

from __future__ import annotations

import dataclasses
from typing import Any, TypeVar

import msgspec

from vettore.core.cells.texts import plain
from vettore.study.study import Study
from vettore.study.table import Table

Thing = TypeVar("Thing")


def with_plain_texts(study: Study) -> Study:
    """Return a study with spaces in the place of what is no character; the very same one where there is none."""
    parts = tuple(map(_plain, study.parts))
    title = plain(study.title)
    if title == study.title and all(a is b for a, b in zip(parts, study.parts, strict=True)):
        return study
    return Study(title, parts, study.counter)


def _plain(thing: Thing) -> Thing:
    """Return a thing with plain texts; the very same where all are."""
    changed: Any = thing
    if isinstance(thing, str):
        changed = plain(thing)
        return thing if changed == thing else changed
    if isinstance(thing, tuple):
        items = [_plain(item) for item in thing]
        if all(a is b for a, b in zip(items, thing, strict=True)):
            return thing
        changed = type(thing)(*items) if hasattr(thing, "_fields") else tuple(items)
    elif isinstance(thing, Table):
        # Cells are looked at where they are written; there may be millions.
        source = _plain(thing.source)
        changed = thing if source is thing.source else dataclasses.replace(thing, source=source)
    elif isinstance(thing, msgspec.Struct):
        by_name = _changed({name: getattr(thing, name) for name in thing.__struct_fields__})
        changed = msgspec.structs.replace(thing, **by_name) if by_name else thing
    elif dataclasses.is_dataclass(thing) and not isinstance(thing, type):
        by_name = _changed(
            {field.name: getattr(thing, field.name) for field in dataclasses.fields(thing) if field.init}
        )
        changed = dataclasses.replace(thing, **by_name) if by_name else thing
    return changed


def _changed(values: dict[str, Any]) -> dict[str, Any]:
    by_name = {name: _plain(value) for name, value in values.items()}
    return {name: value for name, value in by_name.items() if value is not values[name]}
