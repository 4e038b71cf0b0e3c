"""The numbers of Vettore. Knows no file, no window and no plotting library.

These names and behaviours are fixed, since people script against them. Each is loaded when it is first asked for, so that
importing one part of the core does not import all of it.
"""

from __future__ import annotations

import importlib
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from vettore.core.columns.practice_data import PracticeData, practice
    from vettore.core.columns.statistics import Description, Relation, describe, relation
    from vettore.core.curve import Crossing, Curve, PolynomialCurve, TurningPoint
    from vettore.core.design.next_rows import WhereNext, rows_needed, where_next
    from vettore.core.design.planning import Plan, plan_rows
    from vettore.core.errors import DataError, FormulaError, VettoreError
    from vettore.core.fitting.after.checks import Check, checks
    from vettore.core.fitting.after.compare import Compared, akaike_weights, compare
    from vettore.core.fitting.after.intervals import bootstrap_intervals, profile_intervals
    from vettore.core.fitting.after.unknowns import Unknowns, unknowns
    from vettore.core.fitting.coefficients import Coefficient
    from vettore.core.fitting.fit_many import fit_many
    from vettore.core.fitting.fit_polynomial import fit_polynomial
    from vettore.core.fitting.linear.polynomial import polynomial_formula
    from vettore.core.fitting.many import ManyFits
    from vettore.core.fitting.result import FitResult
    from vettore.core.fitting.shared import SharedFit, fit_shared
    from vettore.core.integration.derivative import Derivative, differentiate
    from vettore.core.integration.function import FunctionArea, integrate_function
    from vettore.core.integration.peaks import Peak, find_peaks, measure_peak
    from vettore.core.integration.sampled import SampledArea, integrate
    from vettore.core.interpolation.interpolant import Interpolant, interpolate
    from vettore.core.models.catalogue import CATALOGUE, model
    from vettore.core.models.model import Model
    from vettore.core.peaks.fit_peaks import fit_peaks
    from vettore.core.peaks.peak import FittedPeak
    from vettore.core.peaks.result import PeaksFit
    from vettore.core.polynomials.polynomial import Polynomial
    from vettore.core.surface.summits import Summit
    from vettore.core.surface.surface import Surface, grid
    from vettore.core.systems.any_fit import fit
    from vettore.core.systems.fit_system import fit_system
    from vettore.core.systems.result import SystemFit
    from vettore.core.systems.runs import RunsFit, fit_runs

# Where each name is.
_WHERE = {
    "CATALOGUE": "models.catalogue",
    "Check": "fitting.after.checks",
    "Coefficient": "fitting.coefficients",
    "Compared": "fitting.after.compare",
    "Crossing": "curve",
    "Curve": "curve",
    "DataError": "errors",
    "Derivative": "integration.derivative",
    "Description": "columns.statistics",
    "FitResult": "fitting.result",
    "FormulaError": "errors",
    "FunctionArea": "integration.function",
    "Interpolant": "interpolation.interpolant",
    "ManyFits": "fitting.many",
    "Model": "models.model",
    "Peak": "integration.peaks",
    "Polynomial": "polynomials.polynomial",
    "Plan": "design.planning",
    "PolynomialCurve": "curve",
    "PracticeData": "columns.practice_data",
    "Relation": "columns.statistics",
    "RunsFit": "systems.runs",
    "SampledArea": "integration.sampled",
    "SharedFit": "fitting.shared",
    "Summit": "surface.summits",
    "Surface": "surface.surface",
    "SystemFit": "systems.result",
    "TurningPoint": "curve",
    "Unknowns": "fitting.after.unknowns",
    "VettoreError": "errors",
    "WhereNext": "design.next_rows",
    "akaike_weights": "fitting.after.compare",
    "bootstrap_intervals": "fitting.after.intervals",
    "checks": "fitting.after.checks",
    "compare": "fitting.after.compare",
    "describe": "columns.statistics",
    "differentiate": "integration.derivative",
    "find_peaks": "integration.peaks",
    "FittedPeak": "peaks.peak",
    "PeaksFit": "peaks.result",
    "fit_peaks": "peaks.fit_peaks",
    "fit": "systems.any_fit",
    "fit_many": "fitting.fit_many",
    "fit_polynomial": "fitting.fit_polynomial",
    "fit_runs": "systems.runs",
    "fit_shared": "fitting.shared",
    "fit_system": "systems.fit_system",
    "grid": "surface.surface",
    "integrate": "integration.sampled",
    "integrate_function": "integration.function",
    "interpolate": "interpolation.interpolant",
    "measure_peak": "integration.peaks",
    "model": "models.catalogue",
    "polynomial_formula": "fitting.linear.polynomial",
    "practice": "columns.practice_data",
    "profile_intervals": "fitting.after.intervals",
    "relation": "columns.statistics",
    "plan_rows": "design.planning",
    "rows_needed": "design.next_rows",
    "unknowns": "fitting.after.unknowns",
    "where_next": "design.next_rows",
}

__all__ = [
    "CATALOGUE",
    "Check",
    "Coefficient",
    "Compared",
    "Crossing",
    "Curve",
    "DataError",
    "Derivative",
    "Description",
    "FitResult",
    "FittedPeak",
    "FormulaError",
    "FunctionArea",
    "Interpolant",
    "ManyFits",
    "Model",
    "Peak",
    "PeaksFit",
    "Plan",
    "Polynomial",
    "PolynomialCurve",
    "PracticeData",
    "Relation",
    "RunsFit",
    "SampledArea",
    "SharedFit",
    "Summit",
    "Surface",
    "SystemFit",
    "TurningPoint",
    "Unknowns",
    "VettoreError",
    "WhereNext",
    "akaike_weights",
    "bootstrap_intervals",
    "checks",
    "compare",
    "describe",
    "differentiate",
    "find_peaks",
    "fit",
    "fit_many",
    "fit_peaks",
    "fit_polynomial",
    "fit_runs",
    "fit_shared",
    "fit_system",
    "grid",
    "integrate",
    "integrate_function",
    "interpolate",
    "measure_peak",
    "model",
    "plan_rows",
    "polynomial_formula",
    "practice",
    "profile_intervals",
    "relation",
    "rows_needed",
    "unknowns",
    "where_next",
]


def __getattr__(name: str) -> Any:
    if name not in _WHERE:
        raise AttributeError(f"vettore.core has no “{name}”.")
    value = getattr(importlib.import_module(f"vettore.core.{_WHERE[name]}"), name)
    globals()[name] = value
    return value


def __dir__() -> list[str]:
    return sorted({*globals(), *__all__})
