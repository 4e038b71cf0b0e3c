"""What every kind of reading is and gives: a number asked of a fitted curve.

Readings of one fit rest on the same coefficients, so covariance. Each therefore carries its spread, the
vector v with var = ‖v‖² and covariances as dot products (see core.curve).
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import Enum
from typing import Any, ClassVar, Self

import numpy as np

from vettore.core import units
from vettore.core.arrays import Array
from vettore.core.budget import Distribution
from vettore.core.curve import Crossing, TurningPoint
from vettore.core.design.next_rows import Improve
from vettore.study.fitting.fits import DerivedFit
from vettore.study.kinds.part import Part
from vettore.study.series import Role


class Problem(Enum):
    """Why a reading has no answer."""

    NO_VALUE = "no value"
    NO_AREA = "no area"
    SEVERAL_COLUMNS = "several columns"
    REFUSED = "refused"


@dataclass(frozen=True)
class Neighbour:
    """A measured row beside a reading."""

    row: int
    x: float
    y: float


@dataclass(frozen=True, eq=False)
class Spread:
    """How a number varies: with the coefficients (m,), None where that is not known, and by itself (a variance)."""

    shared: Array | None
    own: float = 0.0

    @property
    def standard_error(self) -> float | None:
        """The standard error, None where it is not known."""
        if self.shared is None:
            return None
        size = math.sqrt(float(self.shared @ self.shared) + self.own)
        return size if math.isfinite(size) else None


@dataclass(frozen=True, eq=False)
class Given:
    """A number that a formula may name, with its spread and the powers of units that it has.

    ``law`` is how what it has of its own is distributed.
    """

    value: float
    spread: Spread
    powers: Mapping[str, float] | None
    law: Distribution = Distribution.NORMAL


@dataclass(frozen=True)
class DerivedReading:
    """What a reading says: a value with its errors and neighbours, crossings, or turns. Beyond the data is said.

    ``places`` (x, y) are where it stands on the plot, one for each number. A plan of rows says at which x, ``planned``, and
    what its value was ``before``. The intervals of ``crossings`` hold with ``level``.
    ``problem`` says why there is no answer; a sentence comes along where the answer was refused with one.
    """

    recipe: Reading
    value: float | None = None
    standard_error: float | None = None
    slope: float | None = None
    slope_error: float | None = None
    neighbours: tuple[Neighbour, ...] = ()
    crossings: tuple[Crossing, ...] = ()
    turns: tuple[TurningPoint, ...] = ()
    places: tuple[tuple[float, float], ...] = ()
    beyond: bool = False
    unit: str = ""
    level: float = 0.95
    before: float | None = None
    planned: tuple[float, ...] = ()
    problem: Problem | None = None
    refusal: str = ""


class Reading(Part, frozen=True, kw_only=True):
    """A number asked of ``curve``. A kind says its fields, what may be typed for it, and how it is derived."""

    letter: ClassVar[str] = "r"

    curve: str = ""
    name: str = ""

    @classmethod
    def typed(cls, text: str, curve: str) -> list[Self]:
        """Return the readings that a typed text asks for. Raises VettoreError."""
        raise NotImplementedError

    @property
    def given_name(self) -> str:
        """The name that the reading itself says, if any."""
        return ""

    @property
    def asked_for(self) -> Improve | None:
        """How its number is named where rows are planned that make it better known; None where that is not foretold."""
        return None

    @property
    def over_curve(self) -> bool:
        """Whether it needs a curve over x alone."""
        return True

    def derive(self, fit: DerivedFit, kept: Sequence[Reading]) -> DerivedReading:
        """Return what it says of a fit; ``kept`` are the readings beside it, which a formula may name."""
        raise NotImplementedError

    def number(self, fit: DerivedFit, reading: DerivedReading, kept: Sequence[Reading]) -> Given | None:
        """Return the reading as a number that formulas may use; None when it is not one number."""
        return None

    def renamed(self, old: str, new: str) -> Self:
        """Return the reading after another one that it may name was renamed."""
        return self

    def refers_to(self) -> tuple[str, ...]:
        """A reading is nothing without its curve."""
        return (self.curve,)


def read(fit: DerivedFit, reading: Reading, kept: Sequence[Reading] = ()) -> DerivedReading:
    """Ask a fit; ``kept`` are the readings that a formula may name."""
    if fit.curve is None and reading.over_curve:
        return DerivedReading(reading, problem=Problem.SEVERAL_COLUMNS)
    return reading.derive(fit, kept)


def units_of(fit: DerivedFit) -> tuple[str, str]:
    """Return the units of x and of what was fitted."""
    return fit.series.name_and_unit(Role.X)[1], fit.y_called[1]


def known(value: float) -> float | None:
    """Return a number, None where it is not finite."""
    return value if math.isfinite(value) else None


def at_x(fit: DerivedFit, at: float) -> dict[str, Any]:
    """Return what stands beside a reading at x: slope, neighbours, whether it lies beyond the data."""
    curve = fit.result.curve
    return {
        "slope": float(curve.slope(at)),
        "slope_error": known(float(curve.slope_error(at))),
        "neighbours": neighbours(fit, at),
        "beyond": curve.is_beyond(at),
    }


def neighbours(fit: DerivedFit, at: float) -> tuple[Neighbour, ...]:
    """Return the nearest measured row on each side, in order of x."""
    x, y = fit.result.x, fit.result.y
    places = []
    below, above = np.flatnonzero(x <= at), np.flatnonzero(x > at)
    if len(below):
        places.append(below[np.argmax(x[below])])
    if len(above):
        places.append(above[np.argmin(x[above])])
    return tuple(Neighbour(int(fit.rows[place]), float(x[place]), float(y[place])) for place in places)


def powers_of(*powers: Mapping[str, float]) -> dict[str, float]:
    """Return units to their powers, taken apart so that a mass over a concentration is a volume."""
    out: dict[str, float] = {}
    for units_and_powers in powers:
        for unit, power in units_and_powers.items():
            for part, times in units.parts(unit).items():
                out[part] = out.get(part, 0.0) + times * power
    return {part: power for part, power in out.items() if power}
