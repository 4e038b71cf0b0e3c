"""The edits that every kind of part shares: add, change, put and remove, with what refers to it."""

from __future__ import annotations

from collections.abc import Container
from dataclasses import replace

from vettore.core.errors import Fault, VettoreError
from vettore.study.study import AnyPart, Study


def add(study: Study, part: AnyPart) -> Study:
    """Add a part at the end; it gets an id. Raises VettoreError where it refers to what is not there."""
    result = part.changed(id=f"{part.letter}{study.counter + 1}")
    _check(study, result)
    return replace(study, parts=(*study.parts, result), counter=study.counter + 1)


def change(study: Study, part: AnyPart) -> Study:
    """Replace the part of the same id; what refers to it stays and follows. Raises VettoreError without one."""
    study.find(part.id)
    _check(study, part)
    return _with(study, tuple(part if other.id == part.id else other for other in study.parts))


def put(study: Study, part: AnyPart) -> Study:
    """Replace the part of the same id, or add it with that id: for what there is one of."""
    if any(other.id == part.id for other in study.parts):
        return change(study, part)
    _check(study, part)
    return _with(study, (*study.parts, part))


def _with(study: Study, parts: tuple[AnyPart, ...]) -> Study:
    """Return a study with other parts; series that are filled from others follow them."""
    changed = replace(study, parts=parts)
    if not changed.fillings:
        return changed
    # Loaded only here: it needs all of interpolation, which most studies do not.
    from vettore.study.following import followed

    return followed(study, changed)


def remove(study: Study, identity: str) -> Study:
    """Take a part out, with all that is nothing without it."""
    texts = {identity}
    while True:
        more = {part.id for part in study.parts if part.id not in texts and not texts.isdisjoint(part.refers_to())}
        if not more:
            return replace(study, parts=tuple(part for part in study.parts if part.id not in texts))
        texts |= more


def _check(study: Study, part: AnyPart) -> None:
    missing = missing_of(part, {other.id for other in study.parts})
    if missing:
        raise VettoreError(f"The study has no part “{missing}”.", Fault.NO_SUCH_NAME)


def missing_of(part: AnyPart, there: Container[str]) -> str:
    """Return the id of a part that another refers to and that is not there; empty when none is missing."""
    return next((identity for identity in part.refers_to() if identity not in there), "")
