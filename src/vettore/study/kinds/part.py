"""What every part of a study is: a frozen record of something the user decided."""

from __future__ import annotations

from typing import Any, ClassVar, Self

import msgspec


class Part(msgspec.Struct, frozen=True, kw_only=True, tag_field="kind"):
    """A kind says its fields, what it cannot be without, and how it is derived; all else is generic, see study.parts.

    ``letter`` begins the ids that are given to parts of the kind.
    """

    letter: ClassVar[str] = "x"

    id: str = ""

    def refers_to(self) -> tuple[str, ...]:
        """Return the ids of the parts without which this one is nothing: it goes when they go."""
        return ()

    def changed(self, **fields: Any) -> Self:
        """Return a copy with other fields."""
        return msgspec.structs.replace(self, **fields)
