"""The checks of a fit: a mark for the verdict, the sentence, the figure under it, and the rows that it names."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QSize, Qt
from PySide6.QtGui import QPainter, QPainterPath, QPen
from PySide6.QtWidgets import QGridLayout, QWidget

from vettore.app.session import Session
from vettore.app.style import colour
from vettore.app.widgets.parts import button, clear, label, rule, section
from vettore.core.fit.checks import Check, Verdict
from vettore.study.derive import DerivedFit


class Mark(QWidget):
    """A tick for good, a triangle for a look, a triangle with a stroke for bad."""

    def __init__(self, verdict: Verdict) -> None:
        super().__init__()
        self._verdict = verdict
        self.setFixedSize(18, 18)
        self.setAccessibleName(verdict.value)

    def sizeHint(self) -> QSize:
        return QSize(18, 18)

    def paintEvent(self, _event) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        pen = QPen(colour(self._verdict.value), 2.0)
        pen.setCapStyle(Qt.PenCapStyle.RoundCap)
        pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
        painter.setPen(pen)
        if self._verdict is Verdict.GOOD:
            path = QPainterPath(QPointF(3, 9.5))
            path.lineTo(7, 13.5)
            path.lineTo(15, 4)
        else:
            path = QPainterPath(QPointF(9, 3))
            path.lineTo(15.5, 14.5)
            path.lineTo(2.5, 14.5)
            path.closeSubpath()
            if self._verdict is Verdict.BAD:
                painter.drawLine(QPointF(9, 7.5), QPointF(9, 10))
                painter.drawPoint(QPointF(9, 12.2))
        painter.drawPath(path)


class CheckList(QWidget):
    """All checks of the shown fit, the ones that ask for a look first."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(8)
        self._grid.setVerticalSpacing(2)
        self._grid.setColumnStretch(1, 1)
        self.sentences: list[str] = []

    def show_checks(self, found: Sequence[Check], fit: DerivedFit) -> None:
        """Show the checks of a fit."""
        clear(self._grid)
        self.setVisible(bool(found))
        order = [Verdict.BAD, Verdict.LOOK, Verdict.GOOD]
        ordered = sorted(found, key=lambda one: order.index(one.verdict))
        self.sentences = [one.sentence for one in ordered]
        self._grid.addWidget(rule(), 0, 0, 1, 2)
        self._grid.addWidget(section("Checks"), 1, 0, 1, 2)
        for place, one in enumerate(ordered):
            row = 2 + 3 * place
            self._grid.addWidget(Mark(one.verdict), row, 0, Qt.AlignmentFlag.AlignTop)
            self._grid.addWidget(label(one.sentence, "sentence", wrap=True), row, 1)
            if one.figure:
                self._grid.addWidget(label(one.figure, "muted", wrap=True), row + 1, 1)
            if one.rows:
                rows = [int(fit.rows[i]) for i in one.rows]
                words = "Show this row" if len(rows) == 1 else "Show these rows"
                show = button(words, lambda rows=rows: self._session.choose_rows(rows), "link")
                self._grid.addWidget(show, row + 2, 1, Qt.AlignmentFlag.AlignLeft)
