"""The Interpolate page: methods as panels on the same points, the chosen one large, values read or filled in."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QSlider,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from vettore.app.pages.interpolate_methods import MethodHands, Offer
from vettore.app.pages.page import Doors, Page
from vettore.app.session import Session
from vettore.app.stage.curves import CurveLine
from vettore.app.stage.plot import Plot
from vettore.app.widgets.fill_bar import FillBar
from vettore.app.widgets.line_up import LineUp
from vettore.app.widgets.parts import Column, Invitation, Pairs, about, button, label, rule, section
from vettore.app.widgets.value_table import ValueTable
from vettore.app.widgets.working import WorkingDrawer
from vettore.core.errors import DataError, VettoreError
from vettore.core.interpolation.interpolant import Interpolant, Outside
from vettore.core.interpolation.methods import METHODS
from vettore.core.interpolation.points import wide_gaps
from vettore.core.remarks import counted
from vettore.core.rounding import read_number
from vettore.core.typed import numbers_in
from vettore.report.working import curve_steps
from vettore.study import edits_of_curves
from vettore.study.derive_curves import derive_interpolant, readable
from vettore.study.series import Role, Series

# Steps of the slider over powers of ten of the penalty about the one found from the data.
SLIDER, DECADES = 200, 5.0
# A gap is named when it is so many times the usual distance between points.
GAP = 3.0
MOST_GAPS = 6
# Longer names of columns are x beside a field.
LONGEST_NAME = 12
MOST_READ = 200
# What may lie beyond the points, in the order offered.
BEYOND: dict[Outside, str] = {
    "refuse": "nothing",
    "constant": "the end value",
    "linear": "straight on",
    "continue": "the last piece",
}


class InterpolatePage(MethodHands, Page):
    """Choose how points are joined; read between them; fill values in as a new series."""

    name = "Interpolate"
    help_page = "interpolate.md"

    def __init__(self, session: Session, doors: Doors) -> None:
        super().__init__(session, doors)
        self.curve: Interpolant | None = None
        self._offered: tuple[object, ...] = ()
        self._shown: tuple[object, ...] = ()
        self._base = 1.0
        self._build_choices()
        self._build_stage()
        self._build_findings()

    def _build_choices(self) -> None:
        self.choices = QWidget()
        box = QVBoxLayout(self.choices)
        box.setContentsMargins(10, 8, 6, 10)
        box.addWidget(rule())
        box.addWidget(section("Ways to join the points"))
        box.addWidget(label("each missed when it is left out", "muted", wrap=True))
        self.methods = LineUp(len(METHODS), pins=True)
        self.methods.setToolTip("Pin a method to draw it beside the chosen one")
        self.methods.chosen.connect(self.choose)
        self.methods.pinned.connect(self._turn_pin)
        self.pinned: list[str] = []
        self._offers: tuple[Offer, ...] = ()
        self._beside: list[CurveLine] = []
        scroll = Column("Methods", (0, 0, 6, 0))
        scroll.add(self.methods)
        scroll.column.addStretch()
        box.addWidget(scroll, 1)
        self._add_details(box)

    def _add_details(self, box: QVBoxLayout) -> None:
        """Add what some of the ways can be told: smoothness, slopes at the ends, errors, what lies beyond."""
        self.smooth = QWidget()
        lines = QVBoxLayout(self.smooth)
        lines.setContentsMargins(0, 0, 0, 0)
        head = QHBoxLayout()
        head.addWidget(label("smoother", "label"))
        head.addStretch()
        head.addWidget(button("by the data", self._let_smoothing, "link", "Let the data choose the smoothing"))
        lines.addLayout(head)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, SLIDER)
        self.slider.setAccessibleName("How smooth the curve is")
        self.slider.sliderReleased.connect(self._smooth_to)
        lines.addWidget(self.slider)
        self.use_errors = QCheckBox("use the ± of y")
        self.use_errors.clicked.connect(lambda on: self._change("use the ± of y", use_errors=on))
        self.ends = QWidget()
        line = QHBoxLayout(self.ends)
        line.setContentsMargins(0, 0, 0, 0)
        self.end_slopes = (QLineEdit(), QLineEdit())
        line.addWidget(label("slopes at the ends", "label"))
        for field, words in zip(self.end_slopes, ("beginning", "end"), strict=True):
            field.setAccessibleName(f"Slope at the {words}")
            field.setFixedWidth(50)
            field.returnPressed.connect(self._take_ends)
            line.addWidget(field)
        self.outside = QComboBox()
        self.outside.addItems(list(BEYOND.values()))
        self.outside.setAccessibleName("What lies beyond the points")
        self.outside.activated.connect(self._go_beyond)
        beyond = QWidget()
        line = QHBoxLayout(beyond)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(label("beyond", "label"))
        line.addWidget(self.outside, 1)
        for widget in (self.smooth, self.ends, self.use_errors, beyond):
            box.addWidget(widget)

    def _build_stage(self) -> None:
        self.plot = Plot(self.session.say)
        self.first = self.plot
        self.refusal = label("", "bad", wrap=True)
        self.refusal.setContentsMargins(18, 8, 18, 8)
        self.refusal.hide()
        self.bar = FillBar(self.session)
        self.at, self.every = self.bar.at, self.bar.every
        self.bar.read.connect(self.read)
        self.bar.filled.connect(self.fill_in)
        filled_stage = QWidget()
        box = QVBoxLayout(filled_stage)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        for widget, stretch in ((self.refusal, 0), (self.plot, 1), (self.bar, 0)):
            box.addWidget(widget, stretch)
        stage = QStackedWidget()
        stage.setObjectName("canvas")
        words = "Reading between points needs points. Bring in data first."
        stage.addWidget(Invitation(words, "Open a file …", self.doors.open_file))
        stage.addWidget(filled_stage)
        self.stage = stage
        about("interpolate.md#fill-in-values", self.bar)
        about("interpolate.md#choose-a-way-to-join-the-points", self.methods)
        self.plot.place_clicked.connect(self._read_clicked)
        self.plot.row_pointed.connect(self.session.point)

    def _build_findings(self) -> None:
        self.findings = Column("What the curve says")
        self.sentence = label("", "sentence", wrap=True)
        self.doubts, self.gaps = Pairs(), label("", "sentence", wrap=True)
        self._gap_title = section("Gaps")
        self.values = ValueTable()
        self._values_title = section("Values read")
        self.findings.add(section("What the curve says"), self.sentence, rule(), section("Its doubts"), self.doubts)
        self.findings.add(self._gap_title, self.gaps, self._values_title, self.values)
        self.findings.column.addStretch()
        self.findings.add(button("Show the working", self.show_working, "", "The pieces, and how they came about"))

    def refresh(self) -> None:
        """Show the chosen series with the curve through its points."""
        series = self.session.series
        self.stage.setCurrentIndex(0 if series is None else 1)
        self.choices.setEnabled(series is not None)
        self.findings.setVisible(series is not None)
        if series is None:
            self.curve, self._offered = None, ()
            self.methods.show_candidates([], (np.empty(0), np.empty(0)), "", self.session.style)
            return
        self._show_points(series)
        recipe = self.session.study.interpolant_of(series.id)
        self.use_errors.setVisible(series.sigma is not None)
        self.use_errors.setChecked(recipe.use_errors)
        self.outside.setCurrentIndex(list(BEYOND).index(recipe.outside))
        self.smooth.setVisible(recipe.method == "smoothing")
        self.ends.setVisible(recipe.method == "clamped")
        for field, slope in zip(self.end_slopes, recipe.end_slopes, strict=True):
            field.setText(self.session.style.plain(f"{slope:g}"))
        self.session.background.run(
            "interpolate",
            lambda: derive_interpolant(series, recipe).get_ready(),
            self._show_curve,
            self._show_refusal,
            1,
        )
        self._offer(series, recipe)

    def status(self) -> list[str]:
        """Say what was used."""
        if self.curve is None:
            return []
        return [counted(len(self.curve.x), "point"), self.curve.method.name.lower(), *self.curve.notes]

    def choose(self, method: object) -> None:
        """Join the points in another way."""
        name = METHODS[str(method)].name.lower()
        self._change(f"join the points by {name}", method=str(method), penalty=None)

    def read(self) -> None:
        """Show values at the x that were typed, and keep them."""
        if self.curve is None:
            return
        try:
            numbers = numbers_in(self.at.text())
        except DataError as error:
            self.session.say(str(error), "bad")
            return
        if len(numbers) > MOST_READ:
            self.session.say(f"Up to {MOST_READ} x can be read here; fill in a series for more.", "bad")
            return
        try:
            self.curve(np.array(numbers, dtype=np.float64))
        except DataError as error:
            self.session.say(str(error), "bad")
            return
        self._change("read between points", read_at=tuple(numbers))

    def fill_in(self) -> None:
        """Make a new series of values between the points; it follows them."""
        series = self.session.series
        if series is None or self.curve is None:
            return
        try:
            filling, words = self.bar.filling(series.id)
            study = edits_of_curves.add_filling(self.session.study, filling, f"{series.name}, {words}")
        except VettoreError as error:
            self.session.say(str(error), "bad")
            return
        self.session.do("fill in values", study)
        self.session.say(
            f"{counted(study.series[-1].rows, 'value')} came in as a new series; it follows these points."
        )

    def _change(self, words: str, **values: object) -> None:
        series = self.session.series
        if series is None:
            return
        recipe = self.session.study.interpolant_of(series.id)
        changed = recipe.changed(**values)
        if changed != recipe:
            self.session.do(words, edits_of_curves.set_interpolant(self.session.study, changed))

    def _smooth_to(self) -> None:
        exponent = (self.slider.value() / SLIDER - 0.5) * 2 * DECADES
        self._change("smooth by hand", penalty=self._base * 10.0**exponent)

    def _take_ends(self) -> None:
        slopes = [read_number(field.text()) for field in self.end_slopes]
        if slopes[0] is None or slopes[1] is None:
            self.session.say("A slope at an end is a number; 0 makes the curve run out level.", "bad")
            return
        self._change("slopes at the ends", end_slopes=(slopes[0], slopes[1]))

    def _go_beyond(self, place: int) -> None:
        chosen = list(BEYOND)[place]
        self._change(f"beyond the points: {BEYOND[chosen]}", outside=chosen)

    def show_working(self) -> None:
        """Open the pieces and what is behind them."""
        series = self.session.series
        if self.curve is None or series is None:
            return
        x_name, y_name = (series.name_and_unit(role)[0] for role in (Role.X, Role.Y))
        steps = curve_steps(self.curve, x_name, y_name, self.session.style)
        title = f"{self.curve.method.name} through {len(self.curve.x)} points of {series.name}"
        self.drawer = WorkingDrawer(title, None, steps, self.findings)
        self.drawer.show()

    def _let_smoothing(self) -> None:
        self.slider.setValue(SLIDER // 2)
        self._change("smooth as the data say", penalty=None)

    def _read_clicked(self, x: float) -> None:
        if self.curve is not None and readable(self.curve, [x]):
            self.at.setText(self.session.style.short(x, 4))
            self.read()

    def _show_points(self, series: Series) -> None:
        x, y = series.values(Role.X), series.values(Role.Y)
        self.plot.dress(self.session.style)
        self.plot.set_titles(series.label(Role.X), series.label(Role.Y))
        x_name, x_unit = series.name_and_unit(Role.X)
        self.bar.asked.setText(f"At {_named(x_name if len(x_name) <= LONGEST_NAME else 'x', x_unit)} =")
        self.bar.show_series()
        if x is None or y is None:
            return
        rows = np.flatnonzero(series.measured)
        aside = ~series.kept[rows]
        self.plot.marks.set_data(x[rows], y[rows], rows, aside, self.session.ink(series), None)
        used = rows[~aside]
        self.plot.beyond.set_span((float(x[used].min()), float(x[used].max())) if len(used) else None)
        shown = (series.key, series.place(Role.X), series.place(Role.Y))
        if shown != self._shown:
            self._shown = shown
            read_at = self.session.study.interpolant_of(series.id).read_at
            self.at.setText("; ".join(self.session.style.short(x) for x in read_at))
            self.plot.line.set_curve(None)
            self.plot.show_home(x[rows], y[rows])

    def _show_curve(self, curve: Interpolant) -> None:
        series = self.session.series
        if series is None:
            return
        self.curve = curve
        self.refusal.hide()
        self.plot.line.set_curve(curve)
        if curve.method.key == "smoothing" and self.session.study.interpolant_of(series.id).penalty is None:
            self._base = curve.penalty or 1.0
            self.slider.setValue(SLIDER // 2)
        style = self.session.style
        y_unit = series.name_and_unit(Role.Y)[1]
        method = curve.method
        self.sentence.setText(f"{method.name}: {method.use}")
        error = curve.left_out_error
        doubts = [
            ("leave-one-out error", "—" if error is None else f"{style.number(error, 3)} {y_unit}".strip()),
            ("overshoot", f"{style.number(curve.swing, 3)} {y_unit}".strip()),
        ]
        if curve.penalty is not None:
            doubts.append(("smoothing penalty λ", style.number(curve.penalty, 4)))
        if curve.swelling is not None:
            doubts.append(("errors of y grow up to", f"{style.number(curve.swelling, 3)} times"))
        doubts.append(("pieces", str(curve.pieces.powers.shape[1])))
        self.doubts.show_pairs(doubts)
        self._show_beside()
        self._show_gaps(curve, series)
        self._show_values(curve, series)
        self.session.say("", "status")

    def _show_gaps(self, curve: Interpolant, series: Series) -> None:
        unit, style = series.name_and_unit(Role.X)[1], self.session.style
        gaps = wide_gaps(curve.x, GAP)[:MOST_GAPS]
        words = [f"{style.short(low)} … {style.short(high)} {unit}".strip() for low, high in gaps]
        self.gaps.setText("\n".join(words))
        for part in (self._gap_title, self.gaps):
            part.setVisible(bool(words))

    def _show_values(self, curve: Interpolant, series: Series) -> None:
        at = np.array(readable(curve, self.session.study.interpolant_of(series.id).read_at))
        self._values_title.setVisible(bool(len(at)))
        style = self.session.style
        (x_name, x_unit), (y_name, y_unit) = series.name_and_unit(Role.X), series.name_and_unit(Role.Y)
        values, errors = (curve(at), curve.standard_error(at)) if len(at) else (at, at)
        rows, flags = [], []
        for x, y, error in zip(at.tolist(), values.tolist(), errors.tolist(), strict=True):
            text = style.pair(y, error) if math.isfinite(error) else style.number(y, 6)
            rows.append((f"{style.short(x)}, beyond" if curve.is_beyond(x) else style.short(x), text))
            flags.append((x, y, f"{text} {y_unit}".strip(), True))
        self.values.show_rows(
            (_named(x_name, x_unit), _named(y_name, y_unit)), rows, list(zip(at, values, strict=True))
        )
        self.plot.pennants.set_flags(flags[:12])

    def _show_refusal(self, sentence: str) -> None:
        self.curve = None
        self.plot.line.set_curve(None)
        self.plot.pennants.set_flags([])
        self.refusal.setText(sentence)
        self.refusal.show()
        self.sentence.setText(sentence)
        self.doubts.show_pairs([])


def _named(name: str, unit: str) -> str:
    return f"{name} ({unit})" if unit else name
