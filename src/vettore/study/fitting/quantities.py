"""The units of a fit's coefficients, and the quantities that follow from them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from vettore.core import units
from vettore.core.formula.coefficient_units import CoefficientUnits
from vettore.core.models.catalogue import CATALOGUE
from vettore.core.peaks.peak import NUMBERS
from vettore.study.fitting.fits import DerivedFit
from vettore.study.series import Role, Series

if TYPE_CHECKING:
    from vettore.core.fitting.after.propagate import Derived


def coefficient_unit(series: Series, power: int) -> str:
    """Return the unit of the coefficient of x to a power."""
    x, y = series.column(Role.X), series.column(Role.Y)
    return units.quotient(y.unit if y else "", units.power(x.unit if x else "", power))


def coefficient_units(fit: DerivedFit) -> Sequence[str]:
    """Return the units of all coefficients of a fit, in order; blank where they cannot be told."""
    answer = fit.formula_units
    if answer is not None:
        return [answer.units[name] or "" for name in fit.result.coefficients]
    first = 0 if fit.recipe.intercept else 1
    return [coefficient_unit(fit.series, first + k) for k in range(len(fit.result.coefficients))]


def derived_quantities(fit: DerivedFit) -> tuple[tuple[Derived, str], ...]:
    """Return what the model of a fit derives from its coefficients, each with its unit."""
    from vettore.core.fitting.after.propagate import quantities

    if fit.peaks is not None:
        return quantities_of_peaks(fit)
    model, answer = CATALOGUE.get(fit.recipe.model), fit.formula_units
    if model is None or answer is None:
        return ()
    called = model.names_beside([column.name for column in fit.series.columns])
    if not set(called.values()) <= set(fit.result.coefficients):
        return ()
    known = {name: answer.exponents[new] for name, new in called.items()}
    named = CoefficientUnits({}, (), known)
    return tuple((quantity, named.of(quantity.tree)) for quantity in quantities(model, fit.result, called))


def unit_of(series: Series, number: str) -> str:
    """Return the unit of a number of a peak: place, height, width or area."""
    x, y = series.name_and_unit(Role.X)[1], series.name_and_unit(Role.Y)[1]
    return units.product(y, x) if number == "area" else y if number == "height" else x


def quantities_of_peaks(fit: DerivedFit) -> tuple[tuple[Derived, str], ...]:
    """Return the numbers of all peaks that are no coefficients themselves, each with its unit."""
    # Loaded only here: most fits are no peaks.
    from vettore.core.fitting.after.propagate import Derived
    from vettore.core.formula.tree import Name

    peaks = () if fit.peaks is None else fit.peaks.peaks
    out = []
    for peak in peaks:
        own = [(item.value, item.standard_error) for item in peak.coefficients.values()]
        for number in NUMBERS:
            at = getattr(peak, number)
            if (at.value, at.standard_error) not in own:
                name = f"{number} of peak {peak.number}"
                out.append((Derived(name, at.value, at.standard_error, Name(number)), unit_of(fit.series, number)))
    return tuple(out)
