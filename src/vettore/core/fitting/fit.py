"""Fitting a formula or a model: what is asked for is looked at, and given to the way of fitting that serves it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from vettore.core.arrays import Array, Values, as_values
from vettore.core.errors import DataError
from vettore.core.fitting.asked import DEFAULT_SEED, SQUARES, Estimate, Options, Progress
from vettore.core.fitting.distances import ErrorsOfX, errors_of_x, fit_distances
from vettore.core.fitting.left_side import Sigma
from vettore.core.fitting.limits import Limits, check_limits
from vettore.core.fitting.nonlinear import checked, fit_plain, least_squares, with_doubts
from vettore.core.fitting.prepared import read_once
from vettore.core.fitting.record import Noise
from vettore.core.fitting.refused import check_errors_of_x, check_noise, check_steps
from vettore.core.fitting.result import FitResult
from vettore.core.formula.formula import Formula
from vettore.core.formula.tree import Name
from vettore.core.models.model import Model


def fit(
    formula: str | Model,
    data: Mapping[str, Values],
    *,
    start: Mapping[str, float] | None = None,
    hold: Mapping[str, float] | None = None,
    limits: Limits | None = None,
    sigma: Sigma | None = None,
    weights: Values | None = None,
    loss: str = SQUARES,
    absolute_sigma: bool = False,
    level: float = 0.95,
    seed: int = DEFAULT_SEED,
    progress: Progress | None = None,
    estimate: Estimate | None = None,
    thorough: bool = True,
    columns: tuple[str, str] | None = None,
    sigma_x: Values | float | None = None,
    correlation: Values | float | None = None,
    covariance: Values | None = None,
    noise: str = Noise.NORMAL,
    trials: Values | float | None = None,
    whole: float = 1.0,
) -> FitResult:
    """Fit a formula, or a model of the catalogue, to columns of shape (n,); no starting values are needed.

    ``start`` gives starting values to nonlinear coefficients: with all of them the search begins there and only there; when
    the result's ``better`` or ``warnings`` are looked at, one round without starts is spent beside it. ``hold`` fixes
    coefficients, ``limits`` bounds them as ``{"k": (0, None)}``. ``sigma`` are standard deviations of the measured column
    (carried through the left side, as to ln(y)), or a mapping of them by column where the left side has several. ``loss`` is
    one of squares, huber, cauchy, tukey. ``progress(round, sum of squares)`` is told of every round and may stop the search
    by returning True. The same seed gives the same answer. See fit_polynomial for the rest.
    ``estimate`` gives whole starts from columns and response, as a model of the catalogue does for its formula. Without
    ``thorough`` the first round, or the estimates, decide: for a first look at many models. With ``sigma_x``, standard
    deviations of x, and ``sigma`` the fit takes the distances of the rows in both, and their ``correlation`` (distances.py).
    ``noise`` "poisson" takes y for counts, "binomial" for shares of ``whole`` (1, or 100 for per cent) of so many ``trials``,
    (n,) or one number (see counts.py); the rows tell by "growing" how their scatter grows, σ = a + b·|y| (see growing.py), by
    "correlated" how alike neighbours in x err, whose ``covariance`` (n, n) may be known, too (see correlated.py).
    A model is fitted to columns named x and y, to the only two, or to those named by ``columns``. Raises FormulaError or
    DataError for a request that cannot be met; not converging is a result with a status.

    >>> from vettore import core
    >>> t, y = [0, 5, 10, 20, 40], [8.1, 6.2, 4.9, 3.0, 1.2]
    >>> decay = core.fit("y = A*exp(-k*t)", {"t": t, "y": y})
    >>> k = decay.coefficients["k"]
    >>> f"{k.value:.4f} ± {k.standard_error:.4f}"
    '0.0492 ± 0.0010'
    """
    text, estimate = _text_of(formula, data, columns, estimate)
    known = (loss, absolute_sigma and covariance is None, level, seed, progress, estimate, thorough)
    asked = Options(start or {}, hold or {}, {}, *known)
    noisy = check_noise(noise, asked, (sigma, weights, sigma_x), covariance is not None, trials, whole)
    check_steps(text, data, asked, {"sigma_x": sigma_x, "correlation": correlation, "covariance": covariance}, noisy)
    result = _asked_fit(text, data, asked, (start, hold, limits), sigma, weights, errors_of_x(sigma_x, correlation))
    if covariance is not None or noisy is Noise.CORRELATED:
        return _of_correlated(result, text, data, covariance, absolute_sigma, limits, thorough)
    return result if noisy is Noise.NORMAL else _scattered(result, text, data, noisy, (trials, whole), asked, limits)


def _text_of(
    formula: str | Model, data: Mapping[str, Values], columns: tuple[str, str] | None, estimate: Estimate | None
) -> tuple[str, Estimate | None]:
    """Return the text of a formula, or of a model over its columns with the starts that it knows."""
    if not isinstance(data, Mapping):
        raise DataError(f'The data are columns by name, as {{"x": x, "y": y}}; {type(data).__name__} was given.')
    if isinstance(formula, Model):
        x, y = formula.columns_of(list(data), columns)
        return formula.over(x, y, list(data)), formula.estimator(x, y, list(data))
    if columns is not None:
        raise DataError("columns name x and y for a model of the catalogue; a formula names its own.")
    return formula, estimate


def _asked_fit(
    text: str,
    data: Mapping[str, Values],
    asked: Options,
    given: tuple[Mapping[str, float] | None, Mapping[str, float] | None, Limits | None],
    sigma: Sigma | None,
    weights: Values | None,
    in_x: ErrorsOfX | None,
) -> FitResult:
    """Fit a formula by the shortest way that it allows; ``given`` are start, hold and limits, still to be looked at."""
    asked = checked(text, data, asked, given, sigma)
    read = read_once(text, frozenset(data))
    result = _stepped(read, data, sigma, weights, asked)
    if result is not None:
        return with_doubts(result, text, data, asked)
    result = least_squares(text, data, sigma, weights, asked)
    if in_x is not None:
        check_errors_of_x(asked, sigma, weights)
        options = {name: getattr(asked, name) for name in ("absolute_sigma", "level", "seed", "thorough")}
        result = fit_distances(result, read, data, in_x, asked.limits, {**options, "limits": given[2]})
    return with_doubts(result, text, data, asked)


def _stepped(
    read: Formula, data: Mapping[str, Values], sigma: Sigma | None, weights: Values | None, asked: Options
) -> FitResult | None:
    """Return the fit of a formula that steps at coefficients, which no derivative finds; None for others."""
    from vettore.core.fitting.steps import fit_steps, step_names

    steps = step_names(read, asked.held)
    if not steps or read.left is None:
        return None
    bounds = {name: pair for name, pair in asked.limits.items() if name not in steps}
    start = {name: value for name, value in asked.start.items() if name not in steps}
    shared: dict[str, Any] = {
        "limits": bounds,
        "level": asked.level,
        "seed": asked.seed,
        "absolute_sigma": asked.absolute_sigma,
    }

    def fit_held(at: Mapping[str, float]) -> FitResult:
        held = {**asked.held, **at}
        result = fit_plain(
            str(read), data, start=start, hold=held, sigma=sigma, weights=weights, progress=asked.progress, **shared
        )
        return replace(result, formula=str(read))

    return fit_steps(
        read,
        data,
        steps,
        (sigma, weights),
        asked.limits,
        fit_held,
        {**shared, "hold": asked.held, "start": start or None},
        asked.progress,
    )


def _of_correlated(
    result: FitResult,
    text: str,
    data: Mapping[str, Values],
    covariance: Values | None,
    absolute: bool,
    limits: Limits | None,
    thorough: bool,
) -> FitResult:
    """Return the fit of rows whose errors are correlated, from one of errors that are not."""
    from vettore.core.fitting.correlated import fit_correlated

    read = read_once(text, frozenset(data))
    held = {name: one.value for name, one in result.coefficients.items() if one.held}
    return fit_correlated(result, read, data, covariance, absolute, check_limits(read, limits, held), thorough)


def _scattered(
    result: FitResult,
    text: str,
    data: Mapping[str, Values],
    noise: Noise,
    of: tuple[Values | float | None, float],
    asked: Options,
    limits: Limits | None,
) -> FitResult:
    """Return the fit of a scatter that follows from the curve, from one of even scatter; ``of`` are trials and whole."""
    read = read_once(text, frozenset(data))
    options = {name: getattr(asked, name) for name in ("level", "seed", "thorough")} | {"limits": limits}
    if noise is Noise.GROWING:
        from vettore.core.fitting.growing import fit_growing

        return fit_growing(result, read, data, options)
    from vettore.core.fitting.counts import fit_counts, law_of

    if not isinstance(read.left, Name):
        raise DataError(f"Counts are fitted as they are: write y, not {result.left}, before the =.")
    (given, whole), used = of, result.rows_in_use
    trials: Array | float | None
    if given is None or isinstance(given, (int, float)):
        trials = given
    else:
        column = as_values(given, "trials")
        if len(column) != len(used):
            raise DataError(f"trials has {len(column)} entries, and the data have {len(used)} rows.")
        trials = column[used]
    law = law_of(result.y, noise, trials, whole, np.flatnonzero(used) + 1)
    return fit_counts(result, read, data, law, check_limits(read, limits, dict(asked.held)), options)
