"""What is told of peaks that were fitted: each with its numbers, and the fit as a whole."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np

from vettore.core.arrays import Array
from vettore.core.distributions import t_quantile
from vettore.core.fitting.after.checks import Check, checks
from vettore.core.fitting.coefficients import Coefficient
from vettore.core.fitting.record import Alternative
from vettore.core.fitting.result import FitResult
from vettore.core.formula.derivative import derivative
from vettore.core.formula.evaluate import evaluate
from vettore.core.formula.formula import read_formula
from vettore.core.formula.tree import Node
from vettore.core.peaks.backgrounds import straight_at
from vettore.core.peaks.doubts import doubts_of, unlike_expected
from vettore.core.peaks.matching import number_in
from vettore.core.peaks.numbers import Outline, numbers_of, slopes_of
from vettore.core.peaks.peak import NUMBERS, FittedPeak
from vettore.core.peaks.ranges import Likelihood, overlapping
from vettore.core.peaks.request import PeaksRequest
from vettore.core.peaks.search import Candidate
from vettore.core.peaks.shapes import FWHM, PeakShape
from vettore.core.remarks import Remark, sentences
from vettore.core.telling import Tells, short

# A peak whose height, width or area has a ± of more than this share of it has ranges by the likelihood.
ROUGHLY = 0.04
# A ± of so many times the value says nothing of its size: the range is open.
OPEN_FROM = 50.0
Ends = tuple[float | None, float | None]
# What is told of the fit as a whole.
TOLD = (
    "n",
    "degrees_of_freedom",
    "r_squared",
    "sum_of_squares",
    "residual_sd",
    "reduced_chi_squared",
    "bic",
    "level",
    "residuals",
)


@dataclass(frozen=True, eq=False, repr=False)
class PeaksFit(Tells):
    """Peaks fitted to a trace: ``peaks`` by place, and ``fit``, the fit of the sum with its statistics, residuals and checks.

    ``candidates`` are the numbers of peaks that were tried (one where it was given).
    """

    fit: FitResult
    request: PeaksRequest
    background_formula: str
    names: tuple[tuple[str, ...], ...]
    background_names: tuple[str, ...]
    candidates: tuple[Candidate, ...]

    @property
    def shape(self) -> PeakShape:
        """The shape of each peak."""
        return self.request.shape

    @property
    def count(self) -> int:
        """How many peaks there are."""
        return len(self.names)

    @cached_property
    def peaks(self) -> tuple[FittedPeak, ...]:
        """The peaks by their places."""
        # A peak that the rows say nothing of may have a covariance beyond all numbers.
        with np.errstate(all="ignore"):
            numbers = [self._numbers(place, names) for place, names in enumerate(self.names)]
        total = sum(abs(of["area"].value) for of in numbers)
        out = []
        for place, (names, of) in enumerate(zip(self.names, numbers, strict=True)):
            after = numbers[place + 1] if place + 1 < len(numbers) else None
            resolution = None
            if after is not None and of["width"].value + after["width"].value > 0:
                apart = abs(after["place"].value - of["place"].value)
                resolution = FWHM / 2 * apart / (of["width"].value + after["width"].value)
            out.append(
                FittedPeak(
                    number_in(names),
                    **of,
                    share=abs(of["area"].value) / total if total else 0.0,
                    signal_to_noise=self.beside_noise(of["place"].value, of["height"].value),
                    resolution=resolution,
                    coefficients={
                        name: self.fit.coefficients[name] for name in names if name in self.fit.coefficients
                    },
                )
            )
        return tuple(out)

    @cached_property
    def values(self) -> Mapping[str, float]:
        """The values of all coefficients by name, those that follow from others among them."""
        return self.with_links({name: coefficient.value for name, coefficient in self.fit.coefficients.items()})

    def with_links(self, given_values: Mapping[str, float]) -> dict[str, float]:
        """Return values of the coefficients with those that follow from them."""
        out = dict(given_values)
        for name, tree in self.request.links.items():
            given = {key: np.array([value]) for key, value in out.items()}
            out[name] = float(evaluate(tree, given, 1)[0])
        return out

    def numbers_with(self, others: Mapping[str, float]) -> dict[int, Outline]:
        """Return place, height, width and area of each peak by its number, with other values of the coefficients."""
        known = self.with_links(others)
        return {
            number_in(names): Outline(*numbers_of(self.shape, [known[name] for name in names]).tolist())
            for names in self.names
        }

    @property
    def spreads(self) -> Mapping[int, Mapping[str, tuple[float, Array]]]:
        """By peak and number its value, and its slopes by the coefficients that were fitted (m,)."""
        out = {}
        for names in self.names:
            coefficients = [self.values[name] for name in names]
            values = numbers_of(self.shape, coefficients).tolist()
            slopes = slopes_of(self.shape, coefficients) @ np.array([self._by_fitted(name) for name in names])
            out[number_in(names)] = dict(zip(NUMBERS, zip(values, slopes, strict=True), strict=True))
        return out

    def _by_fitted(self, name: str) -> list[float]:
        """Return how a coefficient changes with each of those that were fitted."""
        tree = self.request.links.get(name)
        if tree is None:
            return [float(name == fitted) for fitted in self.fit.fitted_names]
        given = {key: np.array([value]) for key, value in self.values.items()}
        return [float(evaluate(derivative(tree, fitted), given, 1)[0]) for fitted in self.fit.fitted_names]

    @cached_property
    def _ground(self) -> Node:
        return read_formula(self.background_formula, self.request.names[:1]).right

    @cached_property
    def _likelihood(self) -> tuple[Likelihood, Array] | None:
        """What tells ranges by the likelihood, and where it is greatest; None where ranges are those of the covariance."""
        fit = self.fit
        held = any(name not in fit.fitted_names for names in self.names for name in names)
        shared = len({names[2] for names in self.names}) < self.count
        if fit.details is not None or fit.interval_freedom < 1 or held or shared:
            return None
        root = np.ones(fit.n) if fit.sigma is None else 1 / fit.sigma
        columns, offset, values = np.empty((fit.n, 0)), np.zeros(fit.n), []
        if self.background_names:
            # A background that is a formula is taken as straight about the answer.
            at = {name: fit.coefficients[name].value for name in self.background_names}
            columns, offset = straight_at(self._ground, self.background_names, fit.x, at, self.request.names[0])
            values = list(at.values())
        theta = np.array([fit.coefficients[name].value for names in self.names for name in names] + values)
        return Likelihood(fit.x, fit.y - offset, root, self.shape, columns), theta

    def _numbers(self, place: int, names: Sequence[str]) -> dict[str, Coefficient]:
        fit = self.fit
        coefficients = [self.values[name] for name in names]
        values, errors = numbers_of(self.shape, coefficients), np.full(4, np.nan)
        if fit.covariance is not None:
            slopes = slopes_of(self.shape, coefficients) @ np.array([self._by_fitted(name) for name in names])
            errors = np.sqrt(np.maximum(np.diag(slopes @ fit.covariance @ slopes.T), 0.0))
        out = {
            number: self._coefficient(number, float(value), float(error))
            for number, value, error in zip(NUMBERS, values, errors, strict=True)
        }
        if overlapping(errors.tolist(), values.tolist(), ROUGHLY) and self._likelihood is not None:
            likelihood, theta = self._likelihood
            reach = t_quantile(fit.level, fit.interval_freedom)
            unit = 1.0 if fit.absolute_sigma else fit.sum_of_squares / fit.degrees_of_freedom
            for number, (name, coefficient) in enumerate(out.items()):
                if coefficient.standard_error is not None:
                    low, high = likelihood.ends(theta, place, number, coefficient.standard_error, reach, unit)
                    if self.shape.extras:
                        # Along the valleys of what a shape has beside, the way to the least may end too soon.
                        low, high = _wider((low, high), (coefficient.low, coefficient.high))
                    out[name] = replace(coefficient, low=low, high=high)
        return out

    def _coefficient(self, name: str, value: float, error: float) -> Coefficient:
        freedom = self.fit.interval_freedom
        if not math.isfinite(error) or not error > 0 or freedom < 1:
            return Coefficient(name, value)
        reach = t_quantile(self.fit.level, freedom) * error
        low, high = value - reach, value + reach
        if name in NUMBERS[1:] and value:
            # What has one sign is told on the scale of its logarithm, which overlapping peaks need.
            if reach > OPEN_FROM * abs(value):
                return Coefficient(name, value, error, None, None, value / error, freedom)
            factor = math.exp(reach / abs(value))
            low, high = sorted((value / factor, value * factor))
        return Coefficient(name, value, error, low, high, value / error, freedom)

    def beside_noise(self, x: float, height: float) -> float | None:
        """Return a height beside the scatter of a row at x; None where that is not known."""
        scatter = self.fit.curve.scatter
        noise = None if scatter is None else float(scatter(np.array([x]))[0])
        return None if not noise else abs(height) / noise

    def curve(self, x: Array | float) -> Array:
        """Return the sum of peaks and background at x; same shape as x."""
        return self.fit.curve(x)

    def background(self, x: Array | float, others: Mapping[str, float] | None = None) -> Array:
        """Return the background at x, same shape as x; with ``others`` for the values of coefficients."""
        at, known = np.asarray(x, dtype=np.float64), others or self.values
        if not self.background_names:
            return np.zeros(at.shape)
        flat = at.ravel()
        values = {name: np.full(len(flat), known[name]) for name in self.background_names}
        given = {self.request.names[0]: flat, **values}
        return np.broadcast_to(evaluate(self._ground, given, len(flat)), flat.shape).reshape(at.shape)

    def components(self, x: Array | float, others: Mapping[str, float] | None = None) -> Array:
        """Return each peak above the background at x (n,): an array (count, n); ``others`` as for the background."""
        at = np.atleast_1d(np.asarray(x, dtype=np.float64))
        out = []
        known = self.with_links(others) if others else self.values
        for names in self.names:
            height, place, width, *extras = (known[name] for name in names)
            out.append(height * self.shape.unit((at - place) / width, *extras))
        return np.array(out).reshape(self.count, len(at))

    @property
    def residuals(self) -> Array:
        """What each row in use misses the curve by, in the order given."""
        return self.fit.residuals

    def checks(self) -> tuple[Check, ...]:
        """What was tested about the fit."""
        return checks(self.fit)

    @cached_property
    def remarks(self) -> tuple[Remark, ...]:
        """What to be wary of."""
        order = np.argsort(self.fit.x, kind="stable")
        doubts = doubts_of(self.peaks, self.candidates, self.fit.x[order], self.fit.y[order])
        return (*unlike_expected(self.peaks, self.request.expected), *doubts, *self.fit.own_remarks)

    @property
    def warnings(self) -> tuple[str, ...]:
        """The remarks in sentences."""
        return sentences(self.remarks)

    @property
    def alternatives(self) -> tuple[Alternative, ...]:
        """Other answers that the search met."""
        return self.fit.alternatives

    def _line(self) -> str:
        tops = ", ".join(short(peak.place.value) for peak in self.peaks)
        word = "peak" if self.count == 1 else "peaks"
        return (
            f"{self.count} {self.shape.called} {word} at {tops}; R² = {short(self.fit.r_squared)}, n = {self.fit.n}"
        )

    def _columns(self) -> Mapping[str, Sequence[Any]]:
        columns: dict[str, list[Any]] = {"peak": [peak.number for peak in self.peaks]}
        for name in NUMBERS:
            numbers = [getattr(peak, name) for peak in self.peaks]
            columns[name] = [number.value for number in numbers]
            columns[f"{name}_standard_error"] = [number.standard_error for number in numbers]
        for name in ("share", "signal_to_noise", "resolution"):
            columns[name] = [getattr(peak, name) for peak in self.peaks]
        return columns

    def _facts(self) -> Mapping[str, Any]:
        return {
            "count": self.count,
            "shape": self.shape.key,
            "background": self.background_formula,
            "peaks": [asdict(peak) for peak in self.peaks],
            "candidates": [asdict(candidate) for candidate in self.candidates],
            "warnings": self.warnings,
            "formula": self.fit.formula,
            "message": self.fit.message,
            **{name: getattr(self.fit, name) for name in TOLD},
        }


def _wider(first: Ends, second: Ends) -> Ends:
    """Return the range that holds both; an end that one leaves open stays so."""
    low = None if first[0] is None or second[0] is None else min(first[0], second[0])
    high = None if first[1] is None or second[1] is None else max(first[1], second[1])
    return low, high
