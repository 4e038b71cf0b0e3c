"""Several at once: the chosen model over many series, some coefficients common to all; pictures and one table."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QCheckBox, QGridLayout, QSplitter, QStackedWidget, QVBoxLayout, QWidget

from vettore.app.session import Session
from vettore.app.stage.curves import CurveLine
from vettore.app.stage.marks import Marks
from vettore.app.stage.plot import Plot
from vettore.app.widgets.fits.line_up import Candidate, Thumbnail
from vettore.app.widgets.parts import Column, button, clear, ground, label, section
from vettore.app.widgets.value_table import ValueTable
from vettore.core.errors import VettoreError
from vettore.core.rounding import NumberStyle
from vettore.study import edits
from vettore.study.fitting.fits import DerivedFit
from vettore.study.fitting.several import Several, SeveralRow, fit_each, fit_together, recipe_for
from vettore.study.kinds.fits import as_formula
from vettore.study.series import Role, Series
from vettore.words.several import several_in_words

ABREAST, TALL = 4, 150


class SeveralView(QWidget):
    """Choose series and what they have in common; pictures and table follow. ``closed`` tells that it is done."""

    closed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._fit: DerivedFit | None = None
        self.several: Several | None = None
        self.series: dict[str, QCheckBox] = {}
        self.common: dict[str, QCheckBox] = {}
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        head, line = ground("strip", (18, 10, 14, 10))
        self.words = label("", "sentence", wrap=True)
        self.turn = button("Overlay", self._turn, "link", "All on one plot, or each by itself")
        line.addWidget(self.words, 1)
        line.addWidget(self.turn)
        line.addWidget(button("Back to the fit", self.closed.emit, "", "Leave the series"))
        box.addWidget(head)
        parts = QSplitter(Qt.Orientation.Vertical)
        self.multiples = Column("Every series with its curve", (14, 10, 14, 10))
        pictures = QWidget()
        self._pictures = QGridLayout(pictures)
        self._pictures.setContentsMargins(0, 0, 0, 0)
        self._pictures.setSpacing(8)
        self.multiples.add(pictures)
        self.multiples.column.addStretch()
        self.overlay = Plot(session.say)
        self._lines: list[CurveLine | Marks] = []
        self.shown = QStackedWidget()
        self.shown.addWidget(self.multiples)
        self.shown.addWidget(self.overlay)
        parts.addWidget(self.shown)
        parts.addWidget(self._below())
        parts.setSizes([330, 300])
        box.addWidget(parts, 1)

    def _below(self) -> QWidget:
        foot, row = ground("bar", (18, 10, 14, 10))
        row.setSpacing(16)
        self._choices = Column("Series and common coefficients", (0, 0, 8, 0))
        self._choices.setFixedWidth(190)
        right = QVBoxLayout()
        self.table = ValueTable()
        shown = Column("Coefficients of every series", (0, 0, 0, 0))
        # A model of many coefficients makes a wide table.
        shown.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
        shown.add(self.table)
        shown.column.addStretch()
        right.addWidget(shown, 1)
        self.keep = button(
            "Keep a curve for every series", self.keep_curves, "", "Add the model to each series chosen"
        )
        right.addWidget(self.keep, alignment=Qt.AlignmentFlag.AlignRight)
        row.addWidget(self._choices)
        row.addLayout(right, 1)
        return foot

    def open(self, fit: DerivedFit) -> None:
        """Begin with the model of a fit over its own series."""
        self._fit = fit
        clear(self._choices.column)
        self.series, self.common = {}, {}
        self._choices.add(section("Common to all"))
        for name, coefficient in fit.result.coefficients.items():
            if not coefficient.held:
                box = QCheckBox(name)
                box.toggled.connect(lambda _on: self._run())
                self.common[name] = box
                self._choices.add(box)
        self._choices.add(section(f"{fit.name} over"))
        for series in self._session.study.series:
            box = QCheckBox(series.name)
            box.setChecked(series.id == fit.series.id)
            box.toggled.connect(lambda _on: self._run())
            self.series[series.id] = box
            self._choices.add(box)
        self._choices.column.addStretch()
        self._run()

    def _chosen(self) -> list[Series]:
        return [
            series
            for series in self._session.study.series
            if series.id in self.series and self.series[series.id].isChecked()
        ]

    def _run(self) -> None:
        if self._fit is None:
            return
        series, recipe = self._chosen(), self._fit.recipe
        shared = [name for name, box in self.common.items() if box.isChecked()]

        def work() -> Several:
            return fit_together(series, recipe, shared) if shared else fit_each(series, recipe)

        self.words.setText("Fitting …")
        self._session.background.run("several", work, self._show, self._refuse)

    def _refuse(self, sentence: str) -> None:
        self.several = None
        self.words.setText(sentence)
        self.table.show_rows((), [], [])
        clear(self._pictures)
        self._clear_overlay()

    def _show(self, several: Several) -> None:
        self.several = several
        style = self._session.style
        self._show_table(several, style)
        refused = [f"{row.name}: {row.refusal}" for row in several.rows if row.refusal]
        self.words.setText("\n".join([several_in_words(several, style), *refused]))
        eaches = {series.id: series for series in self._session.study.series}
        pairs = [(row, eaches[row.series]) for row in several.rows if row.series in eaches and row.curve is not None]
        self._show_multiples(several, pairs, style)
        self._show_overlay(pairs)

    def _show_table(self, several: Several, style: NumberStyle) -> None:
        names = list(dict.fromkeys(name for row in several.rows for name in row.coefficients))
        rows, full = [], []
        for row in several.rows:
            cells = []
            numbers: list[object] = [row.name]
            for name in names:
                coefficient = row.coefficients.get(name)
                cells.append(
                    "—" if coefficient is None else style.pair(coefficient.value, coefficient.standard_error)
                )
                known = coefficient is not None and coefficient.standard_error is not None
                numbers += [
                    "" if coefficient is None else coefficient.value,
                    coefficient.standard_error if coefficient and known else "",
                ]
            scatter = "" if row.residual_sd is None else style.number(row.residual_sd, 3)
            rows.append((row.name, *cells, scatter))
            full.append((*numbers, "" if row.residual_sd is None else row.residual_sd))
        headings = ("series", *names, "" if several.shared else "residual s")
        # Copied with a column for every standard error.
        copied = ["series", *(part for name in names for part in (name, f"standard error of {name}")), "residual s"]
        self.table.show_rows(headings, rows, full, copied)

    def _show_multiples(self, several: Several, pairs: list[tuple[SeveralRow, Series]], style: NumberStyle) -> None:
        """Show every series by itself with its curve."""
        clear(self._pictures)
        for place, (row, series) in enumerate(pairs):
            x, y = series.values(Role.X), series.values(Role.Y)
            if x is None or y is None:
                continue
            used = series.in_use
            note = _foot(row, several.shared, style)
            thumbnail = Thumbnail(Candidate(row.series, row.name, row.curve, note=note), (x[used], y[used]), style)
            thumbnail.setFixedHeight(TALL)
            thumbnail.clicked.connect(lambda _on=False, key=row.series: self._session.choose(key))
            self._pictures.addWidget(thumbnail, place // ABREAST, place % ABREAST)
        for column in range(ABREAST):
            self._pictures.setColumnStretch(column, 1)

    def _clear_overlay(self) -> None:
        for item in self._lines:
            self.overlay.take_away(item)
        self._lines = []

    def _show_overlay(self, pairs: list[tuple[SeveralRow, Series]]) -> None:
        """Show all series on one plot, each in its colour."""
        self._clear_overlay()
        self.overlay.dress(self._session.style)
        entries, every_x, every_y = [], [], []
        for row, series in pairs:
            x, y, ink = series.values(Role.X), series.values(Role.Y), self._session.ink(series)
            if x is None or y is None:
                continue
            used = np.flatnonzero(series.in_use)
            marks, line = Marks(), CurveLine(ink=ink)
            marks.radius = 3.2
            marks.set_data(x[used], y[used], used, np.zeros(len(used), dtype=bool), ink)
            line.set_curve(row.curve)
            for item, z in ((marks, 8), (line, 5)):
                self.overlay.put(item, z)
                self._lines.append(item)
            entries.append((row.name, ink))
            every_x.append(x[used])
            every_y.append(y[used])
        self.overlay.legend.set_entries(entries)
        if pairs:
            first = pairs[0][1]
            self.overlay.set_titles(first.label(Role.X), first.label(Role.Y))
        if every_x:
            self.overlay.show_home(np.concatenate(every_x), np.concatenate(every_y))

    def _turn(self) -> None:
        over = self.shown.currentWidget() is self.overlay
        self.shown.setCurrentWidget(self.multiples if over else self.overlay)
        self.turn.setText("Overlay" if over else "One by one")

    def keep_curves(self) -> None:
        """Add the model as a curve to every series chosen that has none of it; common coefficients are held there."""
        study, count = self._session.study, 0
        if self._fit is None or self.several is None:
            return
        rows = {row.series: row for row in self.several.rows}
        for each in self._chosen():
            if each.id == self._fit.series.id:
                continue
            try:
                recipe = recipe_for(each, self._fit.recipe)
            except VettoreError:
                continue
            row = rows.get(each.id)
            if row is not None and self.several.shared:
                common = tuple((name, row.coefficients[name].value) for name in self.several.shared)
                # A polynomial becomes the formula that it is, since only a formula has coefficients held.
                recipe = as_formula(recipe, recipe.formula or row.formula, hold=(*recipe.hold, *common))
            study = edits.add_curve(study, recipe)
            count += 1
        if count:
            self._session.do(f"fit {count} more series", study)
            self._session.say(f"{count} more series have this model now.")


def _foot(row: SeveralRow, shared: tuple[str, ...], style: NumberStyle) -> str:
    """Return what stands at the foot of a small picture: the scatter, or where that is common the series' own values."""
    if row.residual_sd is not None:
        return f"s = {style.number(row.residual_sd, 3)}"
    own = [(name, coefficient.value) for name, coefficient in row.coefficients.items() if name not in shared]
    return "   ".join(f"{name} = {style.number(value, 3)}" for name, value in own[:2])
