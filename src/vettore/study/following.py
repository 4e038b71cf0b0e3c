"""Series that follow others: values filled in between points are read again when the points change."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from vettore.core.arrays import Array
from vettore.core.errors import DataError, Fault, VettoreError
from vettore.core.interpolation.interpolant import Interpolant
from vettore.study.derive_curves import derive_interpolant, filled
from vettore.study.kinds.filling import Filling
from vettore.study.series import Role, Series
from vettore.study.study import Study
from vettore.study.table import Table

MOST_FILLED = 1_000_000


def places(study: Study, filling: Filling, curve: Interpolant) -> Array:
    """Return the x at which values are filled in. Raises DataError."""
    low, high = curve.span
    if filling.other:
        x = study.find_series(filling.other).values(Role.X)
        if x is None:
            raise DataError("The other series has no column for x. Choose one in the table's header.", Fault.MISSING)
        return x[np.isfinite(x)]
    if filling.at:
        return np.array(filling.at, dtype=np.float64)
    if filling.every is not None:
        if not filling.every > 0:
            raise DataError("The distance has to be above zero.", Fault.OUT_OF_BOUNDS)
        count = int(np.floor((high - low) / filling.every * (1 + 1e-12))) + 1
        _check(count)
        return np.asarray(low + filling.every * np.arange(count), dtype=np.float64)
    if filling.count is None or filling.count < 2:
        raise DataError("At least two values are needed.", Fault.TOO_FEW)
    _check(filling.count)
    return np.asarray(np.linspace(low, high, filling.count), dtype=np.float64)


def _check(count: int) -> None:
    if count > MOST_FILLED:
        raise DataError(f"That would be {count:,} values; the most is {MOST_FILLED:,}.", Fault.TOO_MANY)


def followed(before: Study, study: Study) -> Study:
    """Return a study after an edit, its filled series read again where what they rest on has changed.

    Every edit goes through it (see parts.py), whether it is made in the window or in a script.

    What cannot be read again keeps the values that it had.
    """
    for filling in study.fillings:
        if _rests_on(before, filling) == _rests_on(study, filling):
            continue
        source = study.find_series(filling.source)
        try:
            curve = derive_interpolant(source, study.interpolant_of(source.id))
            table = filled(source, curve, places(study, filling, curve))
            study = _with_table(study, filling.series, table)
        except VettoreError:
            continue
    return study


def _with_table(study: Study, identity: str, table: Table) -> Study:
    renewed = study.find_series(identity).renewed(table)
    return replace(study, parts=tuple(renewed if part.id == identity else part for part in study.parts))


def _rests_on(study: Study, filling: Filling) -> tuple[object, ...]:
    """Return what the values of a filled series depend on."""

    def content(identity: str) -> object:
        series: Series | None = next((each for each in study.series if each.id == identity), None)
        if series is None:
            return None
        return (series.key, series.columns, series.set_aside, series.error_of_y)

    recipe = study.interpolant_of(filling.source).changed(read_at=())
    return (content(filling.source), content(filling.other), recipe)
