"""The kinds of fits together, and how one becomes the other."""

from __future__ import annotations

from typing import Any, TypeAlias

from vettore.study.kinds.formula_fit import FormulaFit
from vettore.study.kinds.peaks_fit import PeaksRecipe
from vettore.study.kinds.polynomial_fit import PolynomialFit

AnyFit: TypeAlias = PolynomialFit | FormulaFit | PeaksRecipe


def as_polynomial(fit: AnyFit, degree: int, intercept: bool = True) -> PolynomialFit:
    """Return a polynomial with the id, weights and span of a fit."""
    return PolynomialFit(degree=degree, intercept=intercept, **_shared(fit))


def as_formula(fit: AnyFit, formula: str, **fields: Any) -> FormulaFit:
    """Return a fit with another formula; what was decided of coefficients stays but for what ``fields`` say."""
    if isinstance(fit, FormulaFit):
        return fit.changed(formula=formula, **fields)
    return FormulaFit(formula=formula, **{**_shared(fit), **fields})


def as_peaks(fit: AnyFit, **fields: Any) -> PeaksRecipe:
    """Return peaks with the id, weights and span of a fit; what was decided of other peaks stays but for ``fields``."""
    if isinstance(fit, PeaksRecipe):
        return fit.changed(**fields)
    return PeaksRecipe(**{**_shared(fit), **fields})


def bare(fit: AnyFit) -> AnyFit:
    """Return a fit by least squares with nothing decided of its coefficients."""
    if isinstance(fit, PolynomialFit):
        return fit
    if isinstance(fit, PeaksRecipe):
        return as_polynomial(fit, 1)
    return fit.changed(model="", called="", hold=(), start=(), limits=(), loss="squares")


def _shared(fit: AnyFit) -> dict[str, Any]:
    return {
        "id": fit.id,
        "series": fit.series,
        "use_errors": fit.use_errors,
        "errors_known": fit.errors_known,
        "use_x_errors": fit.use_x_errors,
        "span": fit.span,
        "noise": fit.noise,
        "noise_size": fit.noise_size,
    }
