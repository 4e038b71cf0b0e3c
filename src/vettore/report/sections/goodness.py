"""The figures of merit of the fit."""

from __future__ import annotations

from vettore.report.blocks import Block, Pairs
from vettore.report.sections.entry import Entry, FitSubject
from vettore.words.fits import goodness_lines


def _blocks(subject: FitSubject) -> tuple[Block, ...]:
    result = subject.fit.result
    scatter, squares = result.residual_sd, result.sum_of_squares
    if result.chi_squared is not None:
        scatter, squares = result.reduced_chi_squared, result.chi_squared
    values = (result.r_squared, result.adjusted_r_squared, scatter, squares)
    more = (float(result.degrees_of_freedom), result.aicc, result.bic)
    return (Pairs(goodness_lines(subject.fit, subject.style), short=True, values=(*values, *more)),)


GOODNESS = Entry("goodness", "Goodness of fit", of_fit=_blocks)
