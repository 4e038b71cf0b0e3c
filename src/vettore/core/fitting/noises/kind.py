"""What a kind of noise is, and what of a request it cannot heed: each option is used, or refused with what to do."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from vettore.core.errors import DataError
from vettore.core.fitting.problem import Problem
from vettore.core.fitting.request import FitRequest
from vettore.core.fitting.result import FitResult

# Options of a request that are refused together, and in which words; {noise} is the kind that was asked for.
Refusal = tuple[frozenset[str], str]

NOT_SHARES: Refusal = (
    frozenset({"trials", "whole"}),
    'trials and whole are for shares: give them with noise="binomial", not with "{noise}".',
)
WITHOUT_X: Refusal = (
    frozenset({"correlation"}),
    "correlation is that of the errors of x and y: it needs sigma_x.",
)
KNOWN = frozenset({"sigma", "weights", "sigma_x", "loss", "absolute_sigma"})
TOLD_BY_ROWS: Refusal = (
    KNOWN,
    "The scatter is told by the rows: a {noise} fit takes no ± of x or y, no weights and no other loss.",
)
TOLD_BY_CURVE: Refusal = (
    KNOWN,
    "The scatter of counts follows from the curve: a {noise} fit takes no ± of x or y, no weights and no other loss.",
)


@dataclass(frozen=True)
class NoiseKind:
    """How y scatters about the curve: the name by which it is asked for, its solver, and the options that it ``refuses``.

    ``needs`` are options without which it cannot be told, each with what to say where one is missing.
    """

    key: str
    solve: Callable[[Problem], FitResult]
    refuses: tuple[Refusal, ...]
    needs: tuple[tuple[str, str], ...] = ()

    def check(self, request: FitRequest) -> None:
        """Refuse a request that holds what this kind cannot heed, or lacks what it needs. Raises DataError."""
        given = request.scatter
        for options, sentence in self.refuses:
            if given & options:
                raise DataError(sentence.format(noise=request.noise, loss=request.loss))
        for option, sentence in self.needs:
            if option not in given:
                raise DataError(sentence)
