"""The degree ladder: what polynomials of each degree miss of rows left out, and which degree is suggested."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from vettore.app.painting import painting
from vettore.app.style import colour, sans
from vettore.app.widgets.parts import button, label, section
from vettore.core.fitting.after.ladder import Ladder, Rung
from vettore.core.rounding import NumberStyle
from vettore.words.fits import degree_reason

LEFT, RIGHT, TOP, BOTTOM = 54.0, 12.0, 12.0, 34.0


class LadderPlot(QWidget):
    """Left-one-out error against degree, on a logarithmic scale; a click chooses a degree."""

    chosen = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self._ladder: Ladder | None = None
        self._style = NumberStyle()
        self._at = -1
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Left-one-out error by degree; left and right move, Enter chooses")
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def sizeHint(self) -> QSize:
        return QSize(300, 168)

    def show_ladder(self, ladder: Ladder, chosen: int, style: NumberStyle) -> None:
        """Show a ladder with one degree chosen (−1: none)."""
        self._ladder, self._at, self._style = ladder, chosen, style
        self.update()

    def place_of(self, degree: int) -> QPointF:
        """Return where a degree stands."""
        assert self._ladder is not None
        errors = [rung.left_one_out_error for rung in self._ladder.rungs if rung.left_one_out_error]
        low, high = math.log(min(errors, default=1.0)), math.log(max(errors, default=1.0))
        span = (high - low) or 1.0
        degrees = [rung.degree for rung in self._ladder.rungs]
        wide = self.width() - LEFT - RIGHT - 30
        x = LEFT + 15 + wide * (degree - degrees[0]) / max(degrees[-1] - degrees[0], 1)
        error = next(rung.left_one_out_error for rung in self._ladder.rungs if rung.degree == degree)
        if not error:
            return QPointF(x, TOP)
        tall = self.height() - TOP - BOTTOM - 16
        return QPointF(x, TOP + 8 + tall * (high - math.log(error)) / span)

    def paintEvent(self, _event: QPaintEvent) -> None:
        if self._ladder is None:
            return
        with painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            frame = QRectF(LEFT, TOP, self.width() - LEFT - RIGHT, self.height() - TOP - BOTTOM)
            painter.fillRect(frame, colour("plot_ground"))
            self._draw_scale(painter, frame)
            known = [rung for rung in self._ladder.rungs if rung.left_one_out_error]
            painter.setPen(QPen(colour("muted"), 1.2))
            places = [self.place_of(rung.degree) for rung in known]
            painter.drawPolyline(places)
            for rung, place in zip(known, places, strict=True):
                suggested = rung.degree == self._ladder.suggested
                painter.setPen(QPen(colour("fit" if suggested else "data"), 1.6))
                painter.setBrush(colour("fit") if suggested else colour("data"))
                painter.drawEllipse(place, 5 if suggested else 3.6, 5 if suggested else 3.6)
                if rung.degree == self._at:
                    painter.setBrush(Qt.BrushStyle.NoBrush)
                    painter.setPen(QPen(colour("accent"), 2))
                    painter.drawEllipse(place, 9, 9)
            painter.setFont(sans(10.5))
            for rung in self._ladder.rungs:
                x = self.place_of(rung.degree).x()
                painter.setPen(colour("ink" if rung.left_one_out_error else "muted"))
                box = QRectF(x - 16, frame.bottom() + 3, 32, 14)
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, str(rung.degree))
            painter.setPen(colour("muted"))
            title = QRectF(frame.left(), frame.bottom() + 17, frame.width(), 15)
            painter.drawText(title, Qt.AlignmentFlag.AlignCenter, "degree")

    def _draw_scale(self, painter: QPainter, frame: QRectF) -> None:
        assert self._ladder is not None
        painter.setFont(sans(10.5))
        known = [rung for rung in self._ladder.rungs if rung.left_one_out_error]
        marked = {max(known, key=_error), min(known, key=_error)} if known else set()
        for rung in marked:
            y = self.place_of(rung.degree).y()
            painter.setPen(QPen(colour("grid"), 1))
            painter.drawLine(QPointF(frame.left(), y), QPointF(frame.right(), y))
            painter.setPen(colour("muted"))
            box = QRectF(0, y - 8, LEFT - 6, 16)
            text = self._style.number(rung.left_one_out_error, 3)
            painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)
        painter.setPen(QPen(colour("ink"), 1.2))
        painter.drawLine(frame.topLeft(), frame.bottomLeft())
        painter.drawLine(frame.bottomLeft(), frame.bottomRight())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self._ladder is None or event.button() != Qt.MouseButton.LeftButton:
            return
        x = event.position().x()
        self.chosen.emit(min(self._degrees(), key=lambda degree: abs(self.place_of(degree).x() - x)))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        degrees = self._degrees()
        if event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right) and degrees:
            step = 1 if event.key() == Qt.Key.Key_Right else -1
            number = self._at if self._at in degrees else degrees[0] - step
            self._at = min(max(number + step, degrees[0]), degrees[-1])
            self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._at in degrees:
            self.chosen.emit(self._at)
        else:
            super().keyPressEvent(event)

    def _degrees(self) -> list[int]:
        return [rung.degree for rung in self._ladder.rungs if rung.left_one_out_error] if self._ladder else []


def _error(rung: Rung) -> float:
    return rung.left_one_out_error or 0.0


class DegreeLadder(QWidget):
    """The plot with the sentence that says why."""

    chosen = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("bar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(self)
        row.setContentsMargins(18, 8, 14, 6)
        side = QVBoxLayout()
        side.addWidget(section("Which degree?"))
        self.reason = label("", "sentence", wrap=True)
        side.addWidget(self.reason)
        self.take = button("", lambda: self.chosen.emit(self._suggested), "primary", "Fit the degree suggested")
        self._suggested = 0
        foot = QHBoxLayout()
        foot.addWidget(self.take)
        foot.addWidget(button("Close", self.hide, "link"))
        foot.addStretch()
        side.addLayout(foot)
        side.addStretch()
        self.plot = LadderPlot()
        self.plot.chosen.connect(self.chosen.emit)
        words = label("root mean square miss of rows left out, by degree", "muted")
        right = QVBoxLayout()
        right.addWidget(words, alignment=Qt.AlignmentFlag.AlignHCenter)
        right.addWidget(self.plot)
        row.addLayout(side, 2)
        row.addLayout(right, 3)
        self.hide()

    def show_ladder(self, ladder: Ladder, chosen: int, style: NumberStyle) -> None:
        """Come into view with a ladder."""
        self._suggested = ladder.suggested
        self.reason.setText(degree_reason(ladder, style))
        self.take.setText(f"Fit degree {ladder.suggested}")
        self.plot.show_ladder(ladder, chosen, style)
        self.show()
