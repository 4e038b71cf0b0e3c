"""What the Integrate page keeps: areas of a series, peaks among them, and series made of areas and slopes."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtWidgets import QPushButton, QVBoxLayout

from vettore.app.session import Session
from vettore.app.widgets.parts import button, clear
from vettore.core.arrays import Array
from vettore.core.errors import VettoreError
from vettore.core.integration.peaks import find_peaks
from vettore.core.integration.rules import RULES
from vettore.core.integration.sampled import SampledArea
from vettore.study import edits, edits_of_curves
from vettore.study.areas import UNDER_FIT, derive_area
from vettore.study.derive_curves import area_unit, points_in_use, slopes_of
from vettore.study.kinds.area import AreaRecipe
from vettore.study.kinds.baselines import BetweenEnds
from vettore.study.series import Role, Series
from vettore.study.table import RawColumn, Source, Table

MOST_PEAKS = 30
# Rows over which the slope at a point is taken.
SLOPE_WIDTH = 5


RULE_WORDS = {
    "trapezoid": ("Straight pieces", "trapezoids between neighbouring points"),
    "simpson": ("Parabolas", "Simpson: one through each three points"),
    "spline": ("Smooth spline", "exact under the cubic spline"),
    UNDER_FIT: ("Fitted curve", "exact under the curve of the series that is chosen in the tray"),
}


@dataclass(frozen=True, eq=False)
class Answer:
    """An area under points with what finer strips and other rules give."""

    series: Series
    recipe: AreaRecipe
    area: SampledArea
    shape_of: Callable[[Array], Array]
    steps: tuple[tuple[str, float], ...]


class KeptHands:
    """The part of the Integrate page that turns what is shown into areas kept and series made."""

    session: Session
    _kept: QVBoxLayout
    _draft: AreaRecipe | None
    _chosen: str
    answer: Answer | None

    @property
    def recipe(self) -> AreaRecipe:
        """The area that is shown: one that is kept, or the one at hand."""
        raise NotImplementedError

    def refresh(self) -> None:
        """Read everything from the session again."""
        raise NotImplementedError

    def _list_kept(self) -> None:
        clear(self._kept)
        series, style = self.session.series, self.session.style
        areas = self.session.study.areas_of(series.id) if series is not None else ()
        self.kept_buttons: dict[str, QPushButton] = {}
        total = 0.0
        found = []
        for one in areas:
            try:
                assert series is not None
                value = derive_area(self.session.study, series, one).area
            except VettoreError:
                value = math.nan
            found.append((one, value))
            total += value
        for number, (one, value) in enumerate(found, 1):
            share = f" · {100 * value / total:.0f} %" if len(found) > 1 and total else ""
            words = f"{one.name or f'area {number}'}   {style.number(value, 4)}{share}"
            line = button(words, lambda identity=one.id: self.choose_area(identity), "choice", "Show this area")
            line.setCheckable(True)
            line.setChecked(one.id == self._chosen)
            self.kept_buttons[one.id] = line
            self._kept.addWidget(line)

    def choose_area(self, identity: str) -> None:
        """Show an area that is kept, or the one at hand again."""
        self._chosen = "" if self._chosen == identity else identity
        self.refresh()

    def keep_area(self) -> None:
        """Keep the area at hand, or let go of the one that is kept."""
        if self._draft is None or self.answer is None:
            return
        recipe = self.recipe
        if recipe.id:
            self._chosen = ""
            self.session.do("let go of an area", edits_of_curves.remove_area(self.session.study, recipe.id))
            return
        whole = recipe.changed(start=self.answer.area.a, end=self.answer.area.b)
        study = edits_of_curves.add_area(self.session.study, whole)
        self._chosen = study.areas[-1].id
        self.session.do("keep an area", study)

    def find_peaks(self) -> None:
        """Keep an area under every peak that stands out, above the line between its feet."""
        series = self.session.series
        if series is None or self._draft is None:
            return
        try:
            x, y, _ = points_in_use(series)
            peaks = find_peaks(x, y, most=MOST_PEAKS)
        except VettoreError as error:
            self.session.say(str(error), "bad")
            return
        if not peaks:
            self.session.say("No peak stands out of the scatter of these points.")
            return
        study, style = self.session.study, self.session.style
        rule = self.recipe.rule if self.recipe.rule in RULES else "trapezoid"
        for peak in peaks:
            name = f"peak at {style.short(peak.position, 4)}"
            recipe = AreaRecipe(series.id, peak.start, peak.end, rule, BetweenEnds(), name)
            study = edits_of_curves.add_area(study, recipe)
        self._chosen = study.areas[-len(peaks)].id
        words = "one peak" if len(peaks) == 1 else f"{len(peaks)} peaks"
        self.session.do(f"keep {words}", study)
        self.session.say(f"{words.capitalize()} found and kept; each can be adjusted.")

    def make_slopes(self) -> None:
        """Make the slopes of the points a series of its own."""
        series = self.session.series
        if series is None:
            return
        try:
            table = slopes_of(series, SLOPE_WIDTH)
        except VettoreError as error:
            self.session.say(str(error), "bad")
            return
        study = edits.add_series(self.session.study, table, f"{series.name}, slopes")
        self.session.do("make the slopes a series", study)
        self.session.say(f"Slopes by local parabolas over {SLOPE_WIDTH} rows came in as a new series.")

    def make_series(self) -> None:
        """Make the running area a series of its own."""
        if self.answer is None:
            return
        series, area = self.answer.series, self.answer.area
        x_name, x_unit = series.name_and_unit(Role.X)
        columns = (RawColumn(x_name, x_unit, area.edges), RawColumn("running area", area_unit(series), area.running))
        how = (("made from", series.name), ("by", f"running area, {RULE_WORDS[area.rule][0].lower()}"))
        study = edits.add_series(
            self.session.study, Table(columns, Source("", how=how, kind="made")), f"{series.name}, running area"
        )
        self.session.do("make the running area a series", study)
