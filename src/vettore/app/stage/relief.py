"""The relief of a surface, turned by dragging; the sites on it, and the section across it."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from vettore.app.painting import painting
from vettore.app.stage.items import as_image
from vettore.app.stage.ramp import Ramp
from vettore.app.stage.relief_view import Eye, Frame, Paints, Relief, ReliefGround, packed_of, see
from vettore.app.style import colour, sans, theme
from vettore.core.arrays import Array
from vettore.core.rounding import NumberStyle

# Degrees for a pixel that is dragged, and for a key.
BY_PIXEL, BY_KEY = 0.45, 6.0
LOWEST, STEEPEST = 8.0, 88.0
STRETCHES = (0.25, 4.0)
# While it turns a picture has at most so many pixels a side, and is painted larger.
MOST_TURNING, MOST_RESTING = 420, 1400
MOST_STEMS, MOST_SITES, SHORTEST_STEM = 400, 3000, 3
SITE_EDGE, SITE = QColor("#22313A"), QColor("#FFFFFF")
# Once it rests for so long it is painted at the display's own fineness.
REST, LATER = 140, 20
MARGIN, FOOT = 12, 46


@dataclass(frozen=True, eq=False)
class Scene:
    """What stands before the eye: the grid, its colours, sites (k, 4) and a section (n, 3), in shares of the box.

    ``paint`` are the heights of the ramp's ends in the box. A site is a, b, its own height, and that of the surface there.
    """

    ground: ReliefGround
    ramp: Ramp
    paint: tuple[float, float]
    sites: Array
    section: Array
    ends: tuple[str, str, str]
    titles: tuple[str, str, str]


class ReliefView(QWidget):
    """Shows a scene; dragging turns and tilts it, the wheel stretches heights. ``turned`` tells from where it is seen."""

    turned = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.eye = Eye()
        self.scene: Scene | None = None
        self._numbers = NumberStyle()
        self._dragged: QPointF | None = None
        self._painted: tuple[object, QImage, Relief | None, Frame | None] = (None, QImage(), None, None)
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(REST)
        self._rest.timeout.connect(self.update)
        # A new ground is painted after all else that came with it.
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(LATER)
        self._later.timeout.connect(self.update)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Relief: arrow keys turn and tilt it, + and − stretch heights")
        self.setToolTip("Drag to turn and tilt; the wheel, + and − stretch heights; double click for the first view")
        self.setMinimumSize(140, 140)
        self.setCursor(Qt.CursorShape.OpenHandCursor)

    def show_scene(self, scene: Scene | None, numbers: NumberStyle) -> None:
        """Show another scene, from where the last was seen."""
        if scene is not None and (self.scene is None or self.scene.ground is not scene.ground):
            # In an event of its own, coarsely first, so that no event is long.
            self._rest.start()
            self._later.start()
        self.scene, self._numbers = scene, numbers
        self.update()

    def look_from(self, eye: Eye) -> None:
        """See it from elsewhere."""
        tilt = float(np.clip(eye.tilt, LOWEST, STEEPEST))
        stretch = float(np.clip(eye.stretch, *STRETCHES))
        self.eye = replace(eye, turn=(eye.turn + 180) % 360 - 180, tilt=tilt, stretch=stretch)
        self._rest.start()
        self.update()
        self.turned.emit(self.eye)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._dragged = event.position()
            self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._dragged is not None:
            moved = event.position() - self._dragged
            self._dragged = event.position()
            turn, tilt = self.eye.turn + BY_PIXEL * moved.x(), self.eye.tilt + BY_PIXEL * moved.y()
            self.look_from(replace(self.eye, turn=turn, tilt=tilt))

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        self._dragged = None
        self.setCursor(Qt.CursorShape.OpenHandCursor)

    def mouseDoubleClickEvent(self, _event: QMouseEvent) -> None:
        self.look_from(Eye())

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.look_from(replace(self.eye, stretch=self.eye.stretch * 1.1 ** (event.angleDelta().y() / 120)))
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        turns = {
            Qt.Key.Key_Left: (-BY_KEY, 0.0),
            Qt.Key.Key_Right: (BY_KEY, 0.0),
            Qt.Key.Key_Up: (0.0, -BY_KEY),
            Qt.Key.Key_Down: (0.0, BY_KEY),
        }
        stretches = {Qt.Key.Key_Plus: 1.15, Qt.Key.Key_Equal: 1.15, Qt.Key.Key_Minus: 1 / 1.15}
        if event.key() in turns:
            turn, tilt = turns[Qt.Key(event.key())]
            self.look_from(replace(self.eye, turn=self.eye.turn + turn, tilt=self.eye.tilt + tilt))
        elif event.key() in stretches:
            self.look_from(replace(self.eye, stretch=self.eye.stretch * stretches[Qt.Key(event.key())]))
        elif event.key() == Qt.Key.Key_Home:
            self.look_from(Eye())
        else:
            super().keyPressEvent(event)

    def paintEvent(self, _event: QPaintEvent) -> None:
        with painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.fillRect(self.rect(), colour("plot_ground"))
            if self.scene is not None and not self._later.isActive():
                self.draw(painter, self.scene)

    def draw(self, painter: QPainter, scene: Scene) -> None:
        """Paint the relief, its box, the section, the sites, and the scale of colours."""
        area = QRectF(self.rect()).adjusted(MARGIN, MARGIN + 14, -MARGIN, -FOOT)
        if area.width() < 40 or area.height() < 40:
            return
        frame = Frame(self.eye, int(area.width()), int(area.height()), scene.ground.sides)
        with painting(painter):
            painter.translate(area.topLeft())
            self._draw_box(painter, frame, scene)
            relief, fine = self._seen(frame, scene)
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(QRectF(0, 0, frame.width, frame.height), self._painted[1])
            if len(scene.section):
                self._draw_section(painter, frame, relief, fine, scene.section)
            self._draw_sites(painter, frame, relief, fine, scene)
        self._draw_words(painter, scene)

    def _seen(self, frame: Frame, scene: Scene) -> tuple[Relief, Frame]:
        """Return what is seen, coarsely while it turns, and the frame that it was worked out for."""
        turning = self._rest.isActive() or self._dragged is not None
        longest = max(frame.width, frame.height)
        # At rest twice as fine as the display, which smooths its edges.
        ratio = (
            min(1.0, MOST_TURNING / longest) if turning else min(2 * self.devicePixelRatio(), MOST_RESTING / longest)
        )
        sides = scene.ground.sides
        fine = Frame(self.eye, max(int(frame.width * ratio), 8), max(int(frame.height * ratio), 8), sides)
        # What the picture shows; a section or sites over it leave it as it is.
        key = (scene.ground, scene.ramp, scene.paint, theme().heights, self.eye, fine.width, fine.height)
        if key != self._painted[0]:
            seen = see(scene.ground, fine)
            picture = Paints(scene.ramp.table).picture(seen, *scene.paint)
            self._painted = (key, as_image(picture), seen, fine)
        _, _, relief, fine = self._painted
        assert relief is not None
        assert fine is not None
        return relief, fine

    def _draw_box(self, painter: QPainter, frame: Frame, scene: Scene) -> None:
        corners = np.array([(-0.5, -0.5), (0.5, -0.5), (0.5, 0.5), (-0.5, 0.5)])
        column, line, depth = frame.pixels(corners[:, 0], corners[:, 1], np.zeros(4))
        painter.setPen(QPen(colour("rule"), 1))
        painter.setBrush(colour("canvas", 0.5))
        painter.drawPolygon(QPolygonF([QPointF(x, y) for x, y in zip(column.tolist(), line.tolist(), strict=True)]))
        # The names of x and y along the sides in front.
        painter.setFont(sans(10))
        painter.setPen(colour("muted"))
        for first, second, which in ((0, 1, 0), (2, 3, 0), (1, 2, 1), (3, 0, 1)):
            title = scene.titles[which]
            if (depth[first] + depth[second]) / 2 < 0:
                x, y = (column[first] + column[second]) / 2, (line[first] + line[second]) / 2
                width = painter.fontMetrics().horizontalAdvance(title)
                left = float(np.clip(x - width / 2, 0, max(frame.width - width, 0)))
                painter.drawText(QPointF(left, min(y + 14, frame.height + 12)), title)

    def _draw_section(self, painter: QPainter, frame: Frame, relief: Relief, fine: Frame, section: Array) -> None:
        column, line, depth = frame.pixels(section[:, 0], section[:, 1], section[:, 2])
        shown = np.isfinite(line)
        ratio = fine.width / frame.width
        fine_column, fine_line, _ = fine.pixels(section[:, 0], section[:, 1], section[:, 2])
        hidden = relief.hidden(fine_column, np.nan_to_num(fine_line) - 2 * ratio, depth)
        painter.setPen(QPen(colour("fit"), 2))
        for k in np.flatnonzero(shown[:-1] & shown[1:] & ~hidden[:-1] & ~hidden[1:]).tolist():
            painter.drawLine(QPointF(column[k], line[k]), QPointF(column[k + 1], line[k + 1]))

    def _draw_sites(self, painter: QPainter, frame: Frame, relief: Relief, fine: Frame, scene: Scene) -> None:
        sites = scene.sites
        if not 0 < len(sites) <= MOST_SITES:
            return
        column, line, depth = frame.pixels(sites[:, 0], sites[:, 1], sites[:, 2])
        _, foot, _ = frame.pixels(sites[:, 0], sites[:, 1], sites[:, 3])
        fine_column, fine_line, _ = fine.pixels(sites[:, 0], sites[:, 1], np.maximum(sites[:, 2], sites[:, 3]))
        hidden = relief.hidden(fine_column, fine_line, depth)
        shown = np.flatnonzero(~hidden & np.isfinite(line))
        dots = [QPointF(x, y) for x, y in zip(column[shown].tolist(), line[shown].tolist(), strict=True)]
        if len(sites) > MOST_STEMS:
            painter.setPen(QPen(SITE_EDGE, 1))
            painter.drawPoints(dots)
            return
        painter.setPen(QPen(colour("bad"), 1.2))
        for dot, end in zip(dots, foot[shown].tolist(), strict=True):
            # NaN, of a site beside the surface, is not greater.
            if abs(end - dot.y()) > SHORTEST_STEM:
                painter.drawLine(dot, QPointF(dot.x(), end))
        painter.setPen(QPen(SITE_EDGE, 1))
        painter.setBrush(SITE)
        for dot in dots:
            painter.drawEllipse(dot, 2.6, 2.6)

    def _draw_words(self, painter: QPainter, scene: Scene) -> None:
        painter.setFont(sans(10.5))
        painter.setPen(colour("muted"))
        stretch = self._numbers.short(round(self.eye.stretch, 2), 3)
        painter.drawText(QPointF(MARGIN, MARGIN + 8), f"drag to turn · height ×{stretch}")
        bar = QRectF(MARGIN, self.height() - FOOT + 14, self.width() - 2 * MARGIN, 9)
        painter.drawImage(bar, as_image(packed_of(scene.ramp.table.round())[None, :]))
        low, high, title = scene.ends
        line = QRectF(bar.left(), bar.bottom() + 3, bar.width(), 16)
        painter.drawText(line, Qt.AlignmentFlag.AlignLeft, low)
        painter.drawText(line, Qt.AlignmentFlag.AlignRight, high)
        room = bar.width() - painter.fontMetrics().horizontalAdvance(low + high) - 24
        middle = painter.fontMetrics().elidedText(title, Qt.TextElideMode.ElideRight, int(max(room, 0)))
        painter.drawText(line, Qt.AlignmentFlag.AlignHCenter, middle)
