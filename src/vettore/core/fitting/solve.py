"""Solve a problem by least squares, or another loss, of one scatter: the shortest way that its formula allows."""

from __future__ import annotations

from dataclasses import replace

from vettore.core.fitting.linear.terms import fit_terms
from vettore.core.fitting.prepared import misread
from vettore.core.fitting.problem import Problem, problem_of
from vettore.core.fitting.request import FitRequest
from vettore.core.fitting.result import FitResult
from vettore.core.fitting.search.nonlinear import fit_nonlinear
from vettore.core.remarks import RemarkKind

# What says of coefficients that the rows tell nothing of them.
UNKNOWN = (RemarkKind.NOT_APART, RemarkKind.NO_EFFECT, RemarkKind.DEPENDENT_TERM, RemarkKind.ZERO_TERM)


def solve(problem: Problem) -> FitResult:
    """Return the fit, and what in its formula may be meant otherwise. Raises DataError."""
    return with_doubts(least_squares(problem), problem)


def solve_request(request: FitRequest) -> FitResult:
    """Return the fit of a request that asks for nothing else. Raises FormulaError or DataError."""
    return solve(problem_of(request))


def least_squares(problem: Problem) -> FitResult:
    """Return the fit by the shortest way."""
    if problem.by_squares and problem.is_linear:
        result = fit_terms(problem)
        if all(low <= result.coefficients[name].value <= high for name, (low, high) in problem.limits.items()):
            return result
    return fit_nonlinear(problem)


def with_doubts(result: FitResult, problem: Problem) -> FitResult:
    """Return a result that says what in its formula may be meant otherwise; a model of the catalogue is written by us."""
    request = problem.request
    remarks = misread(request.formula, frozenset(request.data)) if request.estimate is None else ()
    doubtful = {name for remark in result.own_remarks if remark.kind in UNKNOWN for name in remark.names}
    # A coefficient called like a column that is used was meant for it only where it has nothing to tell: t/T is clear.
    remarks = tuple(
        remark for remark in remarks if remark.kind is not RemarkKind.LIKE_A_COLUMN or remark.names[0] in doubtful
    )
    own = result.own_remarks
    if doubtful:
        # Along these the curve stays the same, so that there are other answers without end.
        own = tuple(remark for remark in own if remark.kind not in (RemarkKind.AS_GOOD, RemarkKind.FEW_ROUNDS_AGREE))
    return replace(result, own_remarks=(*remarks, *own)) if remarks or own != result.own_remarks else result
