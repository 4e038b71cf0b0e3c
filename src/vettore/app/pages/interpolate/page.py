"""The Interpolate page: methods as panels on the same points, the chosen one large, values read or filled in."""

from __future__ import annotations

import numpy as np
from PySide6.QtWidgets import QStackedWidget, QVBoxLayout, QWidget

from vettore.app.pages.interpolate.choices import InterpolateChoices
from vettore.app.pages.interpolate.findings import InterpolateFindings
from vettore.app.pages.interpolate.methods import Methods
from vettore.app.pages.interpolate.present import InterpolateView, named, present
from vettore.app.pages.page import Doors, Page
from vettore.app.session import Session
from vettore.app.stage.plot import Plot
from vettore.app.widgets.data.fill_bar import FillBar
from vettore.app.widgets.fits.working import WorkingDrawer
from vettore.app.widgets.parts import Invitation, about, label
from vettore.core.cells.typed import numbers_in
from vettore.core.errors import DataError, Fault, VettoreError
from vettore.core.interpolation.interpolant import Interpolant
from vettore.core.interpolation.methods import METHODS
from vettore.core.remarks import counted
from vettore.report.working import curve_steps
from vettore.study import edits_of_curves
from vettore.study.derive_curves import derive_interpolant, readable
from vettore.study.series import Role, Series

# Longer names of columns are x beside a field.
LONGEST_NAME = 12
MOST_READ = 200


class InterpolatePage(Page):
    """Choose how points are joined; read between them; fill values in as a new series."""

    name = "Interpolate"
    help_page = "interpolate.md"

    def __init__(self, session: Session, doors: Doors) -> None:
        super().__init__(session, doors)
        self.curve: Interpolant | None = None
        self._shown: tuple[object, ...] = ()
        self.choices = InterpolateChoices()
        self._build_stage()
        self.methods = Methods(session, self.choices.methods, self.plot, lambda: self.curve)
        self.findings = InterpolateFindings(self.show_working)
        self.choices.chosen.connect(self.choose)
        self.choices.pinned.connect(self.methods.turn_pin)
        self.choices.changed.connect(lambda words, fields: self._change(words, **fields))
        self.choices.refused.connect(lambda sentence: session.say(sentence, "bad"))

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
        self.stage = QStackedWidget()
        self.stage.setObjectName("canvas")
        words = "Reading between points needs points. Bring in data first."
        self.stage.addWidget(Invitation(words, "Open a file …", self.doors.open_file))
        self.stage.addWidget(filled_stage)
        about("interpolate.md#fill-in-values", self.bar)
        self.plot.place_clicked.connect(self._read_clicked)
        self.plot.row_pointed.connect(self.session.point)

    def refresh(self) -> None:
        """Show the chosen series with the curve through its points."""
        series = self.session.series
        self.stage.setCurrentIndex(0 if series is None else 1)
        self.choices.setEnabled(series is not None)
        self.findings.setVisible(series is not None)
        if series is None:
            self.curve = None
            self.methods.forget()
            self.choices.methods.show_candidates([], (np.empty(0), np.empty(0)), "", self.session.style)
            return
        self._show_points(series)
        recipe = self.session.study.interpolant_of(series.id)
        self.choices.show_recipe(recipe, series.sigma is not None, self.session.style)
        self.session.background.run(
            "interpolate",
            lambda: derive_interpolant(series, recipe).get_ready(),
            self._show_curve,
            self._show_refusal,
            1,
        )
        self.methods.try_all(series, recipe)

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
            if len(numbers) > MOST_READ:
                raise DataError(f"Up to {MOST_READ} x can be read here; fill in a series for more.", Fault.TOO_MANY)
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

    def _read_clicked(self, x: float) -> None:
        if self.curve is not None and readable(self.curve, [x]):
            self.at.setText(self.session.style.short(x, 4))
            self.read()

    def _show_points(self, series: Series) -> None:
        x, y = series.values(Role.X), series.values(Role.Y)
        self.plot.dress(self.session.style)
        self.plot.set_titles(series.label(Role.X), series.label(Role.Y))
        x_name, x_unit = series.name_and_unit(Role.X)
        self.bar.question.setText(f"At {named(x_name if len(x_name) <= LONGEST_NAME else 'x', x_unit)} =")
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
        recipe = self.session.study.interpolant_of(series.id)
        if curve.method.key == "smoothing" and recipe.penalty is None:
            self.choices.show_found(curve.penalty)
        view = present(series, recipe, curve, self.session.style)
        self.findings.show_view(view)
        self.plot.pennants.set_flags(list(view.flags))
        self.methods.draw_beside()
        self.session.say("", "status")

    def _show_refusal(self, sentence: str) -> None:
        self.curve = None
        self.plot.line.set_curve(None)
        self.plot.pennants.set_flags([])
        self.refusal.setText(sentence)
        self.refusal.show()
        self.findings.show_view(InterpolateView(sentence))
