"""Where a peak more would take most from the residuals of fitted peaks, and whether chance does as much."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from vettore.core.peaks.begin import Beginning
from vettore.core.peaks.result import PeaksFit
from vettore.core.peaks.search import CHANCE, by_chance, with_one_more


@dataclass(frozen=True)
class PeakMore:
    """A peak more at ``place`` takes the share ``gain`` of the sum of squares; ``p`` is how likely chance takes so much."""

    place: float
    gain: float
    p: float

    @property
    def is_told(self) -> bool:
        """Whether it is more than chance would make."""
        return self.p < CHANCE


def peak_more(peaks: PeaksFit) -> PeakMore | None:
    """Return where a peak more would help most; None where there is no place for any."""
    fit, request = peaks.fit, peaks.request
    order = np.argsort(fit.x, kind="stable")
    x = fit.x[order]
    if len(x) <= (1 + 2 + len(request.shape.extras)) * (peaks.count + 1) + len(peaks.background_names):
        return None
    root = None if fit.sigma is None else 1 / fit.sigma[order]
    # The background as it was fitted, and a level and a slope that may still give way.
    left = Beginning(request, x, fit.y[order] - peaks.background(x), root).thinned()
    trace = left.trace(left.plain("slope"))
    values = [[peaks.values[name] for name in names] for names in peaks.names]
    p = np.array([[place, np.log(width), *extras] for _, place, width, *extras in values])
    before = trace.refine(np.clip(p, trace.low, trace.high))
    rough = with_one_more(trace, before)
    if rough.count == before.count:
        return None
    more = trace.refine(rough.p)
    if before.squares <= 0 or more.squares >= before.squares:
        return None
    return PeakMore(float(more.p[-1, 0]), 1 - more.squares / before.squares, by_chance(trace, before, more))
