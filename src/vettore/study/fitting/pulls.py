"""The grips of a fit: points of its curve that can be pulled, and what that makes of its coefficients."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import TYPE_CHECKING

from vettore.core.arrays import Array
from vettore.core.errors import FormulaError
from vettore.core.fitting.linear.polynomial import polynomial_formula
from vettore.core.formula.formula import read_formula
from vettore.core.formula.linear import linear_parts
from vettore.core.formula.write import name_text
from vettore.core.models.catalogue import CATALOGUE
from vettore.core.models.model import Model
from vettore.core.models.pulling import Placed, place_grips, pull_grip, pull_through
from vettore.study.fitting.fits import DerivedFit
from vettore.study.kinds.polynomial_fit import PolynomialFit
from vettore.study.series import Role

# A curve without grips of its own gets so many, each at the middle of its share of the data.
MOST_POINTS = 4
POINTS_OF_OTHERS = 3

if TYPE_CHECKING:
    from vettore.study.fitting.peak_pulls import PeakPulls

Values = Mapping[str, float]
YOf = Callable[[float], Array]


def formula_of(fit: DerivedFit) -> str:
    """Return the formula of a fit as text, that of a polynomial too."""
    if not isinstance(fit.recipe, PolynomialFit):
        return fit.formula
    x, y = (name_text(fit.series.name_and_unit(role)[0]) for role in (Role.X, Role.Y))
    return polynomial_formula(fit.recipe.degree, fit.recipe.intercept, (x, y))


def pulls_of(fit: DerivedFit, peak: int = 1) -> Pulls | PeakPulls | None:
    """Return the grips of a fit; None where its formula cannot be written down, as with a name longer than formulas are.

    Of peaks one is chosen by its number.
    """
    if fit.peaks is not None:
        from vettore.study.fitting.peak_pulls import PeakPulls

        return PeakPulls(fit, fit.peaks, peak)
    try:
        return Pulls(fit)
    except FormulaError:
        return None


class Pulls:
    """The grips of one fit, made anew for every fit."""

    def __init__(self, fit: DerivedFit) -> None:
        columns = [column.name for column in fit.series.columns]
        read = read_formula(formula_of(fit), columns)
        self._tree, self._x_name = read.right, read.data[0] if read.data else ""
        self._span = fit.curve.span if fit.curve is not None else (0.0, 0.0)
        self._held = dict(fit.recipe.hold)
        self._free = tuple(name for name in fit.result.coefficients if name not in self._held)
        is_wanted = fit.result.covariance is not None and tuple(fit.result.fitted_names or self._free) == self._free
        self._metric = fit.result.covariance if is_wanted else None
        self._model: Model | None = None
        self._called: dict[str, str] = {}
        model = CATALOGUE.get(fit.recipe.model)
        if model is not None:
            called = model.names_beside(columns)
            if set(called.values()) <= set(fit.result.coefficients):
                # A grip that would change nothing but what is held is no grip.
                loose = tuple(g for g in model.grips if not {called[n] for n in g.sets} <= set(self._held))
                self._model, self._called = (replace(model, grips=loose) if loose else None), called
        self._stays = not linear_parts(self._tree, self._free).nonlinear
        low, high = self._span
        count = min(len(self._free), MOST_POINTS) if self._stays else min(len(self._free), POINTS_OF_OTHERS)
        drawn = fit.curve is not None and bool(self._x_name)
        self._points = [low + (k + 0.5) / count * (high - low) for k in range(count)] if drawn else []

    def places(self, values: Values, y_of: YOf) -> list[Placed]:
        """Return where the grips stand with these values of the coefficients; ``y_of`` is the curve with them."""
        if self._model is not None:
            own = {name: values[new] for name, new in self._called.items()}
            return list(place_grips(self._model, own, self._span))
        return [Placed("pull the curve", x, float(y_of(x))) for x in self._points]

    def pull(self, name: str, place: int, values: Values, y_of: YOf, x: float, y: float) -> dict[str, float] | None:
        """Return the values after pulling a grip to (x, y); None where no values bring the curve there."""
        if self._model is not None:
            own = {text: values[new] for text, new in self._called.items()}
            grip = next(item for item in self._model.grips if item.name == name)
            pulled = pull_grip(grip, own, self._span, x, y)
            if pulled is None:
                return None
            new = {self._called[word]: value for word, value in pulled.items()}
            return {**values, **new, **{label: values[label] for label in self._held}}
        others = [(at, float(y_of(at))) for i, at in enumerate(self._points) if i != place] if self._stays else []
        by_name = pull_through(self._tree, self._x_name, values, self._free, self._metric, [(x, y), *others])
        if by_name is not None:
            self._points[place] = x
        return by_name
