"""From the recipe of peaks in a study to the request of the core."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from vettore.core.arrays import Array
from vettore.core.fitting.request import FitRequest, Progress
from vettore.core.peaks.fit_peaks import peaks_of
from vettore.core.peaks.request import PeaksRequest, read_links
from vettore.core.peaks.result import PeaksFit
from vettore.core.peaks.shapes import shape_of
from vettore.study.kinds.peaks_fit import PeaksRecipe
from vettore.study.series import Role, Series


def fit_recipe(
    series: Series,
    recipe: PeaksRecipe,
    rows: NDArray[np.intp],
    sigma: Array | None,
    progress: Progress | None,
    noise: Mapping[str, Any],
) -> PeaksFit:
    """Fit peaks to rows of a series; ``sigma`` (of all rows) and ``noise`` are those of any fit. Raises VettoreError."""
    names = series.name_and_unit(Role.X)[0], series.name_and_unit(Role.Y)[0]
    columns = series.numbers(rows)
    request = PeaksRequest(
        shape_of(recipe.shape),
        recipe.count,
        recipe.background,
        recipe.negative,
        recipe.equal_widths,
        recipe.places,
        {name: (low, high) for name, low, high in recipe.limits},
        dict(recipe.hold),
        read_links(dict(recipe.links)),
        progress=progress,
        names=names,
        expected=recipe.expected,
    )
    known = {"absolute_sigma": recipe.errors_known and sigma is not None, **noise}
    data = {name: columns[name] for name in names}
    return peaks_of(request, FitRequest("", data, sigma=None if sigma is None else sigma[rows], **known))
