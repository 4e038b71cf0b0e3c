"""What a map shows: the surface in colour, its gaps, contours, sites by their own height, summits, a section."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPainterPath, QPen, QPolygonF

from vettore.app.painting import painting
from vettore.app.stage.items import Map, StageItem, as_image, draw_line, fill_between, polygon, within
from vettore.app.stage.marks import Marks
from vettore.app.stage.overlays import Pennants
from vettore.app.stage.ramp import Ramp
from vettore.app.stage.stamps import stamp_discs
from vettore.app.style import colour, sans, theme
from vettore.core.arrays import Array, Mask
from vettore.core.rounding import NumberStyle
from vettore.core.surface.contours import Contour
from vettore.core.surface.summits import Shape, Summit

# Gaps are hatched by lines so far apart and so wide, in pixels.
HATCH, HATCH_WIDTH = 9, 1.5
# Shorter contours, in pixels, carry no label, and labels stand at least so far apart.
LABELLED, LABELS_APART = 110.0, 46.0
# So many lines at most look for room for a label, and lines of so many corners in all have smooth edges.
MOST_LABELS, MOST_SMOOTH_CORNERS = 200, 60_000
# Sites are told apart by so many colours; beyond so many they are dots.
TINTS, MOST_DISCS, ROOM_OF_A_DOT = 24, 3000, 30
RADIUS = 4.2


class MapGround(StageItem):
    """The surface as colour within the outermost sites; where it is a guess, hatched."""

    def __init__(self) -> None:
        super().__init__()
        self._image = QImage()
        self._span: tuple[float, float, float, float] | None = None
        self._outline: Array = np.empty((0, 2))
        self._guess: Mask = np.zeros((0, 0), dtype=bool)
        self._hatched: tuple[object, QImage] = (None, QImage())

    def set_ground(self, x: Array, y: Array, z: Array, guess: Mask, outline: Array, ramp: Ramp) -> None:
        """Show heights (rows, columns) on a grid, with room beyond the ``outline`` (k, 2), to which they are cut."""
        self._image = as_image(ramp.colours(z)[::-1])
        across, along = (x[1] - x[0]) / 2, (y[1] - y[0]) / 2
        self._span = (float(x[0] - across), float(x[-1] + across), float(y[0] - along), float(y[-1] + along))
        self._outline, self._guess = outline, guess
        self._hatched = (None, QImage())
        self.update()

    def clear(self) -> None:
        """Show nothing."""
        self._span = None
        self.update()

    def draw(self, painter: QPainter, to_pixels: Map, area: QRectF) -> None:
        if self._span is None:
            return
        left, right, low, high = self._span
        box = QRectF(QPointF(to_pixels.x(left), to_pixels.y(high)), QPointF(to_pixels.x(right), to_pixels.y(low)))
        corners = np.column_stack([to_pixels.x(self._outline[:, 0]), to_pixels.y(self._outline[:, 1])])
        seen = within(corners, area)
        if len(seen) < 3:
            return
        edge = QPainterPath()
        edge.addPolygon(polygon(seen[:, 0], seen[:, 1]))
        edge.closeSubpath()
        with painting(painter):
            painter.setClipPath(edge, Qt.ClipOperation.IntersectClip)
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(box, self._image)
            if self._guess.any():
                key = (to_pixels.key, area.getRect(), theme().ink)
                if key != self._hatched[0]:
                    self._hatched = (key, self._hatch(to_pixels, area))
                painter.drawImage(area.topLeft(), self._hatched[1])
        closed = np.concatenate([corners, corners[:1]])
        draw_line(painter, closed[:, 0], closed[:, 1], area, QPen(colour("muted", 0.7), 1))

    def _hatch(self, to_pixels: Map, area: QRectF) -> QImage:
        assert self._span is not None
        left, right, low, high = self._span
        width, height = int(area.width()) + 1, int(area.height()) + 1
        columns, rows = np.arange(width), np.arange(height)
        x = (columns + area.left() - to_pixels.dx) / to_pixels.mx
        y = (rows + area.top() - to_pixels.dy) / to_pixels.my
        place = np.floor((x - left) / (right - left) * self._guess.shape[1]).astype(np.intp)
        line = np.floor((y - low) / (high - low) * self._guess.shape[0]).astype(np.intp)
        known = (place >= 0) & (place < self._guess.shape[1])
        known_line = (line >= 0) & (line < self._guess.shape[0])
        guess = np.zeros((height, width), dtype=bool)
        guess[np.ix_(known_line, known)] = self._guess[np.ix_(line[known_line], place[known])]
        stripes = (columns[None, :] + rows[:, None]) % HATCH < HATCH_WIDTH
        ink = QColor(colour("look"))
        tint = (190 << 24) | (ink.red() << 16) | (ink.green() << 8) | ink.blue()
        return as_image(np.where(guess & stripes, np.uint32(tint), np.uint32(0)))


class Lines:
    """The lines of contours in one array, with a gap (NaN) after each, so that they are painted at once.

    Attributes: corners (k, 2); ends, where each line begins and ends in it; levels, one for each line.
    """

    def __init__(self, contours: list[Contour]) -> None:
        lines = [line for contour in contours for line in contour.lines]
        self.levels = [contour.level for contour in contours for _ in contour.lines]
        gap = np.full((1, 2), np.nan)
        self.corners: Array = np.concatenate([part for line in lines for part in (line, gap)] or [gap])
        after = np.cumsum([len(line) + 1 for line in lines], dtype=np.intp)
        self.ends = [(int(end) - len(line) - 1, int(end) - 1) for line, end in zip(lines, after, strict=True)]

    def lengths(self, x: Array, y: Array) -> Array:
        """Return how long each line is, in pixels, from its corners there."""
        if not self.ends:
            return np.empty(0)
        steps = np.append(np.nan_to_num(np.hypot(np.diff(x), np.diff(y))), 0.0)
        return np.add.reduceat(steps, [start for start, _ in self.ends])


class Contours(StageItem):
    """Lines of equal height with their heights; one of them may be the level that is asked for."""

    def __init__(self) -> None:
        super().__init__()
        self.contours: tuple[Contour, ...] = ()
        self.level: float | None = None
        self.numbers = NumberStyle()
        self._plain, self._at_level = Lines([]), Lines([])

    def set_contours(self, contours: tuple[Contour, ...], level: float | None, numbers: NumberStyle) -> None:
        """Show contours; the one at ``level`` stands out."""
        self.contours, self.level, self.numbers = contours, level, numbers
        self._plain = Lines([contour for contour in contours if contour.level != level])
        self._at_level = Lines([contour for contour in contours if contour.level == level])
        self.update()

    def draw(self, painter: QPainter, to_pixels: Map, area: QRectF) -> None:
        taken: list[QRectF] = []
        placed = []
        for lines, pen in (
            (self._plain, QPen(QColor(20, 30, 36, 120), 0.9)),
            (self._at_level, QPen(colour("accent"), 2.0)),
        ):
            px, py = to_pixels.x(lines.corners[:, 0]), to_pixels.y(lines.corners[:, 1])
            draw_line(painter, px, py, area, pen, MOST_SMOOTH_CORNERS)
            placed.append((lines, px, py))
        for lines, px, py in reversed(placed):
            is_wanted, lengths = lines is self._at_level, lines.lengths(px, py)
            worth = np.flatnonzero((lengths >= LABELLED) | is_wanted)
            for item in worth[np.argsort(-lengths[worth], kind="stable")][:MOST_LABELS].tolist():
                part = slice(*lines.ends[item])
                text = self.numbers.short(lines.levels[item], 4)
                self._label(painter, text, px[part], py[part], area, taken, is_wanted)

    def _label(
        self, painter: QPainter, text: str, px: Array, py: Array, area: QRectF, taken: list[QRectF], is_wanted: bool
    ) -> None:
        painter.setFont(sans(10))
        width = painter.fontMetrics().horizontalAdvance(text) + 6
        # The middle of the line first, then places nearer to its ends.
        for share in (0.5, 0.3, 0.7, 0.15, 0.85):
            at = int(share * (len(px) - 1))
            box = QRectF(px[at] - width / 2, py[at] - 7, width, 14)
            wide = box.adjusted(-LABELS_APART / 2, -8, LABELS_APART / 2, 8)
            if area.contains(box) and not any(wide.intersects(other) for other in taken):
                taken.append(box)
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(QColor(255, 255, 255, 205))
                painter.drawRoundedRect(box, 4, 4)
                painter.setPen(QColor(theme().accent) if is_wanted else QColor(30, 42, 50))
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
                return


class SiteDots(StageItem):
    """Sites filled by their own height, so that a misfit is seen; set aside ones hollow. It shows what ``marks`` hold."""

    def __init__(self, marks: Marks) -> None:
        super().__init__()
        self._marks = marks
        self._tints: Array = np.empty(0, dtype=np.intp)
        self._colours: list[str] = []

    def set_heights(self, z: Array, ramp: Ramp) -> None:
        """Colour the sites by their heights (n,); NaN has none."""
        places = np.clip(np.nan_to_num(ramp.shares(z)) * (TINTS - 1) + 0.5, 0, TINTS - 1).astype(np.intp)
        self._tints = np.where(np.isfinite(z), places, -1)
        self._colours = ramp.names(TINTS)
        self.update()

    def draw(self, painter: QPainter, to_pixels: Map, area: QRectF) -> None:
        marks = self._marks
        if len(self._tints) != len(marks.xs):
            return
        px, py = to_pixels.x(marks.xs), to_pixels.y(marks.ys)
        seen = (px > area.left() - 9) & (px < area.right() + 9) & (py > area.top() - 9) & (py < area.bottom() + 9)
        used = seen & ~marks.aside & (self._tints >= 0)
        if int(used.sum()) > MOST_DISCS:
            self._dots(painter, px[used], py[used], self._tints[used], area)
        else:
            for tint in np.unique(self._tints[used]).tolist():
                rows = used & (self._tints == tint)
                stamp_discs(painter, px[rows], py[rows], self._colours[tint], "#22313A", RADIUS)
        values = np.flatnonzero(seen & marks.aside)[:MOST_DISCS]
        marks.draw_hollow(painter, px[values], py[values], np.zeros(len(values)))
        marks.draw_rings(painter, to_pixels)

    def _dots(self, painter: QPainter, px: Array, py: Array, tints: Array, area: QRectF) -> None:
        width, height = int(area.width()) + 4, int(area.height()) + 4
        column = np.clip((px - area.left() + 1).astype(np.intp), 0, width - 3)
        line = np.clip((py - area.top() + 1).astype(np.intp), 0, height - 3)
        paint = np.array([QColor(name).rgba() for name in self._colours], dtype=np.uint32)
        picture = np.zeros((height, width), dtype=np.uint32)
        # Where there is room for them, dots have a rim to the lower right.
        if len(px) * ROOM_OF_A_DOT < area.width() * area.height():
            for down, right in ((0, 1), (1, 0), (1, 1)):
                picture[line + down, column + right] = QColor("#22313A").rgba()
        picture[line, column] = paint[tints]
        painter.drawImage(area.topLeft(), as_image(picture))


class Summits(StageItem):
    """Hills and hollows as triangles up and down, with their heights."""

    def __init__(self) -> None:
        super().__init__()
        self.summits: tuple[tuple[Summit, str], ...] = ()

    def set_summits(self, summits: tuple[tuple[Summit, str], ...]) -> None:
        """Show summits with their words."""
        self.summits = summits
        self.update()

    def draw(self, painter: QPainter, to_pixels: Map, area: QRectF) -> None:
        font = sans(11)
        font.setBold(True)
        painter.setFont(font)
        for summit, words in self.summits:
            at = to_pixels.point(summit.x, summit.y, area)
            if at is None:
                continue
            x, y = at.x(), at.y()
            up = -1 if summit.shape is Shape.HILL else 1
            painter.setPen(QPen(QColor("#FFFFFF"), 1.4))
            painter.setBrush(QColor("#22313A"))
            if summit.shape is Shape.SADDLE:
                painter.drawPolygon(
                    QPolygonF(
                        [QPointF(x - 6, y - 5), QPointF(x + 6, y + 5), QPointF(x + 6, y - 5), QPointF(x - 6, y + 5)]
                    )
                )
                continue
            painter.drawPolygon(
                QPolygonF([QPointF(x, y + 8 * up), QPointF(x - 7, y - 5 * up), QPointF(x + 7, y - 5 * up)])
            )
            width = painter.fontMetrics().horizontalAdvance(words) + 8
            left = x + 10 if x + 12 + width < area.right() else x - 10 - width
            box = QRectF(left, y - 9, width, 18)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(255, 255, 255, 215))
            painter.drawRoundedRect(box, 4, 4)
            painter.setPen(QColor("#22313A"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


class Pins(StageItem):
    """Places at which the surface is read, with what is read there; those that are kept are filled."""

    def __init__(self, pennants: Pennants) -> None:
        super().__init__()
        self._pennants = pennants

    def draw(self, painter: QPainter, to_pixels: Map, area: QRectF) -> None:
        font = sans(11)
        font.setBold(True)
        painter.setFont(font)
        for x, y, words, kept in self._pennants.pennants:
            at = to_pixels.point(x, y, area)
            if at is None:
                continue
            width = painter.fontMetrics().horizontalAdvance(words) + 14
            left = min(max(at.x() - width / 2, area.left() + 2), area.right() - width - 2)
            above = at.y() - 34 > area.top()
            box = QRectF(left, at.y() - 34 if above else at.y() + 14, width, 20)
            painter.setPen(QPen(colour("accent"), 1.6))
            painter.drawLine(at, QPointF(at.x(), box.bottom() if above else box.top()))
            painter.setBrush(colour("accent") if kept else colour("panel"))
            painter.drawRoundedRect(box, 4, 4)
            painter.setPen(colour("on_accent") if kept else colour("accent"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)
            painter.setPen(QPen(QColor("#FFFFFF"), 1.2))
            painter.setBrush(colour("accent"))
            painter.drawEllipse(at, 4, 4)


class SectionLine(StageItem):
    """The line of a section, from A to B."""

    def __init__(self) -> None:
        super().__init__()
        self.ends: tuple[tuple[float, float], tuple[float, float]] | None = None

    def set_ends(self, ends: tuple[tuple[float, float], tuple[float, float]] | None) -> None:
        """Show a line between two places, or none."""
        self.ends = ends
        self.update()

    def draw(self, painter: QPainter, to_pixels: Map, area: QRectF) -> None:
        if self.ends is None:
            return
        start, end = (QPointF(to_pixels.x(x), to_pixels.y(y)) for x, y in self.ends)
        if not np.isfinite([start.x(), start.y(), end.x(), end.y()]).all():
            return
        painter.setPen(QPen(QColor("#FFFFFF"), 4))
        painter.drawLine(start, end)
        painter.setPen(QPen(colour("fit"), 2))
        painter.drawLine(start, end)
        font = sans(11)
        font.setBold(True)
        painter.setFont(font)
        for at, letter in ((start, "A"), (end, "B")):
            painter.setPen(QPen(colour("fit"), 1.6))
            painter.setBrush(colour("panel"))
            painter.drawRoundedRect(QRectF(at.x() - 8, at.y() - 8, 16, 16), 4, 4)
            painter.drawText(QRectF(at.x() - 8, at.y() - 8, 16, 16), Qt.AlignmentFlag.AlignCenter, letter)


class Outline(StageItem):
    """The window whose mean and volume are told."""

    def __init__(self) -> None:
        super().__init__()
        self.places: Array = np.empty((0, 2))

    def set_outline(self, places: Array) -> None:
        """Show an outline (k, 2), or none."""
        self.places = places
        self.update()

    def draw(self, painter: QPainter, to_pixels: Map, area: QRectF) -> None:
        if len(self.places) < 3:
            return
        x, y = to_pixels.x(self.places[:, 0]), to_pixels.y(self.places[:, 1])
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("accent", 0.10))
        painter.drawPolygon(polygon(x, y))
        pen = QPen(colour("accent"), 2)
        pen.setDashPattern([5, 3])
        draw_line(painter, np.append(x, x[0]), np.append(y, y[0]), area, pen)


class Profile(StageItem):
    """The surface along a section, with its band where it is known, and the sites near the line."""

    def __init__(self) -> None:
        super().__init__()
        nothing = np.empty(0)
        self.along, self.heights, self.band = nothing, nothing, nothing
        self.near: tuple[Array, Array] = (nothing, nothing)

    def set_profile(self, along: Array, z: Array, band: Array, near: tuple[Array, Array]) -> None:
        """Show heights z (n,) along the line, ± ``band`` (NaN: unknown), and sites near it by distance and height."""
        self.along, self.heights, self.band, self.near = along, z, band, near
        self.update()

    def draw(self, painter: QPainter, to_pixels: Map, area: QRectF) -> None:
        if not len(self.along):
            return
        x, y = to_pixels.x(self.along), to_pixels.y(self.heights)
        low, high = to_pixels.y(self.heights - self.band), to_pixels.y(self.heights + self.band)
        known = np.isfinite(low)
        if int(known.sum()) > 1:
            painter.setBrush(colour("fit", 0.16))
            fill_between(painter, x[known], low[known], high[known])
        draw_line(painter, x, y, area, QPen(colour("fit"), 2))
        stamp_discs(
            painter, to_pixels.x(self.near[0]), to_pixels.y(self.near[1]), theme().data, theme().plot_ground, 3.6
        )
