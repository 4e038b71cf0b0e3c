"""The kinds of noise that a fit can be asked for: a new one is a file beside this one, and an entry here."""

from __future__ import annotations

from vettore.core.errors import DataError
from vettore.core.fitting.noises.correlated import CORRELATED, COVARIANCE
from vettore.core.fitting.noises.counts import BINOMIAL, POISSON
from vettore.core.fitting.noises.errors_in_x import ERRORS_IN_X
from vettore.core.fitting.noises.growing import GROWING
from vettore.core.fitting.noises.kind import NoiseKind
from vettore.core.fitting.noises.normal import NORMAL
from vettore.core.fitting.request import FitRequest

NOISES = {kind.key: kind for kind in (NORMAL, POISSON, BINOMIAL, GROWING, CORRELATED)}


def kind_of(request: FitRequest) -> NoiseKind:
    """Return the kind of noise that a request asks for, by name or by what it tells of the rows' errors. Raises DataError."""
    if request.noise not in NOISES:
        raise DataError(f"There is no noise “{request.noise}”. It is {', '.join(NOISES)}.")
    kind = NOISES[request.noise]
    if request.covariance is not None:
        kind = COVARIANCE
    elif request.sigma_x is not None and kind is NORMAL:
        kind = ERRORS_IN_X
    kind.check(request)
    return kind
