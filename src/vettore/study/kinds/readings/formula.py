"""A number made from coefficients and other readings by their names, as ``Q = M/area where M = 500 ± 2 mg``.

With vᵢ the spread that the i-th number rᵢ shares with the coefficients and uᵢ what it has of its own (scatter of signals,
a typed ±), a number F of several has

    var F = ‖Σᵢ ∂F/∂rᵢ vᵢ‖² + Σᵢ (∂F/∂rᵢ)² uᵢ².
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import NamedTuple, Self

import numpy as np

from vettore.core.arrays import Array
from vettore.core.budget import WIDTHS, Distribution
from vettore.core.cells.typed import measured_in
from vettore.core.errors import DataError, Fault, VettoreError
from vettore.core.formula.coefficient_units import CoefficientUnits
from vettore.core.formula.derivative import derivative
from vettore.core.formula.evaluate import number_of
from vettore.core.formula.reader import Reader
from vettore.core.formula.tree import Node, names
from vettore.core.formula.write import name_text, rename_in
from vettore.study.fitting.fits import DerivedFit
from vettore.study.kinds.readings.base import (
    DerivedReading,
    Given,
    Problem,
    Reading,
    Spread,
    powers_of,
    read,
    units_of,
)


class FormulaReading(Reading, frozen=True, kw_only=True, tag="formula reading"):
    """A number made from others."""

    formula: str

    @classmethod
    def typed(cls, text: str, curve: str) -> list[Self]:
        """The formula as it is."""
        return [cls(curve=curve, formula=text.strip())]

    @property
    def given_name(self) -> str:
        """What stands left of its equals sign."""
        try:
            return split_formula(self.formula)[0]
        except VettoreError:
            return ""

    @property
    def over_curve(self) -> bool:
        """Coefficients are at hand without a curve, too."""
        return False

    def derive(self, fit: DerivedFit, kept: Sequence[Reading]) -> DerivedReading:
        """Return the number with the ± that follows from all it rests on."""
        try:
            value, spread, unit = self._worked_out(fit, kept)
        except VettoreError as error:
            return DerivedReading(self, problem=Problem.REFUSED, refusal=str(error))
        return DerivedReading(self, value, spread.standard_error, unit=unit)

    def number(self, fit: DerivedFit, sentence: DerivedReading, kept: Sequence[Reading]) -> Given | None:
        """Return the number; each formula may use those before it, and what they rest on is worked out again."""
        before = list(kept)[: [reading.id for reading in kept].index(self.id)]
        value, spread, unit = self._worked_out(fit, before)
        return Given(value, spread, powers_of({unit: 1.0}))

    def renamed(self, old: str, new: str) -> Self:
        """Return the reading after one that it names was renamed."""
        main, where, tail = self.formula.partition(" where ")
        return self.changed(formula=f"{rename_in(main, old, new)}{where}{tail}")

    def _worked_out(self, fit: DerivedFit, kept: Sequence[Reading]) -> tuple[float, Spread, str]:
        return _combined(*self.parts(fit, kept))

    def parts(self, fit: DerivedFit, kept: Sequence[Reading]) -> tuple[str, Node, Mapping[str, Given]]:
        """Return the formula as text and as a tree, and the numbers that it names. Raises VettoreError."""
        _, text, typed = split_formula(self.formula)
        known = {
            **_coefficients(fit),
            **{name: _typed(*measured) for name, measured in typed.items()},
        }
        rest = [reading for reading in kept if reading.id != self.id]
        others = {reading.name: reading for reading in kept if reading.name and reading.id != self.id}
        tree = Reader(text, frozenset({*known, *others})).read_all()
        for name in names(tree):
            if name not in known:
                if name not in others:
                    listed = ", ".join(name_text(other) for other in (*known, *others))
                    raise DataError(
                        f"There is no value for {name}. Known are {listed}; or say it: … where {name} = 500 ± 2",
                        Fault.NO_SUCH_NAME,
                    )
                known[name] = _of_reading(fit, others[name], rest)
        return text, tree, {name: known[name] for name in names(tree)}


class Typed(NamedTuple):
    """A number that was typed, with its ± and unit; of a uniform or triangular law the ± is half of the width."""

    value: float
    error: float | None
    unit: str
    law: Distribution = Distribution.NORMAL


def split_formula(text: str) -> tuple[str, str, dict[str, Typed]]:
    """Return name, formula and given numbers of ``Q = M/area where M = 500 ± 2 mg, uniform``. Raises DataError."""
    main, _, tail = text.partition(" where ")
    name, sign, formula = main.partition("=")
    if not sign:
        name, formula = "", main
    given = {}
    for part in filter(str.strip, tail.split(";")):
        of, equals, number = part.partition("=")
        if not equals or not of.strip():
            raise DataError(
                f"After “where” write what is given, as in M = 500 ± 2 mg, not “{part.strip()}”.", Fault.NOT_READABLE
            )
        head, comma, law = number.rpartition(",")
        if comma and law.strip().casefold() in tuple(Distribution):
            given[of.strip()] = Typed(*measured_in(head), Distribution(law.strip().casefold()))
        else:
            given[of.strip()] = Typed(*measured_in(number))
    return name.strip(), formula.strip(), given


def _combined(text: str, tree: Node, used: Mapping[str, Given]) -> tuple[float, Spread, str]:
    """Return a formula of numbers, its spread and its unit."""
    values = {name: given.value for name, given in used.items()}
    with np.errstate(all="ignore"):
        value = number_of(tree, values)
        slopes = {name: number_of(derivative(tree, name), values) for name in used}
    if not math.isfinite(value):
        raise DataError(f"{text} has no value with these numbers.", Fault.NO_VALUE)
    shared = [given.spread.shared for given in used.values()]
    total: Array | None = None
    if all(part is not None for part in shared):
        sizes = [len(part) for part in shared if part is not None and len(part)]
        total = np.zeros(max(sizes, default=0))
        for name, given in used.items():
            if given.spread.shared is not None and len(given.spread.shared):
                total = total + slopes[name] * given.spread.shared
    own = sum(slopes[name] ** 2 * given.spread.own for name, given in used.items())
    powers = {name: given.powers for name, given in used.items()}
    return value, Spread(total, own), CoefficientUnits({}, (), powers).of(tree)


def _typed(value: float, error: float | None, unit: str, law: Distribution) -> Given:
    own = ((error or 0.0) / WIDTHS[law]) ** 2
    return Given(value, Spread(np.empty(0), own), powers_of({unit: 1.0}), law)


def _coefficients(fit: DerivedFit) -> dict[str, Given]:
    coefficient_units, out = fit.formula_units, {}
    x_unit, y_unit = units_of(fit)
    for name, coefficient in fit.result.coefficients.items():
        if coefficient_units is not None:
            exponents = coefficient_units.exponents.get(name)
            powers = None if exponents is None else powers_of(exponents)
        else:
            powers = powers_of({y_unit: 1.0}, {x_unit: -float(fit.result.powers[name])})
        shared = np.empty(0) if coefficient.held else _spread_of(fit, name)
        out[name] = Given(coefficient.value, Spread(shared), powers)
    return {**_of_peaks(fit, out), **out}


def _of_peaks(fit: DerivedFit, known: Mapping[str, Given]) -> dict[str, Given]:
    """Return the numbers of peaks by names as area2; a coefficient of such a name comes first."""
    x_unit, y_unit = units_of(fit)
    powers = {
        "place": powers_of({x_unit: 1.0}),
        "height": powers_of({y_unit: 1.0}),
        "width": powers_of({x_unit: 1.0}),
        "area": powers_of({y_unit: 1.0}, {x_unit: 1.0}),
    }
    out = {}
    for number, of_each in ({} if fit.peaks is None else fit.peaks.spreads).items():
        for name, (value, slopes) in of_each.items():
            parts = [
                slope * known[fitted].spread.shared
                for fitted, slope in zip(fit.result.fitted_names, slopes, strict=True)
            ]
            out[f"{name}{number}"] = Given(value, Spread(np.sum(parts, axis=0)), powers[name])
    return out


def _spread_of(fit: DerivedFit, name: str) -> Array | None:
    """Return the spread of a coefficient, also of a model without a curve."""
    if fit.result.given_curve is not None:
        return fit.result.given_curve.coefficient_spread(name)
    table, names_fitted = fit.result.covariance, fit.result.fitted_names
    if table is None or name not in names_fitted:
        return None
    values, vectors = np.linalg.eigh(table)
    return np.asarray((vectors * np.sqrt(np.maximum(values, 0.0)))[names_fitted.index(name)], dtype=np.float64)


def _of_reading(fit: DerivedFit, reading: Reading, kept: Sequence[Reading]) -> Given:
    """Return a kept reading as a number that a formula may use. Raises DataError when it is not one number."""
    sentence = read(fit, reading, kept)
    given = None if fit.curve is None else reading.number(fit, sentence, kept)
    if given is None:
        raise DataError(f"{reading.name} is not one number here, so a formula cannot use it.", Fault.UNAVAILABLE)
    return given
