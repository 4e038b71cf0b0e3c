"""What a kind of noise is, and what of a request it cannot heed: each option is used, or refused with what to do."""

from __future__ import annotations

import math
from dataclasses import dataclass
from importlib import import_module
from typing import TYPE_CHECKING, Any

from vettore.core.errors import DataError, Fault, a_number

if TYPE_CHECKING:
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
    """How y scatters about the curve: the ``key`` by which it is asked for, its solver, and the options that it ``refuses``.

    ``solver`` names a module and its function that makes the result of a problem; it is loaded when something is fitted.
    ``needs`` are options without which it cannot be told, each with what to say where one is missing. ``size`` is what the
    number says that it needs, "" for none, and ``column`` the role of the column that it uses.
    """

    key: str
    solver: str
    refuses: tuple[Refusal, ...]
    needs: tuple[tuple[str, str], ...] = ()
    # Whether the ± of y weigh the rows.
    takes_errors: bool = False
    # Whether a likelihood is made greatest, rather than squares least.
    by_likelihood: bool = False
    column: str = ""
    size: str = ""

    def check(self, request: FitRequest) -> None:
        """Refuse a request that holds what this kind cannot heed, or lacks what it needs. Raises DataError."""
        given = request.scatter
        for options, sentence in self.refuses:
            if given & options:
                raise DataError(sentence.format(noise=request.noise, loss=request.loss), Fault.CONFLICT)
        for option, sentence in self.needs:
            if option not in given:
                raise DataError(sentence, Fault.CONFLICT)
        if request.noise_size is not None and not self.size:
            raise DataError(
                f"noise_size is for a noise that needs a number; “{request.noise}” needs none.", Fault.NO_EFFECT
            )
        if self.size:
            positive_number(request.noise_size, self.size, self.key)

    def solve(self, problem: Problem) -> FitResult:
        """Return the fit of a problem. Raises DataError."""
        module, _, function = self.solver.rpartition(".")
        solver: Any = getattr(import_module(f"vettore.core.fitting.{module}"), function)
        return solver(problem)


def positive_number(value: float | None, what: str, key: str) -> float:
    """Return the number that a noise needs. Raises DataError for none, or one that is not above 0."""
    if value is None:
        raise DataError(f"noise “{key}” needs noise_size: {what}.", Fault.MISSING)
    number = a_number(value, what[0].upper() + what[1:])
    if not 0 < number < math.inf:
        raise DataError(
            f"{what[0].upper() + what[1:]} is a number above 0; {number:g} was given.", Fault.OUT_OF_BOUNDS
        )
    return number
