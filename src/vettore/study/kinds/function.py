"""A function of x on a range, kept without any data."""

from __future__ import annotations

from typing import ClassVar

from vettore.study.kinds.part import Part


class FunctionRecipe(Part, frozen=True, tag="function"):
    """Limits as they were typed; one may be infinite."""

    letter: ClassVar[str] = "f"

    formula: str
    start: str
    end: str
