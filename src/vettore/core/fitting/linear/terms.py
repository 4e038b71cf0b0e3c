"""Models linear in their coefficients, of any terms over any columns:  y = φ₀ + Σⱼ cⱼ φⱼ.

Columns are scaled by powers of two to unit size (exact), tested for rank by QR with column pivoting
(Golub 1965), and solved by the same corrected seminormal equations as polynomials. The covariance is refined,
too: with the Gram matrix G in double-double, X ← X (2I − G X) (Newton, Schulz 1933) doubles the digits of
X ≈ G⁻¹ at each step.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from functools import partial

import numpy as np

from vettore.core.arithmetic.numbers import DoubleDouble, power_of_two_near
from vettore.core.arrays import Array, check_range, in_range
from vettore.core.curve import Curve
from vettore.core.errors import DataError, Fault
from vettore.core.fitting.formula_curve import FormulaCurve
from vettore.core.fitting.linear import least_squares
from vettore.core.fitting.linear.linear_result import LinearFit, holds_constant, linear_result
from vettore.core.fitting.linear.powers import far_from_zero, fit_powers, powers_of_one_column
from vettore.core.fitting.problem import Problem
from vettore.core.fitting.result import FitResult
from vettore.core.formula.evaluate import Program
from vettore.core.formula.formula import Formula
from vettore.core.formula.linear import LinearParts, has_constant, linear_parts
from vettore.core.formula.tree import Node
from vettore.core.remarks import Remark, RemarkKind

# A column counts as a combination of others when less than this share of it is its own.
DEPENDENT = 1e-13
NEWTON_STEPS = 3


def fit_terms(problem: Problem) -> FitResult:
    """Fit a formula whose coefficients all enter linearly. Raises DataError."""
    read, held, request = problem.read, problem.held, problem.request
    parts = linear_parts(read.right, read.coefficients, tuple(held))
    if not parts.linear:
        raise DataError("There is no coefficient to fit: every name is a column or is held.", Fault.NOTHING)
    if read.left is None:
        raise DataError(
            "The formula names no measured column. Write it before an =, as in y = a + b*x.", Fault.MISSING
        )
    rows, used = problem.chosen
    powers = None if held else powers_of_one_column(parts, read)
    if powers is not None and (far_from_zero(rows.x) or not in_range(rows.x)):
        return fit_powers(read, parts, rows, powers, request.absolute_sigma, request.level)
    for name, column in used.items():
        check_range(column, name)
    with np.errstate(all="ignore"):
        values = {**{name: used[name] for name in read.data}, **held}
        n = len(rows.y)
        columns = np.column_stack([_column(term, values, n) for term in parts.terms])
        offset = _column(parts.offset, values, n)
        return _solve(problem, parts, columns, offset)


def _column(term: Node, values: Mapping[str, object], n: int) -> Array:
    program = Program(term)
    column = np.asarray(program({name: values[name] for name in program.inputs}), dtype=np.float64)
    return np.ascontiguousarray(np.broadcast_to(column, (n,)))


def _exact(columns: Array, block: slice) -> DoubleDouble:
    lines = np.ascontiguousarray(columns[block].T)
    return DoubleDouble(lines, np.zeros(lines.shape))


def _check_values(read: Formula, columns: Array, offset: Array) -> None:
    bad = np.flatnonzero(~np.isfinite(columns).all(axis=1) | ~np.isfinite(offset))
    if len(bad):
        raise DataError(
            f"{read} has no value in {len(bad)} of the rows in use, the first at row {int(bad[0]) + 1}.",
            Fault.NO_VALUE,
        )


def _solve(problem: Problem, parts: LinearParts, columns: Array, offset: Array) -> FitResult:
    read, held, (rows, used) = problem.read, problem.held, problem.chosen
    _check_values(read, columns, offset)
    scales = np.array([power_of_two_near(float(np.max(np.abs(column)))) for column in columns.T])
    design = columns / scales
    independent, remarks = _rank(design, rows.weights, parts)
    scaled = design[:, independent]
    y_scale = power_of_two_near(float(np.max(np.abs(rows.y))))
    y = (rows.y - offset) / y_scale

    solution = least_squares.solve(scaled, partial(_exact, scaled), y, rows.weights)
    inverse = _refined_inverse(scaled, rows.weights, solution.inverse_root)
    fitted_names = tuple(parts.linear[j] for j in independent)
    factor = 1 / scales[independent]
    values = tuple(float(c) * y_scale * float(f) for c, f in zip(solution.c.rounded(), factor, strict=True))
    leverage = np.sum((scaled @ solution.inverse_root) ** 2, axis=1)
    root = None if rows.weights is None else np.sqrt(rows.weights.high)
    if rows.weights is not None:
        leverage = leverage * rows.weights.high
    unit_covariance = inverse * np.outer(factor, factor)
    dropped = {name: 0.0 for name in parts.linear if name not in fitted_names}
    all_values = {**dict(zip(fitted_names, values, strict=True)), **dropped, **held}
    fit = LinearFit(
        names=fitted_names,
        values=values,
        unit_covariance=unit_covariance,
        residuals=solution.residuals * y_scale,
        sum_of_squares=solution.sum_of_squares * y_scale * y_scale,
        leverage=lambda: np.minimum(leverage, 1.0),
        basis=lambda: scaled @ solution.inverse_root * (1.0 if root is None else root[:, None]),
        has_constant=lambda: (
            has_constant(parts, read.data) or holds_constant(scaled if root is None else scaled * root[:, None], root)
        ),
        curve=partial(_curve, read, all_values, fitted_names, unit_covariance, used),
        others={**dropped, **held},
        order=read.coefficients,
        remarks=remarks,
        transformed=read.transformed,
    )
    known, level = problem.request.absolute_sigma, problem.request.level
    return linear_result(fit, rows, str(read), read.left_text, absolute_sigma=known, level=level)


def _curve(
    read: Formula,
    values: Mapping[str, float],
    free: tuple[str, ...],
    unit_covariance: Array,
    used: Mapping[str, Array],
    scatter: float | None,
    freedom: float,
    row_sigma: float | None,
) -> Curve | None:
    """Return the curve over the one column of the formula; a model of several columns has none."""
    if len(read.data) != 1:
        return None
    x = used[read.data[0]]
    span = (float(x.min()), float(x.max()))
    covariance = None if scatter is None else unit_covariance * scatter**2
    return FormulaCurve(read.right, read.data[0], values, free, covariance, span, scatter, freedom, row_sigma)


def _rank(design: Array, weights: DoubleDouble | None, parts: LinearParts) -> tuple[list[int], tuple[Remark, ...]]:
    """Return the columns that can be told apart, and a remark on each that cannot."""
    from scipy.linalg import qr

    weighted = design if weights is None else design * np.sqrt(weights.high)[:, None]
    norms = np.linalg.norm(weighted, axis=0)
    safe = weighted / np.where(norms > 0, norms, 1.0)
    _, r, order = qr(safe, mode="economic", pivoting=True)
    size = np.abs(np.diag(r))
    rank = int(np.sum(size > DEPENDENT * max(float(size[0]), 1e-300))) if len(size) else 0
    rank = min(rank, design.shape[0])
    kept = sorted(int(j) for j in order[:rank] if norms[j] > 0)
    if not kept:
        raise DataError("Every term of the model is zero in all rows in use.", Fault.NOT_TOLD)
    remarks = []
    for j in (j for j in range(design.shape[1]) if j not in kept):
        if norms[j] == 0:
            remarks.append(Remark(RemarkKind.ZERO_TERM, (parts.linear[j],)))
            continue
        mixture = np.linalg.lstsq(safe[:, kept], safe[:, j], rcond=None)[0]
        others = [parts.linear[k] for k, c in zip(kept, mixture, strict=True) if abs(c) > 1e-8]
        remarks.append(Remark(RemarkKind.DEPENDENT_TERM, (parts.linear[j], *others)))
    return kept, tuple(remarks)


def _refined_inverse(design: Array, weights: DoubleDouble | None, inverse_root: Array) -> Array:
    """Return (AᵀWA)⁻¹ to the last digit."""
    columns = DoubleDouble(np.ascontiguousarray(design.T))
    weighted = columns if weights is None else columns * weights
    gram = _stacked(_line(columns, i) * weighted for i in range(design.shape[1]))
    x = DoubleDouble(inverse_root @ inverse_root.T)
    two = DoubleDouble(2.0 * np.eye(design.shape[1]))
    for _ in range(NEWTON_STEPS):
        x = _times(x, two - _times(gram, x))
    return x.rounded()


def _times(a: DoubleDouble, b: DoubleDouble) -> DoubleDouble:
    """Return the product of two square matrices, a line of it at once."""
    turned = DoubleDouble(b.high.T, np.broadcast_to(b.low, b.high.shape).T)
    return _stacked(_line(a, i) * turned for i in range(len(a.high)))


def _line(matrix: DoubleDouble, i: int) -> DoubleDouble:
    return matrix[slice(i, i + 1)]


def _stacked(products: Iterable[DoubleDouble]) -> DoubleDouble:
    """Return the sums of products (m, k) along their last axis, as the lines of a matrix."""
    sums = [product.sum() for product in products]
    return DoubleDouble(np.stack([number.high for number in sums]), np.stack([item.low for item in sums]))
