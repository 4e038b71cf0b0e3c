"""What of a fit's options cannot be asked together: each is used, or refused with what to do."""

from __future__ import annotations

from collections.abc import Mapping

from vettore.core.arrays import Values
from vettore.core.errors import DataError, a_mapping
from vettore.core.fitting.asked import SQUARES, Options
from vettore.core.fitting.left_side import Sigma
from vettore.core.fitting.prepared import read_once
from vettore.core.fitting.record import Noise
from vettore.core.remarks import listed


def check_noise(
    noise: str,
    asked: Options,
    given: tuple[object, ...],
    correlated: bool,
    trials: Values | float | None,
    whole: float,
) -> Noise:
    """Return the kind of noise that was asked for. Raises DataError for none, or where counts leave no room for more."""
    bare = all(value is None for value in given)
    if noise not in tuple(Noise):
        raise DataError(f"There is no noise “{noise}”. It is {', '.join(Noise)}.")
    if correlated and not (bare and asked.loss == SQUARES and noise == Noise.NORMAL):
        raise DataError(
            "A covariance says all of the rows' errors: it takes no ± of x or y, no weights, noise or loss."
        )
    if noise != Noise.NORMAL and not (bare and asked.loss == SQUARES and not asked.absolute_sigma):
        of = (
            "The scatter is told by the rows"
            if noise in (Noise.GROWING, Noise.CORRELATED)
            else "The scatter of counts follows from the curve"
        )
        raise DataError(f"{of}: a {noise} fit takes no ± of x or y, no weights and no other loss.")
    if noise != Noise.BINOMIAL and (trials is not None or whole != 1.0):
        raise DataError(f'trials and whole are for shares: give them with noise="binomial", not with "{noise}".')
    return Noise(noise)


def check_steps(
    text: str, data: Mapping[str, Values], asked: Options, given: Mapping[str, object], noise: Noise
) -> None:
    """Refuse what a curve that steps at a coefficient cannot heed. Raises DataError."""
    from vettore.core.fitting.steps import step_names

    names = step_names(read_once(text, frozenset(data)), a_mapping(asked.held, "Held coefficients", '{"C": 0.0}'))
    others = [name for name, value in given.items() if value is not None]
    if asked.loss != SQUARES:
        others = [f'loss="{asked.loss}"', *others]
    if noise is not Noise.NORMAL:
        others = [f'noise="{noise}"', *others]
    if names and others:
        raise DataError(
            f"{listed(names)} {'says' if len(names) == 1 else 'say'} where the curve steps, which is found by least squares "
            f"with ± or weights of y only: it takes no {listed(others)}. Hold {'it' if len(names) == 1 else 'them'}, or leave "
            "that out."
        )


def check_errors_of_x(asked: Options, sigma: Sigma | None, weights: Values | None) -> None:
    if sigma is None:
        raise DataError(
            "sigma_x needs sigma, too: without the standard deviations of y nobody can tell which part of a row's distance "
            "from the curve is its x."
        )
    if weights is not None:
        raise DataError("sigma_x takes the standard deviations of y as sigma, and no weights beside them.")
    if asked.loss != SQUARES:
        raise DataError(f"A {asked.loss} fit takes no sigma_x. Fit by squares.")
