"""A fitted formula over two columns as a surface: read, cut and compared like those that fill between sites.

Its ± is that of the coefficients: g C gᵀ, g being the gradient of the formula by the coefficients and C their covariance.
Left out: a row with residual e and leverage h would be missed by e / (1 − h), exactly for linear models.
"""

from __future__ import annotations

import numpy as np

from vettore.core.arrays import Array
from vettore.core.errors import DataError, Fault
from vettore.core.fitting.result import FitResult
from vettore.core.formula.derivative import derivative
from vettore.core.formula.evaluate import Program
from vettore.core.formula.formula import read_formula
from vettore.core.surface.kernel import Kernel
from vettore.core.surface.sites import Sites, Whole


class Fitted(Kernel):
    """The surface of a fit of column z over columns x and y; ``rows`` (n,) are the places of its rows among the sites' rows."""

    reaches_out = True

    def __init__(
        self, sites: Sites, result: FitResult, formula: str, names: tuple[str, str, str], rows: Whole
    ) -> None:
        super().__init__(sites)
        x, y, z = names
        read = read_formula(formula, names)
        if read.transformed or read.response != z or not set(read.data) <= {x, y}:
            raise DataError(f"“{formula}” is no surface: it is not {z} over {x} and {y} alone.", Fault.UNAVAILABLE)
        self._names, self._result, self._rows = (x, y), result, rows
        self._known = {name: coefficient.value for name, coefficient in result.coefficients.items()}
        self._tree = read.right
        self._height = Program(read.right)

    def _at(self, program: Program, u: Array, v: Array) -> Array:
        given = {self._names[0]: self.sites.across.given(u), self._names[1]: self.sites.along.given(v), **self._known}
        with np.errstate(all="ignore"):
            result = program({name: given[name] for name in program.inputs})
        return np.broadcast_to(np.asarray(result, dtype=np.float64), u.shape).copy()

    def value(self, u: Array, v: Array, triangle: Whole) -> Array:
        """Return the formula."""
        return self._at(self._height, u, v)

    def gradient(self, u: Array, v: Array, triangle: Whole) -> tuple[Array, Array]:
        """Return the formula's own derivatives."""
        across, along = (self._at(Program(derivative(self._tree, name)), u, v) for name in self._names)
        return across * self.sites.across.unit, along * self.sites.along.unit

    def variance(self, u: Array, v: Array) -> Array | None:
        """Return g C gᵀ, None where the coefficients have no covariance."""
        covariance = self._result.covariance
        if covariance is None or not np.isfinite(covariance).all():
            return None
        names = self._result.fitted_names
        by_coefficient = np.stack([self._at(Program(derivative(self._tree, name)), u, v) for name in names])
        return np.maximum(np.einsum("ik,ij,jk->k", by_coefficient, covariance, by_coefficient), 0.0)

    @property
    def noise_of_reading(self) -> float:
        """The scatter of one reading about the surface."""
        return float(self._result.residual_sd or 0.0)

    def left_out(self, chosen: Whole) -> Array:
        """Return what the fit to the other rows would say at sites, by leverages."""
        result = self._result
        missed = result.residuals / np.maximum(1 - result.leverage, 1e-12)
        site = self.sites.site_of_row[self._rows]
        known = site >= 0
        total = np.bincount(site[known], weights=missed[known], minlength=len(self.sites))
        count = np.bincount(site[known], minlength=len(self.sites))
        with np.errstate(invalid="ignore", divide="ignore"):
            return (self.sites.z - total / count)[chosen]
