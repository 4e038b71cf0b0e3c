"""The grips of fitted peaks: a top for each, to be pulled in place and height, and a flank of the chosen one for its width."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from vettore.core.arrays import Array
from vettore.core.models.pulling import Placed
from vettore.core.peaks.matching import number_in
from vettore.core.peaks.result import PeaksFit
from vettore.study.fitting.fits import DerivedFit

Values = Mapping[str, float]
# A top that is pulled below this share of its height stays there: peaks do not vanish under the hand.
LOWEST, NARROWEST = 0.02, 0.05


class PeakPulls:
    """The grips of one fit of peaks; ``chosen`` is the number of the peak whose flank has one, too."""

    def __init__(self, fit: DerivedFit, peaks: PeaksFit, chosen: int) -> None:
        self._peaks, self.chosen = peaks, chosen
        self._fixed = {*dict(fit.recipe.hold), *peaks.request.links}

    def places(self, values: Values, _curve: Callable[[float], Array]) -> list[Placed]:
        """Return where the grips stand with these values: the tops by place, then the flank."""
        numbers = self._peaks.numbers_with(values)
        places = [
            Placed(
                f"peak {number}: place and height",
                of.place,
                float(self._peaks.background(of.place, values)) + of.height,
            )
            for number, of in numbers.items()
        ]
        if self.chosen in numbers:
            of = numbers[self.chosen]
            at = of.place + of.width / 2
            flank = float(self._peaks.background(at, values)) + of.height / 2
            places.append(Placed(f"peak {self.chosen}: width", at, flank))
        return places

    def number_at(self, place: int) -> int:
        """Return the number of the peak that a grip belongs to."""
        return number_in(self._peaks.names[place]) if place < self._peaks.count else self.chosen

    def pull(
        self, _name: str, place: int, values: Values, _curve: Callable[[float], Array], x: float, y: float
    ) -> dict[str, float] | None:
        """Return the values after pulling a grip to (x, y); what is held or linked stays."""
        names = self._names_of(self.number_at(place))
        if names is None:
            return None
        at, high, wide, _ = self._peaks.numbers_with(values)[self.number_at(place)]
        height, middle, width = names[:3]
        changed: dict[str, float] = {}
        if place < self._peaks.count:
            above = y - float(self._peaks.background(x, values))
            if not self._peaks.request.negative:
                above = max(above, LOWEST * abs(high))
            changed = {middle: values.get(middle, 0.0) + x - at}
            if high and above:
                changed[height] = values.get(height, 0.0) * above / high
        elif wide:
            changed = {width: values.get(width, 0.0) * max(2 * abs(x - at) / wide, NARROWEST)}
        return {**values, **{name: value for name, value in changed.items() if name not in self._fixed}}

    def _names_of(self, number: int) -> tuple[str, ...] | None:
        return next((names for names in self._peaks.names if number_in(names) == number), None)
