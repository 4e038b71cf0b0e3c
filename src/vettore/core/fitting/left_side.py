"""The left side of a formula: what is fitted, and the ± of it that follows from that of the measured columns.

For g(y, z, …) of columns with independent standard deviations, to first order and row by row (JCGM 100, §5.1):

    σ_g² = Σⱼ (∂g/∂yⱼ)² σⱼ²

with exact derivatives. The next term of the series changes g by g″σ²/2; where that is no longer small beside g′σ,
the ± is said to be rough.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from vettore.core.arrays import Array, Values, as_values
from vettore.core.errors import DataError, Fault, name_rows
from vettore.core.fitting.rows import check_sign
from vettore.core.formula.derivative import derivative
from vettore.core.formula.evaluate import evaluate
from vettore.core.formula.formula import Formula
from vettore.core.formula.tree import Name
from vettore.core.remarks import Remark, RemarkKind

# A second term of the series above this share of the first makes the carried ± rough: for ln y, a ± of half of y.
ROUGH = 0.25

Sigma = Values | float | Mapping[str, Values | float]


def sigma_of_left(
    read: Formula, columns: Mapping[str, Array], sigma: Sigma, n: int
) -> tuple[Array, str, tuple[Remark, ...]]:
    """Return the standard deviations (n,) of the left side, what they are called, and what is to be said of them.

    ``sigma`` is that of the measured column, or a mapping with one for each of several. Raises DataError.
    """
    given = _by_column(read, sigma, n)
    assert read.left is not None
    if isinstance(read.left, Name):
        return given[read.response], "sigma", ()
    carried = np.zeros(n)
    remarks: tuple[Remark, ...] = ()
    for name, spread in given.items():
        check_sign(spread, f"sigma of {name}", zero_allowed=False)
        slope = derivative(read.left, name)
        steep = evaluate(slope, columns, n)
        carried = np.hypot(carried, steep * spread)
        with np.errstate(all="ignore"):
            bend = evaluate(derivative(slope, name), columns, n)
            rough = np.flatnonzero(np.abs(bend) * spread > 2 * ROUGH * np.abs(steep))
        if len(rough):
            where = tuple((rough + 1).tolist())
            remarks = (*remarks, Remark(RemarkKind.ROUGH_SIGMA, (name, read.left_text), where))
    label = f"the ± of {read.left_text}"
    level = np.flatnonzero(carried == 0)
    if len(level):
        rows = name_rows((level + 1).tolist())
        raise DataError(
            f"{label[0].upper()}{label[1:]} is zero in {rows}: {read.left_text} does not change there with what was "
            "measured. Set these rows aside, or fit the column itself.",
            Fault.BAD_ROWS,
            column=read.response,
            rows=(level + 1).tolist(),
        )
    return carried, label, remarks


def _by_column(read: Formula, sigma: Sigma, n: int) -> dict[str, Array]:
    if not isinstance(sigma, Mapping):
        if len(read.measured) > 1:
            listed = " and ".join(read.measured)
            raise DataError(
                f"{read.left_text} is made of {listed}, so one sigma does not say whose ± it is. "
                f'Give it by column, as {{"{read.measured[0]}": …}}.',
                Fault.MISSING,
            )
        sigma = {read.response: sigma}
    known = {name: as_sigma(sigma[name], n) for name in read.measured if name in sigma}
    if not known:
        raise DataError(
            f"The ± that was given is of {', '.join(sigma)}, but {read.left_text} is fitted. "
            f"Give that of {read.response}, or fit without.",
            Fault.MISSING,
        )
    return known


def as_sigma(values: Values | float, n: int) -> Array:
    """Return standard deviations (n,); one number is that of every row."""
    if np.ndim(values) == 0:  # type: ignore[arg-type]
        return as_values(np.full(n, values), "sigma")
    return as_values(values, "sigma")  # type: ignore[arg-type]
