"""The line-up: several models fitted to the same rows, as thumbnails on the user's own points."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPen
from PySide6.QtWidgets import QAbstractButton, QGridLayout, QSizePolicy, QWidget

from vettore.app.style import colour, sans, theme
from vettore.app.widgets.parts import clear
from vettore.core.arrays import Array
from vettore.core.curve import Curve
from vettore.core.rounding import NumberStyle
from vettore.look.theme import SIZES
from vettore.study.line_up import Key

MOST_POINTS = 300


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


class Thumbnail(QAbstractButton):
    """A model drawn through the points."""

    def __init__(self, candidate: Candidate, points: tuple[Array, Array], style: NumberStyle) -> None:
        super().__init__()
        self.candidate, self._points, self._style = candidate, points, style
        self.setText(candidate.name)
        self.setCheckable(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setEnabled(candidate.curve is not None)
        share = candidate.note or ("cannot be fitted" if candidate.curve is None else f"weight {self._share()}")
        self.setAccessibleName(f"{candidate.name}, {share}")
        equal = ", as good as the best" if candidate.equal else ""
        told = f"{candidate.name}: share of the evidence (AICc weight) {self._share()}{equal}"
        self.setToolTip(candidate.refusal or told)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def sizeHint(self) -> QSize:
        return QSize(90, 94)

    def _share(self) -> str:
        weight = self.candidate.weight
        return (
            self._style.plain("< 0.001") if weight < 0.001 else self._style.fixed(weight, 2 if weight > 0.01 else 3)
        )

    def paintEvent(self, _event) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        card = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        strong = self.isChecked() or self.hasFocus()
        painter.setPen(QPen(colour("accent" if strong else "rule"), 2 if self.isChecked() else 1))
        painter.setBrush(colour("plot_ground"))
        painter.drawRoundedRect(card, SIZES.radius, SIZES.radius)
        painter.setClipRect(card.adjusted(3, 3, -3, -3))
        self._draw_model(painter, card.adjusted(8, 8, -8, -38))
        painter.setClipping(False)
        font = sans(11, sans().weight().Medium)
        painter.setFont(font)
        painter.setPen(colour("ink" if self.isEnabled() else "muted"))
        title = QRectF(8, card.bottom() - 35, card.width() - 14, 16)
        shown = QFontMetricsF(font).elidedText(self.text(), Qt.TextElideMode.ElideRight, title.width())
        painter.drawText(title, Qt.AlignmentFlag.AlignVCenter, shown)
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

    def _draw_model(self, painter: QPainter, area: QRectF) -> None:
        x, y = self._points
        if not len(x):
            return
        low, span = x.min(), np.ptp(x) or 1.0
        bottom, height = y.min(), np.ptp(y) or 1.0

        def pixels(xs: Array, ys: Array) -> list[QPointF]:
            px = area.left() + (xs - low) / span * area.width()
            py = area.bottom() - (ys - bottom) / height * area.height()
            return [QPointF(a, b) for a, b in zip(px.tolist(), np.clip(py, -500, 500).tolist(), strict=True)]

        painter.setPen(QPen(colour("muted", 0.8), 2.6, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
        painter.drawPoints(pixels(x, y))
        if self.candidate.curve is not None:
            line = np.linspace(low, low + span, 100)
            ink = colour("fit")
            if not self.isChecked():
                ink = QColor(theme().series[4])
            painter.setPen(QPen(ink, 1.6))
            with np.errstate(all="ignore"):
                values = self.candidate.curve(line)
            if np.isfinite(values).all():
                painter.drawPolyline(pixels(line, values))


class LineUp(QWidget):
    """Thumbnails, two abreast, best first."""

    chosen = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setSpacing(6)
        self.thumbnails: dict[Key, Thumbnail] = {}

    def show_candidates(
        self, candidates: list[Candidate], points: tuple[Array, Array], chosen: Key, style: NumberStyle
    ) -> None:
        """Show models in the order given, one of them chosen."""
        clear(self._grid)
        self.thumbnails = {}
        step = max(1, len(points[0]) // MOST_POINTS)
        thin = (points[0][::step], points[1][::step])
        for place, candidate in enumerate(candidates):
            thumbnail = Thumbnail(candidate, thin, style)
            thumbnail.clicked.connect(lambda _checked=False, key=candidate.key: self.chosen.emit(key))
            self.thumbnails[candidate.key] = thumbnail
            self._grid.addWidget(thumbnail, place // 2, place % 2)
        self.mark(chosen)

    def mark(self, chosen: Key) -> None:
        """Mark one model as chosen."""
        for other, thumbnail in self.thumbnails.items():
            thumbnail.setChecked(other == chosen)
