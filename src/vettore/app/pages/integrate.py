"""The Integrate page: two handles and a floor, strips that are drawn, the running area, and whether it settles."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from vettore.app.pages.integrate_function import FunctionHands
from vettore.app.pages.integrate_kept import RULE_WORDS, Answer, KeptHands
from vettore.app.pages.page import Page
from vettore.app.session import Session
from vettore.app.stage.area_items import Handle, Running, Strips
from vettore.app.stage.plot import Plot
from vettore.app.widgets.parts import Column, Invitation, Pairs, button, clear, label, rule, section
from vettore.app.widgets.value_table import ValueTable
from vettore.core.arrays import Array
from vettore.core.errors import VettoreError
from vettore.core.fitting.formula_curve import FormulaCurve
from vettore.core.integration.rules import RULES, pieces_of
from vettore.core.integration.sampled import SampledArea, between_edges, integrate
from vettore.study import edits_of_curves
from vettore.study.areas import UNDER_FIT, baseline_typed, curve_of, derive_area, floor_of
from vettore.study.derive_curves import area_unit, points_in_use
from vettore.study.kinds.area import AreaRecipe
from vettore.study.kinds.baselines import AnyBaseline, BetweenEnds, CurveOf, Level, PointsOf
from vettore.study.series import Role, Series
from vettore.study.study import Study
from vettore.words.areas import baseline_words

FLOOR_HINT = "A level, spans of base as 0 … 5; 90 … 100, or a formula of x"
MOST_STRIPS_SHOWN = 40
# Places at which a function is drawn, and beyond its limits by this share.
DRAWN = 1200


class IntegratePage(KeptHands, FunctionHands, Page):
    """Drag limits, choose rule and floor, keep areas; find peaks; or take a function."""

    name = "Integrate"
    help_page = "integrate.md"

    def __init__(self, session: Session, open_file: Callable[[], object]) -> None:
        super().__init__(session)
        self.answer: Answer | None = None
        self._draft: AreaRecipe | None = None
        self._floors: dict[str, AnyBaseline] = {}
        self.function_curve: FormulaCurve | None = None
        self._chosen = ""
        self._shown: tuple[object, ...] = ()
        self._build_choices()
        self._build_stage(open_file)
        self._build_findings()

    def _build_choices(self) -> None:
        self.choices = QWidget()
        outer = QVBoxLayout(self.choices)
        outer.setContentsMargins(10, 8, 6, 10)
        outer.addWidget(rule())
        scroll = Column("Area", (0, 0, 6, 0))
        outer.addWidget(scroll, 1)
        scroll.add(section("How to join the points"))
        self.rules: dict[str, QPushButton] = {}
        group = QButtonGroup(self.choices)
        for key, (words, tip) in RULE_WORDS.items():
            one = button(words, lambda key=key: self._choose_rule(key), "choice", tip)
            one.setCheckable(True)
            group.addButton(one)
            self.rules[key] = one
            scroll.add(one)
        scroll.add(section("Baseline"))
        self.floor = QComboBox()
        self.floor.setEditable(True)
        self.floor.setAccessibleName("Baseline: zero, the line between the ends, another curve, or what you type")
        self.floor.setToolTip(FLOOR_HINT)
        self.floor.activated.connect(lambda _index: self._take_floor())
        edit = self.floor.lineEdit()
        assert edit is not None
        edit.returnPressed.connect(self._take_floor)
        scroll.add(self.floor)
        head = QHBoxLayout()
        head.addWidget(section("Areas kept"))
        head.addStretch()
        head.addWidget(button("find peaks", self.find_peaks, "link", "Keep an area under every peak that stands out"))
        holder = QWidget()
        holder.setLayout(head)
        head.setContentsMargins(0, 0, 0, 0)
        self._kept_holder = QWidget()
        self._kept = QVBoxLayout(self._kept_holder)
        self._kept.setContentsMargins(0, 0, 0, 0)
        self._kept.setSpacing(2)
        scroll.add(holder, self._kept_holder)
        scroll.column.addStretch()
        self._build_function(outer)

    def _build_stage(self, open_file: Callable[[], object]) -> None:
        self.plot = Plot(with_residuals=True)
        self.first = self.plot
        assert self.plot.lower is not None
        self.plot.lower.getAxis("left").set_title("Running area")
        self.plot.zero.setVisible(False)
        self.strip_item, self.running_item = Strips(), Running()
        self.strip_item.setZValue(3)
        self.plot.upper.vb.addItem(self.strip_item, ignoreBounds=True)
        self.plot.lower.vb.addItem(self.running_item, ignoreBounds=True)
        self.handles = (Handle(), Handle())
        for place, handle in enumerate(self.handles):
            handle.setZValue(15)
            self.plot.upper.vb.addItem(handle, ignoreBounds=True)
            handle.released.connect(lambda x, place=place: self.move_limit(place, x))
        self.refusal = label("", "bad", wrap=True)
        self.refusal.setContentsMargins(18, 8, 18, 8)
        self.refusal.hide()
        self.ladder = QWidget()
        self.ladder.setObjectName("bar")
        self.ladder.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(self.ladder)
        column.setContentsMargins(18, 8, 14, 8)
        column.addWidget(section("Does it settle as strips get finer?"))
        self._rungs_holder = QWidget()
        self._rungs = QGridLayout(self._rungs_holder)
        self._rungs.setContentsMargins(0, 0, 0, 0)
        self._rungs.setHorizontalSpacing(26)
        column.addWidget(self._rungs_holder, alignment=Qt.AlignmentFlag.AlignLeft)
        self.settles = label("", "muted", wrap=True)
        column.addWidget(self.settles)
        self._build_asks()
        filled = QWidget()
        box = QVBoxLayout(filled)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        for widget, stretch in ((self.refusal, 0), (self.plot, 1), (self.asks, 0), (self.ladder, 0)):
            box.addWidget(widget, stretch)
        stage = QStackedWidget()
        stage.setObjectName("canvas")
        words = "An area needs points, or a function of x typed on the left. Bring in data first."
        stage.addWidget(Invitation(words, "Open a file …", open_file))
        stage.addWidget(filled)
        self.stage = stage
        self.plot.row_pointed.connect(self.session.point)

    def _build_findings(self) -> None:
        self.findings = Column("What the area says")
        self.number, self.unit = label("", "display", wrap=True), label("", "muted", wrap=True)
        self.about = Pairs()
        self.table = ValueTable()
        self.keep = button("Keep this area", self.keep_area, "primary", "Keep it in the study; it follows the data")
        self.series_button = button(
            "Make the running area a series", self.make_series, "", "A new series of x and area"
        )
        self.findings.add(section("Area"), self.number, self.unit, rule(), self.about)
        self._strips_title = section("Strip by strip")
        self.findings.add(self._strips_title, self.table)
        self.findings.column.addStretch()
        self.slopes = button("Make the slopes a series", self.make_slopes, "", "A new series of x and slope")
        self.findings.add(self.keep, self.series_button, self.slopes)

    # What is shown.

    def refresh(self) -> None:
        """Show the chosen series with the area under it, unless a function is shown."""
        series = self.session.series
        if self.function.text().strip():
            self.take_function()
            return
        self.stage.setCurrentIndex(0 if series is None else 1)
        self._list_functions()
        if series is None:
            self.answer = None
            self.number.setText("")
            self._list_kept()
            return
        if self._draft is None or self._draft.series != series.id:
            self._draft, self._chosen = AreaRecipe(series.id), ""
        recipe = self.recipe
        self._show_points(series)
        self._list_kept()
        for key, one in self.rules.items():
            one.setChecked(key == recipe.rule)
        self.rules[UNDER_FIT].setEnabled(self.session.curve is not None or recipe.rule == UNDER_FIT)
        self._offer_floors(series, recipe)
        study = self.session.study

        def work() -> Answer:
            area = derive_area(study, series, recipe)
            if recipe.rule == UNDER_FIT:
                curve = curve_of(study, recipe.curve)
                return Answer(series, recipe, area, curve, ())
            x, y, _ = points_in_use(series)
            order = np.argsort(x, kind="stable")
            places, which, counts = np.unique(x[order], return_inverse=True, return_counts=True)
            mean = np.bincount(which, y[order]) / counts
            pieces = pieces_of(recipe.rule, places, mean)
            return Answer(series, recipe, area, pieces.value, _steps(study, places, mean, recipe, area))

        self.session.background.run("area", work, self._show_answer, self._show_refusal, 1)

    @property
    def recipe(self) -> AreaRecipe:
        """The area that is shown: one that is kept, or the one at hand."""
        kept = next((one for one in self.session.study.areas if one.id == self._chosen), None)
        if kept is not None and self._draft is not None and kept.series == self._draft.series:
            return kept
        assert self._draft is not None
        return self._draft

    def status(self) -> list[str]:
        """Say what was used."""
        if self.answer is None:
            return []
        error = {
            "sigma": "± from the ± of y",
            "scatter": "± from the scatter of the points",
            "coefficients": "± from the coefficients",
        }
        rule_used = RULE_WORDS[self.answer.recipe.rule][0].lower()
        words = [f"{int(self.answer.series.in_use.sum())} rows in use", rule_used]
        return [*words, *filter(None, [error.get(self.answer.area.error_from)]), *self.answer.area.notes]

    def _show_points(self, series: Series) -> None:
        x, y = series.values(Role.X), series.values(Role.Y)
        self.plot.dress(self.session.style)
        self.plot.set_titles(series.label(Role.X), series.label(Role.Y))
        self.plot.line.set_curve(None)
        self.plot.pennants.set_flags([])
        for handle in self.handles:
            handle.dress()
            handle.setVisible(True)
        if x is None or y is None:
            return
        rows = np.flatnonzero(series.measured)
        self.plot.marks.set_data(x[rows], y[rows], rows, ~series.kept[rows], self.session.ink(series), None)
        shown = (series.key, series.place(Role.X), series.place(Role.Y))
        if shown != self._shown:
            self._shown = shown
            # The floor at zero is part of the picture.
            self.plot.show_home(np.append(x[rows], x[rows[:1]]), np.append(y[rows], 0.0))

    def _show_answer(self, answer: Answer) -> None:
        self.answer = answer
        self.refusal.hide()
        area, series, style = answer.area, answer.series, self.session.style
        unit, x_unit = area_unit(series), series.name_and_unit(Role.X)[1]
        for handle, limit in zip(self.handles, (area.a, area.b), strict=True):
            handle.blockSignals(True)
            handle.setValue(limit)
            handle.blockSignals(False)
        edges, floor = area.edges, area.floor_at_edges
        self.strip_item.set_strips(
            edges, answer.shape_of, lambda x: between_edges(edges, floor, x), self.session.ink(series)
        )
        self._show_running(area.edges, area.running)
        self.number.setText(
            style.pair(area.area, area.standard_error) if area.standard_error else style.number(area.area, 6)
        )
        self.unit.setText(unit)
        pairs = [
            ("from", f"{style.short(area.a, 6)} {x_unit}".strip()),
            ("to", f"{style.short(area.b, 6)} {x_unit}".strip()),
            ("joined by", RULE_WORDS[area.rule][0].lower()),
            ("baseline", baseline_words(self.session.study, answer.recipe.baseline, style)),
            ("above the baseline", style.number(area.positive, 5)),
            ("below the baseline", style.number(area.negative, 5)),
        ]
        self.about.show_pairs(pairs)
        self._show_strips(area)
        self._show_steps(answer)
        kept = bool(answer.recipe.id)
        self.keep.setText("Let go of this area" if kept else "Keep this area")
        for part in (self._strips_title, self.keep, self.series_button, self.slopes):
            part.show()
        self.asks.hide()
        self.session.say("", "status")

    def _show_running(self, x: Array, y: Array) -> None:
        self.running_item.set_running(x, y)
        low, high = min(float(y.min()), 0.0), max(float(y.max()), 0.0)
        room = (high - low or 1.0) * 0.08
        assert self.plot.lower is not None
        self.plot.lower.vb.setYRange(low - room, high + room, padding=0)

    def _show_strips(self, area: SampledArea) -> None:
        style, rows, full = self.session.style, [], []
        net = area.heights - area.floor_at_edges
        for i in range(len(area.strips)):
            low, high = float(area.edges[i]), float(area.edges[i + 1])
            height = float(net[i] + net[i + 1]) / 2
            full.append((low, high, height, float(area.strips[i])))
            if i < MOST_STRIPS_SHOWN:
                texts = (style.short(value, 5) for value in (low, high))
                rows.append((*texts, style.number(height, 4), style.number(float(area.strips[i]), 4)))
        self.table.show_rows(("from", "to", "mean height", "area"), rows, full)

    def _show_steps(self, answer: Answer) -> None:
        style = self.session.style
        cells = []
        for place, (words, value) in enumerate(answer.steps):
            change = "" if place == 0 else _signed(style, value - answer.steps[place - 1][1])
            cells.append((words, style.number(value, 5), change))
        self._fill_rungs(cells)
        finest = [value for words, value in answer.steps if "strips" in words]
        error = answer.area.standard_error
        words = ""
        if len(finest) > 1:
            moved = abs(finest[-1] - finest[-2])
            if error is not None and moved <= error:
                words = "Halving the strips now moves the area by less than its ±."
            elif error is not None:
                words = "Halving the strips still moves the area by more than its ±: closer points would help."
        self.settles.setText(words)

    def _fill_rungs(self, cells: list[tuple[str, str, str]]) -> None:
        self.ladder.setVisible(bool(cells))
        clear(self._rungs)
        for place, (words, value, change) in enumerate(cells):
            self._rungs.addWidget(label(words, "muted"), 0, place)
            self._rungs.addWidget(label(value, "value"), 1, place)
            self._rungs.addWidget(label(change, "muted"), 2, place)

    def _show_refusal(self, sentence: str) -> None:
        self.answer = None
        self.strip_item.set_strips(np.empty(0), None, None, "")
        self.running_item.set_running(np.empty(0), np.empty(0))
        self.refusal.setText(sentence)
        self.refusal.show()
        self.number.setText("—")
        self.unit.setText("")
        self.about.show_pairs([])
        self.table.show_rows((), [], [])
        self._fill_rungs([])
        self.settles.setText("")

    # What is done by hand.

    def move_limit(self, place: int, x: float) -> None:
        """Put one limit somewhere, inside the points."""
        if self.answer is None:
            return
        points, _, _ = points_in_use(self.answer.series)
        x = min(max(x, float(points.min())), float(points.max()))
        area = self.answer.area
        limits = [area.a, area.b]
        limits[place] = x
        self._change("move a limit", start=limits[0], end=limits[1])

    def _choose_rule(self, rule: str) -> None:
        """Join the points otherwise, or take the area under the curve that is chosen in the tray."""
        curve = self.session.curve
        if rule != UNDER_FIT:
            self._change(f"area by {RULES[rule].lower()}", rule=rule, curve="")
        elif curve is not None:
            self._change("area under the fitted curve", rule=rule, curve=curve.id)

    def _offer_floors(self, series: Series, recipe: AreaRecipe) -> None:
        """Fill in the floors that there are: levels, other series and fitted curves."""
        study, style = self.session.study, self.session.style
        others = [PointsOf(other.id) for other in study.series if other.id != series.id]
        offered = [Level(), BetweenEnds(), *others, *(CurveOf(curve.id) for curve in study.curves)]
        self._floors = {baseline_words(study, baseline, style): baseline for baseline in offered}
        self.floor.clear()
        self.floor.addItems(list(self._floors))
        self.floor.setEditText(baseline_words(study, recipe.baseline, style))
        edit = self.floor.lineEdit()
        if edit is not None and not edit.hasFocus():
            edit.setCursorPosition(0)

    def _take_floor(self) -> None:
        text = self.floor.currentText().strip()
        try:
            value = self._floors.get(text) or baseline_typed(text)
        except VettoreError as error:
            self.session.say(f"“{text}” is no baseline: {error}", "bad")
            return
        self._change("change the baseline", baseline=value)

    def _change(self, words: str, **values: object) -> None:
        if self._draft is None or self.session.series is None:
            return
        recipe = self.recipe
        changed = recipe.changed(**values)
        if changed == recipe:
            return
        if recipe.id:
            self.session.do(words, edits_of_curves.change_area(self.session.study, changed))
        else:
            self._draft = changed
            self.refresh()


def _steps(study: Study, x: Array, y: Array, recipe: AreaRecipe, area: SampledArea) -> tuple[tuple[str, float], ...]:
    """Return the area with fewer points and by other rules, in words."""
    floor = floor_of(study, recipe.baseline)
    inside = np.flatnonzero((x > area.a) & (x < area.b))
    out = []
    for step in (8, 4, 2, 1):
        chosen = inside[step - 1 :: step]
        keep = np.unique(np.concatenate([np.flatnonzero(x <= area.a)[-1:], chosen, np.flatnonzero(x >= area.b)[:1]]))
        if step > 1 and len(chosen) < 2:
            continue
        try:
            value = (
                integrate(x[keep], y[keep], recipe.rule, a=area.a, b=area.b, floor=floor).area
                if step > 1
                else area.area
            )
        except VettoreError:
            continue
        out.append((f"{len(chosen) + 1} strips", value))
    for name in RULES:
        if name != recipe.rule:
            value = integrate(x, y, name, a=area.a, b=area.b, floor=floor).area
            out.append((RULE_WORDS[name][0].lower(), value))
    return tuple(out)


def _signed(style, value: float) -> str:
    text = style.number(abs(value), 2)
    return f"{'+' if value >= 0 else '−'}{text}"
