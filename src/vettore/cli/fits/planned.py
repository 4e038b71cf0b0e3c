"""The plan of the next rows that ``vettore fit --next`` asks for."""

from __future__ import annotations

from typing import TYPE_CHECKING

from vettore.core.errors import DataError, Fault

if TYPE_CHECKING:
    from vettore.study.fitting.fits import DerivedFit
    from vettore.study.study import Study


def with_plan(study: Study, fit: DerivedFit, improve: str | None, rows: int | None, price: str | None) -> Study:
    """Keep the plan of the next rows that was asked for. Raises DataError for what no rows make better known."""
    from vettore.study import edits
    from vettore.study.fitting.planned import improve_of
    from vettore.study.kinds.readings import PlanReading

    if improve is None:
        useless = [option for option, given in (("--next-rows", rows), ("--price", price)) if given is not None]
        if useless:
            raise DataError(f"{useless[0]} would have no effect here: it is about --next.", Fault.NO_EFFECT)
        return study
    plan = PlanReading(curve=fit.recipe.id, improve=improve, rows=rows or 1, price=price or "")
    improve_of(fit, improve, study.readings_of(fit.recipe.id))
    return edits.keep(study, plan)
