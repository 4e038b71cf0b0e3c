"""What fitted peaks leave in doubt: another number as good, two that are hardly told apart, tops cut by a detector, ends."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from vettore.core.arrays import Array
from vettore.core.peaks.peak import FittedPeak
from vettore.core.peaks.search import CHANCE, PERHAPS, Candidate
from vettore.core.remarks import Remark, RemarkKind

# So many equal values at the very top are a detector's ceiling.
CEILING = 4
# An area whose standard error is this share of it says little.
VAGUE = 0.3
# More such peaks are said together.
SAID_EACH = 2
# A top this share of its width from the end of the rows is half unseen.
AT_EDGE = 0.25


def unlike_expected(peaks: Sequence[FittedPeak], expected: Sequence[tuple[float, float]]) -> Iterator[Remark]:
    """Return remarks on peaks that were expected, as (place, width), and are gone, and on those that are new."""
    if not expected:
        return
    there = {peak.number: peak for peak in peaks}
    for number, (place, _) in enumerate(expected, 1):
        if number not in there:
            yield Remark(RemarkKind.PEAK_GONE, (str(number),), figures=(place,))
    for number, peak in there.items():
        if number > len(expected):
            yield Remark(RemarkKind.PEAK_NEW, (str(number),), figures=(peak.place.value,))


def doubts_of(peaks: Sequence[FittedPeak], candidates: Sequence[Candidate], x: Array, y: Array) -> Iterator[Remark]:
    """Return remarks on peaks fitted to rows by rising x, found among so many candidates."""
    count = len(peaks)
    rivals = [item for item in candidates if item.count > count and item.p is not None and item.p < PERHAPS]
    if rivals:
        yield Remark(RemarkKind.PEAKS_AS_GOOD, figures=(rivals[0].count, rivals[0].p or 0.0))
    last = next((item for item in candidates if item.count == count), None)
    if last is not None and last.p is not None and last.p > CHANCE / 20:
        yield Remark(RemarkKind.PEAKS_AS_GOOD, figures=(count - 1, last.p))
    ceiling = float(y.max())
    cut = np.flatnonzero(y == ceiling)
    if len(cut) >= CEILING and np.diff(cut).max(initial=0) == 1 and ceiling > y.min():
        yield Remark(RemarkKind.CEILING, tuple(f"{value:.6g}" for value in (x[cut[0]], x[cut[-1]], ceiling)))
    vague = {
        peak.number: peak.area.standard_error / abs(peak.area.value)
        for peak in peaks
        if peak.area.standard_error is not None and peak.area.standard_error > VAGUE * abs(peak.area.value) > 0
    }
    if len(vague) > SAID_EACH:
        spread = min(vague.values()), max(vague.values())
        yield Remark(RemarkKind.PEAKS_NOT_APART, tuple(map(str, vague)), figures=spread)
    for peak in peaks:
        width = peak.width.value
        if peak.number in vague and len(vague) <= SAID_EACH:
            near = [other for other in peaks if other is not peak]
            nearest = min(near, key=lambda other: abs(other.place.value - peak.place.value), default=None)
            names = (str(peak.number),) if nearest is None else (str(peak.number), str(nearest.number))
            yield Remark(RemarkKind.PEAK_NOT_APART, names, figures=(vague[peak.number],))
        if not x[0] + AT_EDGE * width <= peak.place.value <= x[-1] - AT_EDGE * width:
            yield Remark(RemarkKind.PEAK_AT_EDGE, (str(peak.number),), figures=(peak.place.value,))
