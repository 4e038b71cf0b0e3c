"""What the strip under the plot of a fit shows: residuals of the rows in use, and what rows set aside would miss."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array, Mask
from vettore.core.fitting.details import Counts
from vettore.core.fitting.noises.counts import CountLaw
from vettore.study.fitting.fits import DerivedFit
from vettore.study.series import Role

# Rows set aside whose residual is beyond all others by this factor stand at the edge of the strip.
AT_EDGE = 1.12


@dataclass(frozen=True, eq=False)
class Residuals:
    """By row (n,): its place in the series, x, residual, whether it is set aside, and on which side it lies beyond.

    A row beyond the range of the rows in use has its residual at the edge, and 1 or −1 as ``beyond``.
    """

    rows: np.ndarray
    x: Array
    residuals: Array
    aside: Mask
    beyond: Array


def residuals_of(fit: DerivedFit) -> Residuals:
    """Return the residuals of a fit as they are shown; the range is that of the rows in use."""
    series, curve = fit.series, fit.curve
    x = series.values(Role.X)
    assert x is not None
    aside = np.flatnonzero(series.measured & ~series.kept) if curve is not None else np.empty(0, dtype=np.intp)
    if not len(aside):
        # As they are, and not as copies of very many.
        none = np.broadcast_to(np.False_, len(fit.rows))
        return Residuals(fit.rows, fit.x, fit.missed, none, np.broadcast_to(0.0, len(fit.rows)))
    rows = np.concatenate([fit.rows, aside])
    missed = _missed_by(fit, aside, curve(x[aside])) if curve is not None else np.empty(0)
    residuals = np.concatenate([fit.missed, missed])
    values = np.arange(len(rows)) >= len(fit.rows)
    reach = float(np.max(np.abs(fit.missed), initial=0.0)) * AT_EDGE
    outside = values & (np.abs(residuals) > reach) & (reach > 0)
    beyond = np.where(outside, np.sign(residuals), 0.0)
    return Residuals(rows, x[rows], np.where(outside, beyond * reach, residuals), values, beyond)


def _missed_by(fit: DerivedFit, aside: np.ndarray, curve: Array) -> Array:
    """Return what rows that are set aside miss the curve by, of counts as the roots of what they would add to the deviance."""
    y, details = fit.response[aside], fit.result.details
    if not isinstance(details, Counts):
        return y - curve
    trials = fit.series.values(Role.TRIALS)
    law = CountLaw(details.noise, None if details.trials is None or trials is None else trials[aside], details.whole)
    with np.errstate(all="ignore"):
        parts = law.parts(y, curve)
    return np.asarray(np.sign(y - curve) * np.sqrt(np.where(np.isfinite(parts), np.maximum(parts, 0.0), np.nan)))
