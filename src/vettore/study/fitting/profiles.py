"""Ranges of coefficients from the likelihood: how far each can go while the others follow."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from vettore.core.errors import DataError, Fault
from vettore.core.fitting.noises.listed import NOISES
from vettore.core.fitting.result import FitMethod
from vettore.study.fitting.fits import DerivedFit
from vettore.study.kinds.formula_fit import FormulaFit
from vettore.study.series import Role

if TYPE_CHECKING:
    from vettore.core.fitting.after.intervals import Interval


def likelihood_ranges(fit: DerivedFit) -> Mapping[str, Interval]:
    """Return the range of each coefficient that has one, at the level of the fit; None for a side without a bound.

    Those of a fit that is linear in its coefficients, and of counts, are the ranges that it has. Raises DataError where the
    likelihood is not that of least squares.
    """
    from vettore.core.fitting.after.intervals import profile_intervals

    result, recipe = fit.result, fit.recipe
    if not result.converged:
        raise DataError("The search did not converge, so there is no likelihood to go down from.", Fault.NOT_TOLD)
    own = {name: (coefficient.low, coefficient.high) for name, coefficient in result.coefficients.items()}
    if result.method is FitMethod.LINEAR or not isinstance(recipe, FormulaFit):
        return own
    sigma = fit.series.sigma if recipe.use_errors and NOISES[recipe.noise].takes_errors else None
    spread = None if sigma is None else {fit.series.name_and_unit(Role.Y)[0]: sigma[fit.rows]}
    names = tuple(name for name in result.fitted_names if result.coefficients[name].standard_error is not None)
    return {**own, **profile_intervals(result, fit.series.numbers(fit.rows), names, spread)}
