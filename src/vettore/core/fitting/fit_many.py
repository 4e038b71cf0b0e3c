"""Fitting one formula to many series."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from vettore.core.fitting.any_model import AnyModel, text_of
from vettore.core.fitting.fit import fit_request
from vettore.core.fitting.left_side import Sigma
from vettore.core.fitting.limits import Limits
from vettore.core.fitting.many import ManyFits, fit_series
from vettore.core.fitting.many_request import AllSeries, labelled
from vettore.core.fitting.request import DEFAULT_SEED, FitRequest


def fit_many(
    formula: AnyModel,
    data: AllSeries,
    *,
    start: Mapping[str, float] | Sequence[Mapping[str, float]] | None = None,
    hold: Mapping[str, float] | None = None,
    sigma: Sequence[Sigma] | Mapping[str, Sigma] | None = None,
    absolute_sigma: bool = False,
    limits: Limits | None = None,
    level: float = 0.95,
    seed: int = DEFAULT_SEED,
    columns: tuple[str, str] | None = None,
) -> ManyFits:
    """Fit one formula to many series, each a mapping of columns; see fit. No starting values are needed.

    A mapping of series gives them labels. ``start`` is that of all series, or one for each; ``sigma`` gives the standard
    deviations of each, in their order or by label. A fit that ends outside its ``limits`` is made anew within them.
    Raises FormulaError, or DataError that names a series (by its label, or counted from 1) which cannot be fitted.

    >>> from vettore import core
    >>> rows = [{"x": [0, 1, 2, 3], "y": [a, 2.1 * a, 4.3 * a, 8.5 * a]} for a in (1.0, 2.0)]
    >>> fits = core.fit_many("y = A*exp(k*x)", dict(zip("PQ", rows)))
    >>> fits.values.shape, fits.labels
    ((2, 2), ('P', 'Q'))
    """
    _, series = labelled(data)
    text, _ = text_of(formula, series[0] if series else {}, columns, None)
    request = FitRequest(text, {}, hold=hold, absolute_sigma=absolute_sigma, limits=limits, level=level, seed=seed)
    return fit_series(request, data, fit_request, sigma, start)
