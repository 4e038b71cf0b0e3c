"""The kinds of noise that a fit can be asked for: a new one is a solver beside this file, an entry here and its words."""

from __future__ import annotations

from typing import TYPE_CHECKING

from vettore.core.errors import DataError, Fault
from vettore.core.fitting.noises.kind import (
    KNOWN,
    NOT_SHARES,
    TOLD_BY_CURVE,
    TOLD_BY_ROWS,
    WITHOUT_X,
    NoiseKind,
    Refusal,
)
from vettore.core.fitting.record import Noise

if TYPE_CHECKING:
    from vettore.core.fitting.request import FitRequest

KNOWN_BY_NUMBER: Refusal = (
    KNOWN,
    "The scatter is known by its number: a {noise} fit takes no other ± of x or y, no weights and no other loss.",
)
NORMAL = NoiseKind(Noise.NORMAL, "solve.solve", (NOT_SHARES, WITHOUT_X), takes_errors=True)
OTHERS = (
    NoiseKind(Noise.POISSON, "noises.counts.fit_counts", (TOLD_BY_CURVE, NOT_SHARES, WITHOUT_X), by_likelihood=True),
    NoiseKind(
        Noise.BINOMIAL, "noises.counts.fit_counts", (TOLD_BY_CURVE, WITHOUT_X), by_likelihood=True, column="trials"
    ),
    NoiseKind(Noise.GROWING, "noises.growing.fit_growing", (TOLD_BY_ROWS, NOT_SHARES, WITHOUT_X)),
    NoiseKind(
        "percent",
        "noises.percent.fit_percent",
        (KNOWN_BY_NUMBER, NOT_SHARES, WITHOUT_X),
        size="the ± of y in per cent of the curve",
    ),
    NoiseKind(
        Noise.CORRELATED,
        "noises.correlated.fit_correlated",
        (TOLD_BY_ROWS, NOT_SHARES, WITHOUT_X),
        column="covariance",
    ),
)
NOISES = {kind.key: kind for kind in (NORMAL, *OTHERS)}
# Asked for by the covariance of the rows, or by the ± of x.
COVARIANCE = NoiseKind(
    "covariance",
    "noises.correlated.fit_covariance",
    (
        (
            frozenset({"sigma", "weights", "sigma_x", "loss", "noise"}),
            "A covariance says all of the rows' errors: it takes no ± of x or y, no weights, noise or loss.",
        ),
        NOT_SHARES,
        WITHOUT_X,
    ),
)
ERRORS_IN_X = NoiseKind(
    "errors_in_x",
    "noises.errors_in_x.fit_distances",
    (
        NOT_SHARES,
        (
            frozenset({"weights"}),
            "sigma_x takes the standard deviations of y as sigma, and no weights beside them.",
        ),
        (frozenset({"loss"}), "A {loss} fit takes no sigma_x. Fit by squares."),
    ),
    (
        (
            "sigma",
            (
                "sigma_x needs sigma, too: without the standard deviations of y nobody can tell which part of a row's "
                "distance from the curve is its x."
            ),
        ),
    ),
)


def kind_of(request: FitRequest) -> NoiseKind:
    """Return the kind of noise that a request asks for, by name or by what it tells of the rows' errors. Raises DataError."""
    if request.noise not in NOISES:
        raise DataError(f"There is no noise “{request.noise}”. It is {', '.join(NOISES)}.", Fault.NO_SUCH_CHOICE)
    kind = NOISES[request.noise]
    if request.covariance is not None:
        kind = COVARIANCE
    elif request.sigma_x is not None and kind is NORMAL:
        kind = ERRORS_IN_X
    kind.check(request)
    return kind
