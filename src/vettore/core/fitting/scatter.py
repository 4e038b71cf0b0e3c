"""How one measurement scatters about the curve of a fit, by where the curve is."""

from __future__ import annotations

import numpy as np

from vettore.core.arrays import Array
from vettore.core.curve import Curve
from vettore.core.fitting.details import Counts, Details, Growing
from vettore.core.inverse import Scatter


def scatter_about(
    curve: Curve, details: Details | None, fitted: Array, sigma: Array | None, known: bool
) -> Scatter | None:
    """Return how one measurement of y scatters, by x; None where the rows do not tell.

    ``fitted`` (n,) are the values of the curve at the rows, ``sigma`` (n,) their ±, ``known`` as they are or relative.

    Even scatter is that of the residuals; counts and a scatter that grows follow from the curve. Where each row has a ± of its
    own it is that of the rows whose fitted values lie on both sides, in proportion between them.
    """
    if isinstance(details, Counts) and details.trials is None:
        return lambda x: np.sqrt(np.maximum(curve(x), 0.0))
    unit = curve.residual_sd
    if unit is None:
        return None
    if isinstance(details, Growing):
        spread = details.spread
        return lambda x: unit * spread.at(curve(x))
    if curve.row_sigma is not None:
        even = unit * curve.row_sigma
        return lambda x: np.full(np.shape(x), even)
    if sigma is None:
        return None
    order = np.argsort(fitted, kind="stable")
    levels, sizes = fitted[order], sigma[order] * (1.0 if known else unit)
    return lambda x: _between(curve(x), levels, sizes)


def _between(at: Array, levels: Array, sizes: Array) -> Array:
    """Return sizes at levels in proportion between their neighbours, and those of the ends beyond them."""
    at = np.clip(at, levels[0], levels[-1])
    above = np.clip(np.searchsorted(levels, at), 1, len(levels) - 1) if len(levels) > 1 else np.zeros(at.shape, int)
    below = np.maximum(above - 1, 0)
    gap = levels[above] - levels[below]
    share = np.divide(at - levels[below], gap, out=np.full(np.shape(at), 0.5), where=gap > 0)
    return np.asarray((1 - share) * sizes[below] + share * sizes[above], dtype=np.float64)
