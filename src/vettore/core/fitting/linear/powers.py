"""Formulas that are a polynomial in one column, as y = a + b*x, written in whatever order.

Where x lies far from zero beside its own span, as a time in seconds since some distant day, the columns 1 and x are the
same to rounding, and only the solver of polynomials, which works on the span, can tell them apart.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from vettore.core.arrays import Array
from vettore.core.fitting.linear.polynomial import fit_rows
from vettore.core.fitting.result import FitResult
from vettore.core.fitting.rows import Rows
from vettore.core.formula.derivative import ZERO
from vettore.core.formula.formula import Formula
from vettore.core.formula.linear import LinearParts
from vettore.core.formula.tree import Binary, Name, Node, Number

# From this many half spans away from zero on, powers of x begin to lose digits that their own solver keeps.
FAR = 100.0


def far_from_zero(x: Array) -> bool:
    """Whether x lies many times its span away from zero."""
    low, high = float(x.min()), float(x.max())
    return abs(low / 2 + high / 2) > FAR * (high / 2 - low / 2) > 0


def powers_of_one_column(parts: LinearParts, read: Formula) -> tuple[int, ...] | None:
    """Return the power of x that each linear coefficient goes with, or None for any other model.

    The powers of a polynomial are 0, 1, … or, through the origin, 1, 2, … with none left out.
    """
    if len(read.data) != 1 or parts.offset != ZERO or parts.nonlinear:
        return None
    powers = [_power(term, read.data[0]) for term in parts.terms]
    known = [power for power in powers if power is not None]
    first = min(known, default=2)
    if len(known) < len(powers) or first > 1 or sorted(known) != list(range(first, first + len(known))):
        return None
    return tuple(known)


def _power(term: Node, x: str) -> int | None:
    match term:
        case Number(1.0):
            return 0
        case Name(name) if name == x:
            return 1
        case Binary("^", Name(name), Number(power)) if name == x and power == int(power):
            return int(power)
        case Binary("*", left, right):
            a, b = _power(left, x), _power(right, x)
            return None if a is None or b is None else a + b
        case _:
            return None


def fit_powers(
    read: Formula, parts: LinearParts, rows: Rows, powers: Sequence[int], absolute_sigma: bool, level: float
) -> FitResult:
    """Fit by the solver of polynomials and return the result under the names of the formula."""
    called = dict(zip(powers, parts.linear, strict=True))
    names = (read.data[0], read.left_text)
    result = fit_rows(rows, max(powers), min(powers) == 0, absolute_sigma, level, names, called)
    order = [result.fitted_names.index(name) for name in read.coefficients]
    covariance = None if result.covariance is None else result.covariance[np.ix_(order, order)]
    return replace(
        result,
        coefficients={name: result.coefficients[name] for name in read.coefficients},
        covariance=covariance,
        fitted_names=read.coefficients,
        formula=str(read),
        transformed=read.transformed,
    )
