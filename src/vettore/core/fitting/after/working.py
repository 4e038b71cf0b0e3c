"""How a linear fit came about, step by step: sums, design matrix, normal equations, solution, R² from its two sums.

    A = [φ₁ … φ_m],   AᵀWA c = AᵀW(y − φ₀),   c = (AᵀWA)⁻¹ AᵀW(y − φ₀),   R² = 1 − Σw r² / Σw (y − ȳ)²

The answer itself comes by orthogonal columns, which keep more digits; the two are shown to agree.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array, Values
from vettore.core.errors import DataError, Fault
from vettore.core.fitting.prepared import prepared
from vettore.core.fitting.problem import pick_rows
from vettore.core.fitting.result import FitResult
from vettore.core.formula.evaluate import evaluate
from vettore.core.formula.write import to_text

# Whole powers are written with raised figures, so that Σx·x and Σx² are seen to be one sum.
_FIGURES = "⁰¹²³⁴⁵⁶⁷⁸⁹"
_POWER, _RAISED = re.compile(r"\^(\d+)(?![\d.])"), str.maketrans("0123456789", _FIGURES)


@dataclass(frozen=True, eq=False)
class LinearWorking:
    """``design`` (n, m) has the columns ``terms``; ``normal`` (m, m) and ``right`` (m,) are the normal equations.

    ``sums`` are the entries of both by name; ``solution`` solves them; ``agreement`` is the largest relative difference
    from the coefficients of the fit.
    """

    coefficients: tuple[str, ...]
    terms: tuple[str, ...]
    design: Array
    y: Array
    weights: Array | None
    sums: Mapping[str, float]
    normal: Array
    right: Array
    determinant: float
    inverse: Array | None
    solution: Array | None
    agreement: float | None
    sum_of_squares: float
    total_sum_of_squares: float
    r_squared: float | None


def _sums(mark: str, names: list[str], left: str, normal: Array, right: Array) -> dict[str, float]:
    """Return the sums of products by what they are sums of."""
    sums = {}
    for i, name in enumerate(names):
        for j in range(i + 1):
            sums[f"{mark}{_product(names[j], name)}"] = float(normal[i, j])
    for i, name in enumerate(names):
        sums[f"{mark}{_product(name, left)}"] = float(right[i])
    return sums


def linear_working(
    result: FitResult, data: Mapping[str, Values], sigma: Values | None = None, weights: Values | None = None
) -> LinearWorking:
    """Return the working of a linear fit from what was fitted. Raises DataError for a nonlinear one."""
    held = {coefficient.name: coefficient.value for coefficient in result.coefficients.values() if coefficient.held}
    model = prepared(result.formula, data, held)
    if model.parts.nonlinear:
        raise DataError("A nonlinear fit has no normal equations; its working are the iterations.", Fault.UNAVAILABLE)
    rows, used = pick_rows(model.formula, data, sigma, weights)
    n = len(rows.y)
    given = {**used, **held}
    design = np.column_stack([evaluate(term, given, n) for term in model.parts.terms])
    y = rows.y - evaluate(model.parts.offset, given, n)
    w = None if rows.weights is None else rows.weights.high
    weighted = design if w is None else design * w[:, None]
    normal, right = design.T @ weighted, weighted.T @ y
    names = [_POWER.sub(lambda match: match[1].translate(_RAISED), to_text(term)) for term in model.parts.terms]
    left = to_text(model.formula.left) if model.formula.left is not None else "y"
    sums = _sums("Σ" if w is None else "Σ w·", names, left, normal, right)
    inverse: Array | None = None
    solution: Array | None = None
    determinant = float(np.linalg.det(normal))
    agreement = None
    if np.linalg.matrix_rank(design) == design.shape[1]:
        inverse = np.asarray(np.linalg.inv(normal), dtype=np.float64)
        solution = np.asarray(np.linalg.solve(normal, right), dtype=np.float64)
        fitted = np.array([result.coefficients[name].value for name in model.parts.linear])
        size = np.maximum(np.abs(fitted), 1e-300)
        agreement = float(np.max(np.abs(solution - fitted) / size))
    return LinearWorking(
        model.parts.linear,
        tuple(names),
        design,
        y,
        w,
        sums,
        normal,
        right,
        determinant,
        inverse,
        solution,
        agreement,
        result.sum_of_squares,
        result.total_sum_of_squares,
        result.r_squared,
    )


def _product(text: str, other: str) -> str:
    if text == other == "1":
        return "1"
    factors = [factor for factor in (text, other) if factor != "1"]
    if len(factors) == 2 and factors[0] == factors[1]:
        return f"{factors[0]}²" if factors[0].isidentifier() else f"({factors[0]})²"
    return "·".join(factor if factor.rstrip(_FIGURES).isidentifier() else f"({factor})" for factor in factors)
