"""Where rows more would tell most: a plan that is kept, and follows the fit."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Self

from vettore.core.design.next_rows import MOST_ROWS
from vettore.core.errors import DataError, Fault, VettoreError
from vettore.study.fitting.fits import DerivedFit
from vettore.study.fitting.planned import improve_of, plan_next
from vettore.study.fitting.quantities import coefficient_units
from vettore.study.kinds.readings.base import DerivedReading, Problem, Reading

# A name and, after it, how many rows: "k × 3".
TYPED = re.compile(r"\s*(?P<wanted>[^×*]*?)\s*(?:[×*]\s*(?P<rows>\d+))?\s*")


class PlanReading(Reading, frozen=True, kw_only=True, tag="plan reading"):
    """The places for so many ``rows`` more that make ``improve`` best known.

    That is a coefficient, "all" of them, or a kept reading by its name. ``price`` says what a row costs, as a formula of x.
    """

    improve: str = "all"
    rows: int = 1
    price: str = ""

    @classmethod
    def typed(cls, text: str, curve: str) -> list[Self]:
        """A coefficient, a reading's name or "all", and how many rows: ``k × 3``. All coefficients by one row when blank."""
        match = TYPED.fullmatch(text)
        rows = int(match["rows"] or 1) if match is not None else 0
        if match is None or not 1 <= rows <= MOST_ROWS:
            raise DataError(
                f"“{text}” is no plan; write what is to be known better and by how many rows, as k × 3.",
                Fault.NOT_READABLE,
            )
        return [cls(curve=curve, improve=match["wanted"] or "all", rows=rows)]

    def derive(self, fit: DerivedFit, kept: Sequence[Reading]) -> DerivedReading:
        """Return what its ± becomes, what it is now, and the places."""
        try:
            where_next = plan_next(fit, improve_of(fit, self.improve, kept), self.rows, self.price)
        except VettoreError as error:
            return DerivedReading(self, problem=Problem.REFUSED, refusal=str(error))
        units = dict(zip(fit.result.coefficients, coefficient_units(fit), strict=True))
        if self.improve not in units:
            # A kept reading; for all coefficients there is none, and no unit.
            of = next(
                (reading for reading in kept if reading.name == self.improve and reading.asked_for is not None), None
            )
            units[self.improve] = "" if of is None else of.derive(fit, kept).unit
        curve = fit.result.curve
        return DerivedReading(
            self,
            where_next.planned,
            before=where_next.now,
            planned=where_next.plan,
            places=tuple((x, float(curve(x))) for x in dict.fromkeys(where_next.plan)),
            unit=units.get(self.improve) or "",
        )

    def renamed(self, old: str, new: str) -> Self:
        """Return the plan after the reading that it is for was renamed."""
        return self.changed(improve=new) if self.improve == old else self
