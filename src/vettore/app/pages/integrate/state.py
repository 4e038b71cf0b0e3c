"""What is chosen and typed on the Integrate page, and what each act makes of it. Knows no widget."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from vettore.study.kinds.area import AreaRecipe
from vettore.study.kinds.function import FunctionRecipe
from vettore.study.study import Study


@dataclass(frozen=True)
class Typed:
    """What stands in the fields of a function of x."""

    formula: str = ""
    start: str = "0"
    end: str = "1"
    strips: str = ""
    rule: str = "trapezoid"
    at_x: str = ""
    where_y: str = ""


@dataclass(frozen=True)
class IntegrateState:
    """Either points, the series with its area at hand or a kept one, or a function of x, once one is typed."""

    series: str = ""
    draft: AreaRecipe | None = None
    kept: str = ""
    typed: Typed = field(default_factory=Typed)
    of_function: bool = False

    @property
    def has_function(self) -> bool:
        """Whether there is a function to show."""
        return self.of_function and bool(self.typed.formula)

    def on(self, series: str) -> IntegrateState:
        """Return the state once a series is chosen: another one shows its points and begins with an area of its own."""
        if series == self.series and (self.draft is not None or not series):
            return self
        stays = self.of_function and not (self.series and series)
        draft = AreaRecipe(series) if series else None
        return replace(self, series=series, draft=draft, kept="", of_function=stays)

    def area(self, study: Study) -> AreaRecipe | None:
        """Return the area that is shown: one that is kept, or the one at hand."""
        kept = next((area for area in study.areas if area.id == self.kept), None)
        return kept if kept is not None and kept.series == self.series else self.draft

    def turned(self, kept: str) -> IntegrateState:
        """Return the state with a kept area shown, or the one at hand again."""
        return replace(self, kept="" if self.kept == kept else kept)

    def function(self, study: Study) -> FunctionRecipe | None:
        """Return the kept function that is typed, if it is one."""
        texts = (self.typed.formula, self.typed.start, self.typed.end)
        return next((known for known in study.functions if (known.formula, known.start, known.end) == texts), None)
