"""The numbers of Vettore. Knows no file, no window and no plotting library.

These names and behaviours are fixed, since people script against them.
"""

from vettore.core.curve import Crossing, Curve, PolynomialCurve, TurningPoint
from vettore.core.errors import DataError, FormulaError, VettoreError
from vettore.core.fit.compare import akaike_weights
from vettore.core.fit.nonlinear import fit
from vettore.core.fit.polynomial import fit_polynomial, polynomial_formula
from vettore.core.fit.result import Coefficient, FitResult
from vettore.core.practice import PracticeData, practice
from vettore.core.statistics import Description, Relation, describe, relation

__all__ = [
    "Coefficient",
    "Crossing",
    "Curve",
    "DataError",
    "Description",
    "FitResult",
    "FormulaError",
    "PolynomialCurve",
    "PracticeData",
    "Relation",
    "TurningPoint",
    "VettoreError",
    "akaike_weights",
    "describe",
    "fit",
    "fit_polynomial",
    "polynomial_formula",
    "practice",
    "relation",
]
