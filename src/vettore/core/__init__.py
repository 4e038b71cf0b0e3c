"""The numbers of Vettore. Knows no file, no window and no plotting library.

These names and behaviours are fixed, since people script against them.
"""

from vettore.core.curve import Crossing, Curve, PolynomialCurve, TurningPoint
from vettore.core.errors import DataError, FormulaError, VettoreError
from vettore.core.fitting.compare import akaike_weights
from vettore.core.fitting.many import ManyFits, fit_many
from vettore.core.fitting.nonlinear import fit
from vettore.core.fitting.polynomial import fit_polynomial, polynomial_formula
from vettore.core.fitting.result import Coefficient, FitResult
from vettore.core.fitting.shared import SharedFit, fit_shared
from vettore.core.integration.function import FunctionArea, integrate_function
from vettore.core.integration.sampled import SampledArea, integrate
from vettore.core.interpolation.interpolant import Interpolant, interpolate
from vettore.core.models.catalogue import CATALOGUE, model
from vettore.core.models.model import Model
from vettore.core.polynomial import Polynomial
from vettore.core.practice import PracticeData, practice
from vettore.core.statistics import Description, Relation, describe, relation

__all__ = [
    "CATALOGUE",
    "Coefficient",
    "Crossing",
    "Curve",
    "DataError",
    "Description",
    "FitResult",
    "FormulaError",
    "FunctionArea",
    "Interpolant",
    "ManyFits",
    "Model",
    "Polynomial",
    "PolynomialCurve",
    "PracticeData",
    "Relation",
    "SampledArea",
    "SharedFit",
    "TurningPoint",
    "VettoreError",
    "akaike_weights",
    "describe",
    "fit",
    "fit_many",
    "fit_polynomial",
    "fit_shared",
    "integrate",
    "integrate_function",
    "interpolate",
    "model",
    "polynomial_formula",
    "practice",
    "relation",
]
