"""The kinds of parts that a study is made of beside its series. Being in this list is all that makes a kind one.

It stands in a file of its own: readings need fits, and fits their kinds, so that a package importing all would be a circle.
"""

from vettore.study.kinds.area import AreaRecipe
from vettore.study.kinds.equations import EquationsRecipe
from vettore.study.kinds.figure import FigureRecipe
from vettore.study.kinds.filling import Filling
from vettore.study.kinds.formula_fit import FormulaFit
from vettore.study.kinds.function import FunctionRecipe
from vettore.study.kinds.interpolant import InterpolantRecipe
from vettore.study.kinds.part import Part
from vettore.study.kinds.peaks_fit import PeaksRecipe
from vettore.study.kinds.polynomial import PolynomialRecipe
from vettore.study.kinds.polynomial_fit import PolynomialFit
from vettore.study.kinds.readings import READINGS
from vettore.study.kinds.report import ReportRecipe
from vettore.study.kinds.surface import SurfaceRecipe

KINDS: tuple[type[Part], ...] = (
    PolynomialFit,
    FormulaFit,
    PeaksRecipe,
    EquationsRecipe,
    *READINGS,
    InterpolantRecipe,
    Filling,
    AreaRecipe,
    FunctionRecipe,
    PolynomialRecipe,
    SurfaceRecipe,
    FigureRecipe,
    ReportRecipe,
)
