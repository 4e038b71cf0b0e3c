"""The line-up: several models fitted to the same rows, as thumbnails on the user's own points."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeAlias

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, QSizeF, Qt, QTimer, Signal, SignalInstance
from PySide6.QtGui import (
    QColor,
    QContextMenuEvent,
    QFont,
    QFontMetricsF,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
)
from PySide6.QtWidgets import QAbstractButton, QGridLayout, QMenu, QSizePolicy, QWidget

from vettore.app.painting import painting
from vettore.app.stage.items import polygon
from vettore.app.style import colour, sans, theme
from vettore.app.widgets.parts import plain_tip, tab_through
from vettore.core.arrays import Array
from vettore.core.curve import Curve
from vettore.core.peaks.result import PeaksFit
from vettore.core.rounding import NumberStyle
from vettore.look.theme import SIZES
from vettore.study.fitting.line_up import Key

MOST_POINTS = 300
# Models of the line-up that are in view; the others are on its sheet.
IN_VIEW = 8

# The curve and its picture, by model, size and look: the thumbnails are made anew with every model that joins them.
Pictures: TypeAlias = dict[tuple[object, ...], tuple[Curve | None, QPixmap]]


@dataclass(frozen=True, eq=False)
class Candidate:
    """A model of the line-up: its fit and its share of the evidence, or why it cannot be fitted.

    ``equal`` says that it is as good as the best.
    """

    key: Key
    name: str
    curve: Curve | None = None
    weight: float = 0.0
    refusal: str = ""
    equal: bool = False
    # What stands at the foot instead of the weight.
    note: str | None = None
    pinned: bool = False
    # What the sheet says beside the picture.
    formula: str = ""
    figures: str = ""
    family: str = ""
    # Peaks are drawn each by itself, too.
    peaks: PeaksFit | None = None


class Thumbnail(QAbstractButton):
    """A model drawn through the points; P or its upper right corner pins it, H or Delete hides it."""

    pinned = Signal()
    hidden = Signal()

    def __init__(
        self,
        candidate: Candidate,
        points: tuple[Array, Array],
        style: NumberStyle,
        pictures: Pictures | None = None,
    ) -> None:
        super().__init__()
        # Where nothing is compared, nothing is pinned.
        self.pins = False
        self.setCheckable(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.show_candidate(candidate, points, style, {} if pictures is None else pictures)

    def show_candidate(
        self, candidate: Candidate, points: tuple[Array, Array], style: NumberStyle, pictures: Pictures
    ) -> None:
        """Show a model through points; ``pictures`` keeps what was drawn."""
        self.candidate, self._points, self._style, self._pictures = candidate, points, style, pictures
        self.setText(candidate.name)
        self.setEnabled(candidate.curve is not None)
        pinned = ", pinned" if candidate.pinned else ""
        share = candidate.note or ("cannot be fitted" if candidate.curve is None else f"weight {self._share()}")
        self.setAccessibleName(f"{candidate.name}, {share}{pinned}")
        equal = ", as good as the best" if candidate.equal else ""
        text = f"{candidate.name}: share of the evidence (AICc weight) {self._share()}{equal}"
        self.setToolTip(plain_tip(candidate.refusal or text))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(90, 99)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        if not self.can_pin:
            return
        menu = QMenu(self)
        menu.addAction("Unpin" if self.candidate.pinned else "Pin for comparison").triggered.connect(self.pinned.emit)
        menu.addAction("Hide").triggered.connect(self.hidden.emit)
        menu.popup(event.globalPos())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_P and self.can_pin:
            self.pinned.emit()
        elif event.key() in (Qt.Key.Key_H, Qt.Key.Key_Delete):
            self.hidden.emit()
        else:
            super().keyPressEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self.can_pin and self.isDown() and _corner(self.width()).contains(event.position()):
            self.setDown(False)
            self.pinned.emit()
            return
        super().mouseReleaseEvent(event)

    def _share(self) -> str:
        weight = self.candidate.weight
        return (
            self._style.plain("< 0.001") if weight < 0.001 else self._style.fixed(weight, 2 if weight > 0.01 else 3)
        )

    def paintEvent(self, _event: QPaintEvent) -> None:
        with painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            card = QRectF(self.rect()).adjusted(1, 1, -1, -1)
            strong = self.isChecked() or self.hasFocus()
            painter.setPen(QPen(colour("accent" if strong else "rule"), 2 if self.isChecked() else 1))
            painter.setBrush(colour("plot_ground"))
            painter.drawRoundedRect(card, SIZES.radius, SIZES.radius)
            inside = card.adjusted(3, 3, -3, -3)
            painter.drawPixmap(inside.topLeft(), self._picture(inside.size()))
            if self.can_pin and (self.candidate.pinned or self.underMouse() or self.hasFocus()):
                _draw_pin(painter, _corner(self.width()).center(), self.candidate.pinned)
            font = sans(11, sans().weight().Medium)
            painter.setFont(font)
            painter.setPen(colour("ink" if self.isEnabled() else "muted"))
            title = QRectF(8, card.bottom() - 49, card.width() - 12, 30)
            painter.drawText(title, Qt.AlignmentFlag.AlignBottom, _in_two_lines(self.text(), font, title.width()))
            foot = QRectF(8, card.bottom() - 19, card.width() - 14, 15)
            painter.setFont(sans(10.5))
            painter.setPen(colour("muted"))
            if self.candidate.note is not None:
                painter.drawText(foot, Qt.AlignmentFlag.AlignVCenter, self.candidate.note)
                return
            if self.candidate.curve is None:
                painter.drawText(foot, Qt.AlignmentFlag.AlignVCenter, "too few rows")
                return
            painter.drawText(foot, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, self._share())
            bar = QRectF(8, foot.center().y() - 2, card.width() - 62, 4)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour("grid"))
            painter.drawRoundedRect(bar, 2, 2)
            painter.setBrush(colour("accent"))
            bar.setWidth(max(2.0, bar.width() * self.candidate.weight))
            painter.drawRoundedRect(bar, 2, 2)

    @property
    def can_pin(self) -> bool:
        """Whether there is something to compare."""
        return self.candidate.curve is not None and self.pins

    def _picture(self, size: QSizeF) -> QPixmap:
        """Return the model drawn through the points, from what was drawn before if that is the same."""
        ratio = self.devicePixelRatioF()
        look = (self.candidate.key, size.width(), size.height(), self.isChecked(), theme(), ratio)
        known = self._pictures.get(look)
        if known is not None and known[0] is self.candidate.curve:
            return known[1]
        picture = QPixmap((size * ratio).toSize())
        picture.setDevicePixelRatio(ratio)
        picture.fill(Qt.GlobalColor.transparent)
        with painting(picture) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self._draw_model(painter, QRectF(5, 5, size.width() - 10, size.height() - 52))
        self._pictures[look] = (self.candidate.curve, picture)
        return picture

    def _draw_model(self, painter: QPainter, area: QRectF) -> None:
        x, y = self._points
        if not len(x):
            return
        low, span = x.min(), np.ptp(x) or 1.0
        bottom, height = y.min(), np.ptp(y) or 1.0

        def pixels(xs: Array, ys: Array) -> QPolygonF:
            px = area.left() + (xs - low) / span * area.width()
            py = area.bottom() - (ys - bottom) / height * area.height()
            return polygon(px, np.clip(py, -500, 500))

        painter.setPen(QPen(colour("muted", 0.8), 2.6, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
        painter.drawPoints(pixels(x, y))
        curve, peaks = self.candidate.curve, self.candidate.peaks
        if peaks is not None:
            painter.setClipRect(area)
            line = np.linspace(low, low + span, 200)
            ground = peaks.background(line)
            painter.setBrush(colour("fit" if self.isChecked() else "data", 0.18))
            for part in peaks.components(line):
                top, base = (pixels(line, side) for side in (ground + part, ground))
                painter.setPen(Qt.PenStyle.NoPen)
                painter.drawPolygon(QPolygonF([*top, *reversed(list(base))]))
        if curve is not None:
            line = np.linspace(low, low + span, 100 if peaks is None else 300)
            if curve.ends_at_span:
                line = line[(line >= curve.span[0]) & (line <= curve.span[1])]
            ink = colour("fit")
            if not self.isChecked():
                ink = QColor(theme().series[4])
            painter.setPen(QPen(ink, 1.6))
            with np.errstate(all="ignore"):
                values = curve(line)
            known = np.isfinite(values)
            if known.any():
                painter.drawPolyline(pixels(line[known], values[known]))


def _in_two_lines(text: str, font: QFont, width: float) -> str:
    """Return a name on one line, or broken between words onto two, the second of which gives way at its end."""
    metrics = QFontMetricsF(font)
    if metrics.horizontalAdvance(text) <= width:
        return text
    words = text.split(" ")
    first = words.pop(0)
    while words and metrics.horizontalAdvance(f"{first} {words[0]}") <= width:
        first += f" {words.pop(0)}"
    rest = metrics.elidedText(" ".join(words), Qt.TextElideMode.ElideRight, width)
    return "\n".join(part for part in (metrics.elidedText(first, Qt.TextElideMode.ElideRight, width), rest) if part)


def _corner(width: float) -> QRectF:
    """Return the place of the pin on a thumbnail."""
    return QRectF(width - 24, 2, 22, 22)


def _draw_pin(painter: QPainter, at: QPointF, filled: bool) -> None:
    """Draw a drawing pin: a round head on a needle."""
    painter.setPen(QPen(colour("accent"), 1.6))
    painter.drawLine(at + QPointF(0, 1), at + QPointF(0, 8))
    painter.setBrush(colour("accent" if filled else "plot_ground"))
    painter.drawEllipse(at + QPointF(0, -2), 4.2, 4.2)


class LineUp(QWidget):
    """Thumbnails, two abreast, best first; ``pins`` says whether they can be pinned and hidden.

    They are made once, as many as are ``expected``, and shown with one model or another, so that Tab finds them where
    the line-up stands.
    """

    chosen = Signal(object)
    pinned = Signal(object)
    hidden = Signal(object)

    def __init__(self, expected: int, pins: bool = False) -> None:
        super().__init__()
        self._pins = pins
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setSpacing(6)
        self._made: list[Thumbnail] = []
        self.thumbnails: dict[Key, Thumbnail] = {}
        self._pictures: Pictures = {}
        self._points: tuple[Array, Array] = (np.empty(0), np.empty(0))
        self._make(expected)

    def _make(self, count: int) -> None:
        """Have so many thumbnails."""
        nothing = (np.empty(0), np.empty(0))
        for place in range(len(self._made), count):
            thumbnail = Thumbnail(Candidate("", ""), nothing, NumberStyle())
            thumbnail.pins = self._pins
            thumbnail.clicked.connect(lambda _on=False, item=thumbnail: self.chosen.emit(item.candidate.key))
            # After the event that asks for it, which another model may then stand under.
            for signal_instance, answer in ((thumbnail.pinned, self.pinned), (thumbnail.hidden, self.hidden)):
                signal_instance.connect(lambda first=thumbnail, facts=answer: self._tell(facts, first.candidate.key))
            thumbnail.hide()
            self._grid.addWidget(thumbnail, place // 2, place % 2)
            if self._made:
                tab_through(self._made[-1], [thumbnail])
            self._made.append(thumbnail)

    def _tell(self, signal_instance: SignalInstance, key: Key) -> None:
        if self._pins:
            QTimer.singleShot(0, self, lambda: signal_instance.emit(key))

    def show_candidates(
        self, candidates: list[Candidate], points: tuple[Array, Array], chosen: Key, style: NumberStyle
    ) -> None:
        """Show models in the order given, one of them chosen."""
        had_keys = next((key for key, item in self.thumbnails.items() if item.hasFocus()), None)
        step = max(1, len(points[0]) // MOST_POINTS)
        thin = (points[0][::step], points[1][::step])
        if not all(np.array_equal(new, old) for new, old in zip(thin, self._points, strict=True)):
            self._pictures, self._points = {}, thin
        self._make(len(candidates))
        for thumbnail, candidate in zip(self._made, candidates, strict=False):
            thumbnail.show_candidate(candidate, thin, style, self._pictures)
            thumbnail.show()
        for thumbnail in self._made[len(candidates) :]:
            thumbnail.hide()
        self.thumbnails = {each.candidate.key: each for each in self._made[: len(candidates)]}
        self.mark(chosen)
        if had_keys in self.thumbnails:
            self.thumbnails[had_keys].setFocus()

    def mark(self, chosen: Key) -> None:
        """Mark one model as chosen."""
        for other, thumbnail in self.thumbnails.items():
            thumbnail.setChecked(other == chosen)
