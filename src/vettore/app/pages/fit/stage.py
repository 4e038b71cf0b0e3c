"""The stage of the Fit page: the equation, the bench for formulas, the plot with its residuals, rows and readings."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from vettore.app.pages.fit.next_bar import NextBar
from vettore.app.pages.fit.pennants import ReadingsOfFit
from vettore.app.pages.fit.present import Points, slants_of
from vettore.app.session import Session
from vettore.app.stage.grips import Grips
from vettore.app.stage.peak_items import MoreMark, PeakAreas, PeakNumbers
from vettore.app.stage.plot import Plot
from vettore.app.strip.equation import EquationStrip
from vettore.app.style import theme
from vettore.app.widgets.data.row_bar import RowBar
from vettore.app.widgets.fits.reading_bar import ReadingBar
from vettore.app.widgets.fits.without_bar import WithoutBar
from vettore.app.widgets.formulas.formula_bench import FormulaBench
from vettore.app.widgets.parts import Invitation, about, button, label
from vettore.study.fitting.fits import DerivedFit
from vettore.study.kinds.readings import DerivedReading

# Fitted points lie on the measured ones and are smaller.
FITTED_RADIUS = 2.2


class Stage(QStackedWidget):
    """Draws points and fits; what else wants the stage is another view of the stack."""

    def __init__(
        self,
        session: Session,
        open_file: Callable[[], object],
        stop: Callable[[], None],
        without: Callable[[list[int]], None],
        ladder: QWidget,
    ) -> None:
        super().__init__()
        self._session = session
        self.kept = ReadingsOfFit()
        self._shown: tuple[object, ...] = ()
        self.setObjectName("canvas")
        self.strip, self.grips = EquationStrip(), Grips()
        self.plot = Plot(session.say, with_residuals=True)
        self.plot.put(self.grips, 45)
        self.peaks, self.peak_more = PeakAreas(), MoreMark()
        self.plot.put(self.peaks, 3)
        self.plot.put(PeakNumbers(self.peaks), 44)
        self.plot.put_below(self.peak_more, 30)
        self.refusal = label("", "bad", wrap=True)
        self.refusal.setContentsMargins(18, 8, 18, 8)
        self.refusal.hide()
        self.bench = FormulaBench(session, session.own_models)
        self.readings = ReadingBar(session)
        self.bench.spread.connect(lambda on: [part.setVisible(not on) for part in (self.strip, self.readings)])
        self.next = NextBar(session, self.plot)
        self.rows = RowBar(session, without)
        self.without = WithoutBar(session)
        self.searching = QWidget()
        line = QHBoxLayout(self.searching)
        line.setContentsMargins(18, 4, 18, 4)
        line.addWidget(label("Searching for the best values …", "muted"))
        line.addWidget(button("Stop", stop, "link", "Give up this search"))
        line.addStretch()
        self.searching.hide()
        self._lay_out(open_file, ladder)

    def _lay_out(self, open_file: Callable[[], object], ladder: QWidget) -> None:
        filled = QWidget()
        box = QVBoxLayout(filled)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        parts: Sequence[QWidget] = (self.strip, self.searching, self.bench, ladder, self.refusal, self.plot)
        for widget in (*parts, self.next, self.rows, self.without, self.readings):
            box.addWidget(widget, 1 if widget is self.plot else 0)
        words = "A fit needs measured points. Bring in data first."
        self.addWidget(Invitation(words, "Open a file …", open_file))
        self.addWidget(filled)
        self.plot.row_pointed.connect(self._session.point)
        self.plot.row_clicked.connect(self._session.choose_clicked)
        self.rows.add_keys(self.plot)
        about("fit.md#shape-a-curve-by-hand", self.strip)
        about("fit.md#write-your-own-formula", self.bench)
        about("fit.md#read-values", self.readings)
        about("data.md#set-rows-aside", self.rows, self.without)

    def show_points(self, points: Points | None, titles: tuple[str, str], ink: str) -> None:
        """Draw the rows; the view stays where the same are shown."""
        self.plot.dress(self._session.style)
        self.plot.set_titles(titles[0], titles[1] if points is None else points.called)
        if points is None:
            return
        self.plot.marks.set_data(
            points.x, points.y, points.rows, points.aside, ink, points.bars, error_of_x=points.across
        )
        self.plot.beyond.set_span(points.span)
        self.plot.lower_beyond.set_span(points.span)
        if points.shown != self._shown:
            self._shown = points.shown
            self.plot.line.set_curve(None)
            self.plot.show_home(points.x, points.y, beyond=True)

    def show_fit(self, fit: DerivedFit) -> None:
        """Draw the curve of a fit, or what it says of each row where it has no curve over x."""
        self.refusal.hide()
        self.plot.line.set_curve(fit.curve, fit.result.level)
        self.plot.marks.set_slants(slants_of(fit))
        fitted = [] if fit.curve is not None else [("fitted", fit.x, fit.result.fitted, theme().fit)]
        self.plot.show_others(fitted, ("measured", self._session.ink(fit.series)))
        for marks in self.plot.others:
            marks.radius = FITTED_RADIUS
            marks.setZValue(12)
        self.without.close_bar()

    def ask_next(self, fit: DerivedFit | None) -> None:
        """Open where to measure next, under the plot."""
        self.next.open(fit, self._read_of(fit))

    def show_next(self, fit: DerivedFit | None) -> None:
        """Let it follow the fit."""
        self.next.show_fit(fit, self._read_of(fit))

    def _read_of(self, fit: DerivedFit | None) -> list[DerivedReading]:
        """Return what is kept and what is being read of a fit."""
        return [] if fit is None else [*self.kept.of(self._session.study, fit), *self.readings.present()]

    def refuse(self, sentence: str) -> None:
        """Draw no curve, and say why."""
        self.plot.line.set_curve(None)
        self.plot.show_others([], ("", ""))
        self.say(sentence)

    def say(self, sentence: str) -> None:
        """Say what could not be done, above the plot."""
        self.refusal.setText(sentence)
        self.refusal.show()

    def leave_preview(self) -> None:
        """Show no curve without rows any more."""
        self.plot.ghost.set_curve(None)
        self.readings.setVisible(not self.bench.terms.isVisible())

    def show_chosen(self, rows: frozenset[int]) -> None:
        """Ring the chosen rows on the plots, and offer what can be done with them."""
        self.rows.setVisible(bool(rows))
        self.plot.marks.set_chosen(rows)
        self.plot.residual_marks.set_chosen(rows)

    def show_pointed(self, row: int) -> None:
        """Ring the row under the pointer on both plots."""
        self.plot.marks.set_pointed(row)
        self.plot.residual_marks.set_pointed(row)
