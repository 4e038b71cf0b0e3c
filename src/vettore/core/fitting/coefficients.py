"""The coefficients of a fit by name, whose values are an array, too."""

from __future__ import annotations

from collections.abc import ValuesView
from dataclasses import dataclass
from typing import Any

import numpy as np

from vettore.core.distributions import t_two_sided


@dataclass(frozen=True)
class Coefficient:
    """One coefficient: its value, and its uncertainty where there is any (None when held or at a limit).

    ``t`` is the value over its standard error, with so many degrees of ``freedom``.
    """

    name: str
    value: float
    standard_error: float | None = None
    low: float | None = None
    high: float | None = None
    t: float | None = None
    freedom: float = 0
    held: bool = False
    at_limit: bool = False

    @property
    def p(self) -> float | None:
        """The probability of a value at least as far from zero if the true one were zero."""
        return None if self.t is None else t_two_sided(self.t, self.freedom)


class _ValuesOrView(np.ndarray[Any, Any]):
    """The values (m,) as an array; called, what ``values()`` of a mapping is."""

    view_of_mapping: ValuesView[Any] | None = None

    def __call__(self) -> Any:
        """Return the coefficients, as any mapping does."""
        return self if self.view_of_mapping is None else self.view_of_mapping


class Coefficients(dict[str, Coefficient]):
    """Coefficients by name. ``values`` is an array (m,), as in a table of numbers; ``values()`` are the coefficients.

    ``standard_errors`` (m,) has NaN where there is none.
    """

    @property
    def values(self) -> Any:
        """The values (m,); called, the coefficients themselves."""
        array = np.array([entry.value for entry in dict.values(self)]).view(_ValuesOrView)
        array.view_of_mapping = dict.values(self)
        return array

    @property
    def standard_errors(self) -> Any:
        """The standard errors (m,), NaN for coefficients that are held or at a limit."""
        errors = [entry.standard_error for entry in dict.values(self)]
        return np.array([np.nan if error is None else error for error in errors])

    def __reduce__(self) -> tuple[Any, ...]:
        return Coefficients, (dict(self),)
