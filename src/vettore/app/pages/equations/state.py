"""What is chosen and typed on the Equations page beside what the study keeps. Knows no widget."""

from __future__ import annotations

from dataclasses import dataclass, replace

from vettore.study.fitting.systems import MOST_TRIED, measurable, over_of
from vettore.study.kinds.equations import EquationsRecipe
from vettore.study.series import Series
from vettore.study.study import Study


@dataclass(frozen=True)
class EquationsState:
    """The series that is shown, which of its systems, and the column in front.

    ``left_out`` are columns that no scheme is tried for, ``suggested`` the best scheme while the user has chosen none.
    ``runs`` is the column that runs while no system is kept. ``writing`` says that the bench is open.
    """

    series: str = ""
    kept: str = ""
    front: str = ""
    left_out: frozenset[str] = frozenset()
    suggested: EquationsRecipe | None = None
    runs: str = ""
    writing: bool = False

    def on(self, study: Study, series: Series | None) -> EquationsState:
        """Return the state once a series is chosen: another one is begun with anew."""
        if series is None:
            return EquationsState()
        if series.id != self.series:
            names = measurable(series)
            return EquationsState(series.id, left_out=frozenset(names[MOST_TRIED:]))
        known = {recipe.id for recipe in study.equations_of(series.id)}
        return self if self.kept in known or not self.kept else replace(self, kept="")

    def recipe(self, study: Study) -> EquationsRecipe | None:
        """Return the system that is shown: the chosen one, the last that is kept, or the one that is suggested."""
        kept = study.equations_of(self.series)
        chosen = next((recipe for recipe in kept if recipe.id == self.kept), None)
        return chosen or (kept[-1] if kept else self.suggested)

    def over(self, study: Study, series: Series) -> str:
        """Return the column that runs."""
        shown = self.recipe(study)
        return over_of(series, shown or EquationsRecipe(series=series.id, text="", over=self.runs))

    def tried(self, series: Series) -> tuple[str, ...]:
        """Return the columns that schemes are tried for."""
        recipe = EquationsRecipe(series=series.id, text="", over=self.runs)
        return tuple(name for name in measurable(series, over_of(series, recipe)) if name not in self.left_out)
