"""Several equations fitted to the columns of a series: rates, reactions, columns that share coefficients."""

from __future__ import annotations

from enum import StrEnum
from typing import ClassVar

import msgspec

from vettore.core.fitting.request import DEFAULT_SEED
from vettore.study.kinds.part import Part


class AskedFor(StrEnum):
    """What is read off a fitted system."""

    VALUE = "value"
    PLACE = "place"
    MAXIMUM = "maximum"
    MINIMUM = "minimum"
    AREA = "area"
    NUMBER = "number"


class SystemReading(msgspec.Struct, frozen=True):
    """A number read off the ``curve`` of a column or state, at or between places; of ``number`` it is a ``formula``."""

    what: AskedFor
    curve: str = ""
    at: float | None = None
    to: float | None = None
    formula: str = ""


class EquationsRecipe(Part, frozen=True, kw_only=True, tag="equations"):
    """The ``text`` of the equations, see core.fit_system; ``over`` is the column that runs, "" that of x.

    ``scheme`` is the key of the scheme that they came from, ``called`` a name that the user gave. ``hold`` and ``start`` are
    (name, value), ``limits`` (name, low, high) with None for no limit. ``shows_states`` draws states that nobody measured.
    """

    letter: ClassVar[str] = "e"

    series: str
    text: str
    over: str = ""
    scheme: str = ""
    called: str = ""
    hold: tuple[tuple[str, float], ...] = ()
    start: tuple[tuple[str, float], ...] = ()
    limits: tuple[tuple[str, float | None, float | None], ...] = ()
    seed: int = DEFAULT_SEED
    shows_states: bool = True
    readings: tuple[SystemReading, ...] = ()

    def refers_to(self) -> tuple[str, ...]:
        """They are nothing without their series."""
        return (self.series,)
