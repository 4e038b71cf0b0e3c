"""A formula over the columns of a series, fitted to it."""

from __future__ import annotations

from typing import ClassVar, Literal

from vettore.core.fitting.request import DEFAULT_SEED
from vettore.core.models.catalogue import CATALOGUE
from vettore.study.kinds.fit import Fit


class FormulaFit(Fit, frozen=True, kw_only=True, tag="formula fit"):
    """``model`` is the key of the catalogue's model that the formula came from.

    ``hold``, ``start`` are (name, value), ``limits`` (name, low, high) with None for no limit. ``called`` is the name that
    the user gave to a formula of their own. ``seed`` is that of the search.
    """

    # A formula says itself whether there is a constant.
    intercept: ClassVar[bool] = True

    formula: str
    model: str = ""
    called: str = ""
    hold: tuple[tuple[str, float], ...] = ()
    start: tuple[tuple[str, float], ...] = ()
    limits: tuple[tuple[str, float | None, float | None], ...] = ()
    loss: Literal["squares", "huber", "cauchy", "tukey"] = "squares"
    seed: int = DEFAULT_SEED

    @property
    def name(self) -> str:
        """The name on screen."""
        if self.model in CATALOGUE:
            return CATALOGUE[self.model].name
        return self.called or "Formula"
