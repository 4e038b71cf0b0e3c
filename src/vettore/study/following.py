"""Series that follow others: values filled in between points are read again when the points change."""

from __future__ import annotations

import numpy as np

from vettore.core.arrays import Array
from vettore.core.errors import DataError, VettoreError
from vettore.core.interpolation.interpolant import Interpolant
from vettore.study import edits, parts
from vettore.study.derive_curves import derive_interpolant, filled
from vettore.study.kinds.filling import Filling
from vettore.study.series import Role, Series
from vettore.study.study import Study

MOST_FILLED = 1_000_000


def places(study: Study, filling: Filling, curve: Interpolant) -> Array:
    """Return the x at which values are filled in. Raises DataError."""
    low, high = curve.span
    if filling.other:
        x = study.find_series(filling.other).values(Role.X)
        if x is None:
            raise DataError("The other series has no column for x. Choose one in the table's header.")
        return x[np.isfinite(x)]
    if filling.at:
        return np.array(filling.at, dtype=np.float64)
    if filling.every is not None:
        if not filling.every > 0:
            raise DataError("The distance has to be above zero.")
        count = int(np.floor((high - low) / filling.every * (1 + 1e-12))) + 1
        _check(count)
        return np.asarray(low + filling.every * np.arange(count), dtype=np.float64)
    if filling.count is None or filling.count < 2:
        raise DataError("At least two values are needed.")
    _check(filling.count)
    return np.asarray(np.linspace(low, high, filling.count), dtype=np.float64)


def _check(count: int) -> None:
    if count > MOST_FILLED:
        raise DataError(f"That would be {count:,} values; the most is {MOST_FILLED:,}.")


def add_filling(study: Study, filling: Filling, name: str) -> Study:
    """Add a series of values between the points of another. Raises DataError."""
    source = study.find_series(filling.source)
    curve = derive_interpolant(source, study.interpolant_of(source.id))
    table = filled(source, curve, places(study, filling, curve))
    study = edits.add_series(study, table, name)
    made = study.series[-1].id
    return parts.put(study, filling.changed(id=f"w-{made}", series=made))


def followed(before: Study, study: Study) -> Study:
    """Return a study after an edit, its filled series read again where what they rest on has changed.

    What cannot be read again keeps the values that it had.
    """
    there = {series.id: series for series in study.series}
    for one in study.fillings:
        if _rests_on(before, one) == _rests_on(study, one):
            continue
        source = there[one.source]
        try:
            curve = derive_interpolant(source, study.interpolant_of(source.id))
            table = filled(source, curve, places(study, one, curve))
            study = edits.renew_series(study, one.series, table)
        except VettoreError:
            continue
    return study


def _rests_on(study: Study, filling: Filling) -> tuple[object, ...]:
    """Return what the values of a filled series depend on."""

    def content(identity: str) -> object:
        series: Series | None = next((one for one in study.series if one.id == identity), None)
        if series is None:
            return None
        return (series.key, series.columns, series.set_aside, series.error_of_y)

    recipe = study.interpolant_of(filling.source).changed(read_at=())
    return (content(filling.source), content(filling.other), recipe)
