"""Where to measure next: a strip under the plot on the same x, how much less a ± would be by one row more at each place.

The places are those over the span of the data: beyond it nothing tells whether the curve holds.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QSpinBox, QVBoxLayout, QWidget

from vettore.app.painting import painting
from vettore.app.session import Session
from vettore.app.stage.plot import Plot
from vettore.app.style import colour, sans
from vettore.app.widgets.parts import about, button, label
from vettore.core.design.next_rows import Improve, WhereNext, rows_needed
from vettore.core.rounding import read_number
from vettore.look.theme import SIZES
from vettore.study.edits import keep
from vettore.study.fitting.fits import DerivedFit
from vettore.study.fitting.planned import places_of, plan_next
from vettore.study.kinds.readings import DerivedReading, PlanReading
from vettore.words.next_rows import improvable, rows_needed_in_words, where_next_in_words

HEIGHT = 58


@dataclass(frozen=True, eq=False)
class PlanAndSentence:
    """What the strip shows, and the sentence beside it."""

    where_next: WhereNext
    sentence: str


class NextStrip(QWidget):
    """The share by which a ± would be less, over the x of a plot; the plan stands on it as ticks."""

    def __init__(self, plot: Plot) -> None:
        super().__init__()
        self._plot = plot
        self.where_next: WhereNext | None = None
        self.setFixedHeight(HEIGHT)
        self.setAccessibleName("How much less the ± would be by a row more, over x")
        plot.upper.vb.sigXRangeChanged.connect(lambda *_range: self.update())

    def show_told(self, where_next: WhereNext | None) -> None:
        """Show what was found, or nothing."""
        self.where_next = where_next
        self.update()

    def across(self, x: float) -> float:
        """Return where an x stands, in pixels from the left, under the same x of the plot."""
        place = self._plot.position_of(np.log10(x) if self._plot.framing.log[0] and x > 0 else x, 0.0)
        return float(self.mapFrom(self.window(), self._plot.mapTo(self.window(), place)).x())

    def paintEvent(self, _event: QPaintEvent) -> None:
        if self.where_next is None:
            return
        with painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            frame = self._plot.upper.vb.sceneBoundingRect()
            left = self.mapFrom(
                self.window(), self._plot.mapTo(self.window(), self._plot.mapFromScene(frame.topLeft()))
            )
            area = QRectF(left.x(), 4, frame.width(), HEIGHT - 20)
            painter.fillRect(area, colour("plot_ground"))
            gain = 1 - self.where_next.standard_error / self.where_next.now
            most = max(float(np.max(gain)), 1e-12)
            line = [
                QPointF(self.across(x), area.bottom() - area.height() * share / most)
                for x, share in zip(self.where_next.x.tolist(), np.maximum(gain, 0.0).tolist(), strict=True)
            ]
            painter.setClipRect(area.adjusted(0, 0, 0, 16))
            under = QPolygonF([QPointF(line[0].x(), area.bottom()), *line, QPointF(line[-1].x(), area.bottom())])
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour("soft"))
            painter.drawPolygon(under)
            painter.setPen(QPen(colour("accent"), 1.4))
            painter.drawPolyline(line)
            self._mark_plan(painter, area)
            painter.setClipping(False)
            painter.setFont(sans(SIZES.small))
            painter.setPen(colour("muted"))
            painter.drawText(
                QRectF(0, area.top() - 2, area.left() - 6, 16), Qt.AlignmentFlag.AlignRight, f"−{100 * most:.2g} %"
            )

    def _mark_plan(self, painter: QPainter, area: QRectF) -> None:
        """Mark the places of the plan beneath the strip; those at one place stand above each other as a number."""
        assert self.where_next is not None
        painter.setFont(sans(SIZES.small))
        for x in sorted(set(self.where_next.plan)):
            at, times = self.across(x), self.where_next.plan.count(x)
            painter.setPen(QPen(colour("accent"), 1.6))
            painter.drawLine(QPointF(at, area.top()), QPointF(at, area.bottom()))
            painter.setBrush(colour("accent"))
            painter.drawPolygon(
                QPolygonF([QPointF(at, area.bottom()), QPointF(at - 5, HEIGHT - 9), QPointF(at + 5, HEIGHT - 9)])
            )
            if times > 1:
                painter.drawText(QRectF(at + 7, HEIGHT - 16, 30, 14), Qt.AlignmentFlag.AlignLeft, f"× {times}")


class NextBar(QWidget):
    """What is to be known better, by how many rows, and the strip."""

    def __init__(self, session: Session, plot: Plot) -> None:
        super().__init__()
        self._session, self._plot = session, plot
        self._fit: DerivedFit | None = None
        self._subjects: list[tuple[str, Improve, str]] = []
        self.setObjectName("bar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.strip = NextStrip(plot)
        self.subject, self.rows, self.wanted = QComboBox(), QSpinBox(), QLineEdit()
        self.subject.setAccessibleName("What is to be known better")
        self.subject.activated.connect(lambda _place: self._begin())
        self.rows.setRange(1, 9)
        self.rows.setAccessibleName("Rows more")
        self.rows.setFixedWidth(44)
        self.rows.valueChanged.connect(lambda _count: self._begin())
        self.wanted.setPlaceholderText("± wanted")
        self.wanted.setAccessibleName("± that is wanted")
        self.wanted.setFixedWidth(86)
        self.wanted.returnPressed.connect(self._begin)
        self.price = QLineEdit()
        self.price.setPlaceholderText("price of a row")
        self.price.setAccessibleName("What a row costs, as a formula of x")
        self.price.setToolTip("What a row costs where some cost more than others, as a formula of x: 1 + x/2")
        self.price.setFixedWidth(104)
        self.price.returnPressed.connect(self._begin)
        self.keep = button(
            "Keep", self._keep, "link", "Keep this plan with the readings: it follows the fit into the report"
        )
        self.sentence = label("", "sentence", wrap=True)
        head = QHBoxLayout()
        head.setSpacing(8)
        head.addWidget(label("Better known:", "label"))
        head.addWidget(self.subject, 1)
        head.addWidget(label("by rows", "label"))
        for widget in (self.rows, self.wanted, self.price, self.keep):
            head.addWidget(widget)
        head.addWidget(button("Close", self.hide, "link", "Let it go"))
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 6)
        box.setSpacing(3)
        box.addWidget(self.strip)
        beneath = QVBoxLayout()
        beneath.setContentsMargins(18, 0, 18, 0)
        beneath.addLayout(head)
        beneath.addWidget(self.sentence)
        box.addLayout(beneath)
        about("fit.md#measure-where-it-tells-most", self)
        self.hide()

    def open(self, fit: DerivedFit | None, readings: list[DerivedReading]) -> None:
        """Show where to measure next for a fit."""
        self.show()
        self.show_fit(fit, readings)
        self.subject.setFocus()

    def show_fit(self, fit: DerivedFit | None, readings: list[DerivedReading]) -> None:
        """Follow a fit and its readings; what was chosen stays chosen where it is still there."""
        self._fit = fit
        if not self.isVisible():
            return
        chosen = self.subject.currentText()
        self._subjects = [] if fit is None else improvable(fit, readings, self._session.style)
        self.subject.clear()
        self.subject.addItems([words for words, _, _ in self._subjects])
        self.subject.setCurrentIndex(max(self.subject.findText(chosen), 0))
        self._begin()

    def _begin(self) -> None:
        """Work it out elsewhere."""
        fit, place = self._fit, self.subject.currentIndex()
        if fit is None or not 0 <= place < len(self._subjects) or not self.isVisible():
            self._show(None, "Where to measure next follows from a fit.")
            return
        called, improve, unit = self._subjects[place]
        log, price = bool(self._plot.framing.log[0]), self.price.text()
        rows, target, style = self.rows.value(), read_number(self.wanted.text()), self._session.style

        def work() -> PlanAndSentence:
            where_next = plan_next(fit, improve, rows, price, log)
            sentence = where_next_in_words(fit, called, unit, where_next, style)
            if price.strip():
                sentence += f" That gains most for its price, {price.strip()} a row."
            if target is not None and target > 0 and called != "all coefficients":
                needed = rows_needed(fit.result, places_of(fit, log), improve, target)
                sentence += " " + rows_needed_in_words(target, unit, *needed, style)
            return PlanAndSentence(where_next, sentence)

        self._session.background.run(
            "next",
            work,
            lambda result: self._show(result.where_next, result.sentence),
            lambda words: self._show(None, words),
        )

    def _keep(self) -> None:
        """Keep the plan that is shown; one for a reading is kept under the name of that."""
        fit, place = self._fit, self.subject.currentIndex()
        if fit is None or not 0 <= place < len(self._subjects):
            return
        if not fit.recipe.id:
            self.sentence.setText("Choose a model in the line-up first; then its plan can be kept.")
            return
        improve, study = self._subjects[place][1], self._session.study
        named = {reading.name for reading in study.readings_of(fit.recipe.id) if reading.asked_for is not None}
        if not isinstance(improve, str) and self.subject.currentText() not in named:
            self.sentence.setText("Keep that reading first, under a name: a plan follows what is kept.")
            return
        plan = PlanReading(
            curve=fit.recipe.id,
            name="plan",
            improve=improve if isinstance(improve, str) else self.subject.currentText(),
            rows=self.rows.value(),
            price=self.price.text().strip(),
        )
        self._session.do("keep a plan", keep(study, plan))

    def _show(self, where_next: WhereNext | None, sentence: str) -> None:
        self.sentence.setText(sentence)
        self.strip.show_told(where_next)
        self.strip.setAccessibleDescription(sentence)
