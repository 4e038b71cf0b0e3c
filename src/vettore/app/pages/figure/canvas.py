"""The figure as it will be printed, with hands on it: words are changed where they stand, legend and notes are dragged."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, QSizeF, Qt, Signal
from PySide6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QLineEdit, QWidget

from vettore.app.pages.figure.making import TEXTS
from vettore.app.painting import painting
from vettore.app.style import colour
from vettore.app.widgets.parts import plain_tip
from vettore.report.figures.places import Place, Plotted

MARGIN = 22
# A place is hit within so many pixels.
NEAR = 4.0
# Less than this is a click.
STILL = 4.0
# Pixels on the screen for a millimetre of the figure, at most.
LARGEST = 7.0
HINTS = {
    "title": "Title",
    "x title": "Words of the x axis; blank for those of the data",
    "y title": "Words of the y axis; blank for those of the data",
    "new": "Words about this place",
}


@dataclass(frozen=True)
class ShownFigure:
    """A drawn figure: its picture, its width and height in mm, where its parts are, and the scale of its plot.

    ``fields`` are those of the recipe that do something for it.
    """

    picture: QImage
    size: tuple[float, float]
    places: tuple[Place, ...]
    plotted: Plotted
    fields: frozenset[str] = frozenset()


class FigureCanvas(QWidget):
    """Shows a figure; signals say what was dragged where, which words were typed, and which axis was asked for."""

    moved = Signal(str, float, float)
    typed = Signal(str, str)
    noted = Signal(float, float, str)
    axis_asked = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.shown: ShownFigure | None = None
        self._over: Place | None = None
        self._held: tuple[Place, QPointF] | None = None
        self._at = QPointF()
        self._editing = ""
        self._new = QPointF()
        self._chosen = ""
        self._words: dict[str, str] = {}
        self.field = QLineEdit(self)
        self.field.hide()
        self.field.editingFinished.connect(self._take_words)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("The figure: double click on words to change them, on the plot to add a note")
        self.setMinimumSize(200, 160)

    def show_figure(self, shown: ShownFigure | None, words: dict[str, str]) -> None:
        """Show another figure; ``words`` are its own ones, by their part of it."""
        self.shown, self._words = shown, words
        self._held = None
        self._over = None
        self.update()

    def sheet(self) -> QRectF:
        """Where the figure stands in the widget."""
        if self.shown is None:
            return QRectF()
        room = QRectF(self.rect()).adjusted(MARGIN, MARGIN, -MARGIN, -MARGIN)
        width, height = self.shown.size
        scale = min(room.width() / width, room.height() / height, LARGEST)
        size = QSizeF(width * scale, height * scale)
        return QRectF(room.center() - QPointF(size.width() / 2, size.height() / 2), size)

    def frame_of(self, place: Place) -> QRectF:
        """Return where a part of the figure stands in the widget."""
        sheet = self.sheet()
        return QRectF(
            sheet.x() + place.x * sheet.width(),
            sheet.y() + place.y * sheet.height(),
            place.width * sheet.width(),
            place.height * sheet.height(),
        )

    def place_at(self, point: QPointF) -> Place | None:
        """Return the part of the figure at a point: the smallest that is near."""
        if self.shown is None:
            return None
        reach = [
            place
            for place in self.shown.places
            if self.frame_of(place).adjusted(-NEAR, -NEAR, NEAR, NEAR).contains(point)
        ]
        return min(reach, key=lambda place: place.width * place.height, default=None)

    def share_of(self, point: QPointF) -> tuple[float, float]:
        """Return a point in shares of the figure from its upper left."""
        sheet = self.sheet()
        return (point.x() - sheet.x()) / sheet.width(), (point.y() - sheet.y()) / sheet.height()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        place = self.place_at(event.position())
        self._chosen = place.what if place is not None and place.what.startswith("note") else ""
        if place is not None and _moves(place.what):
            self._held = (place, event.position())
            self._at = event.position()
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held is not None:
            self._at = event.position()
            self.update()
            return
        over = self.place_at(event.position())
        if over != self._over:
            self._over = over
            self.setToolTip(plain_tip(_tip(over.what)) if over is not None else "")
            self.setCursor(_cursor(over.what if over is not None else ""))
            self.update()

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        if self._held is None:
            return
        place, start = self._held
        self._held = None
        by = self._at - start
        if by.manhattanLength() > STILL:
            frame = self.frame_of(place).translated(by)
            end = frame.center() if place.what.startswith("note") else frame.bottomLeft()
            self.moved.emit(place.what, *self.share_of(end))
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        place = self.place_at(event.position())
        if place is not None and (place.what in TEXTS or place.what.startswith("note")):
            self.edit(place.what)
        elif place is not None and place.what.endswith("axis"):
            self.axis_asked.emit(place.what[0])
        elif (
            self.shown is not None
            and "notes" in self.shown.fields
            and self.frame_of(self.shown.plotted.frame).contains(event.position())
        ):
            self._new = event.position()
            self._open("new", QRectF(event.position(), QSizeF(0, 0)), "")

    def _takes_note_at(self, point: QPointF) -> bool:
        shown = self.shown
        return shown is not None and "notes" in shown.fields and self.frame_of(shown.plotted.frame).contains(point)

    def edit(self, what: str) -> None:
        """Open the field for words of the figure where they stand."""
        if self.shown is None:
            return
        place = next((place for place in self.shown.places if place.what == what), None)
        frame = self.shown.plotted.frame
        rect = self.frame_of(place) if place is not None else self.frame_of(Place(what, frame.x, frame.y, 0.3, 0))
        self._open(what, rect, self._words.get(what, ""))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and self._chosen:
            chosen, self._chosen = self._chosen, ""
            self.typed.emit(chosen, "")
            return
        super().keyPressEvent(event)

    def close_field(self) -> bool:
        """Close the field without taking what was typed; whether it was open."""
        was_open, self._editing = self.field.isVisible(), ""
        self.field.hide()
        return was_open

    def _open(self, what: str, rect: QRectF, words: str) -> None:
        self._editing = what
        self.field.setText(words)
        self.field.setPlaceholderText(HINTS.get(what, "Words; none takes the note away"))
        self.field.setAccessibleName(self.field.placeholderText())
        width = int(min(max(rect.width() + 40, 220), self.width() - 8))
        left = int(min(max(rect.center().x() - width / 2, 4), self.width() - width - 4))
        top = int(min(max(rect.center().y() - 14, 4), self.height() - 34))
        self.field.setGeometry(left, top, width, 30)
        self.field.show()
        self.field.selectAll()
        self.field.setFocus()

    def _take_words(self) -> None:
        what, text = self._editing, self.field.text()
        self._editing = ""
        self.field.hide()
        if what == "new":
            if text.strip():
                self.noted.emit(*self.share_of(self._new), text.strip())
        elif what and text.strip() != self._words.get(what, ""):
            self.typed.emit(what, text)

    def paintEvent(self, _event: QPaintEvent) -> None:
        with painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.fillRect(self.rect(), colour("canvas"))
            if self.shown is None:
                return
            sheet = self.sheet()
            painter.fillRect(sheet.translated(0, 2), colour("rule"))
            painter.drawImage(sheet, self.shown.picture)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            if self._held is not None:
                place, start = self._held
                painter.setPen(QPen(colour("accent"), 1.4))
                painter.drawRect(self.frame_of(place).translated(self._at - start))
            elif self._over is not None:
                painter.setPen(QPen(colour("accent"), 1, Qt.PenStyle.DashLine))
                painter.drawRect(self.frame_of(self._over).adjusted(-2, -2, 2, 2))
            for place in self.shown.places:
                if place.what == self._chosen:
                    painter.setPen(QPen(colour("accent"), 1.6))
                    painter.drawRect(self.frame_of(place).adjusted(-3, -3, 3, 3))


def _moves(what: str) -> bool:
    return what in ("legend", "inset") or what.startswith("note")


def _tip(what: str) -> str:
    if what in ("legend", "inset"):
        return f"Drag the {what}"
    if what.startswith("note"):
        return "Drag the words; double click changes them, Delete takes them away"
    return "Double click for limits and scale" if what.endswith("axis") else "Double click to change the words"


def _cursor(what: str) -> Qt.CursorShape:
    if what.endswith("axis"):
        return Qt.CursorShape.PointingHandCursor
    if not what:
        return Qt.CursorShape.ArrowCursor
    return Qt.CursorShape.SizeAllCursor if _moves(what) else Qt.CursorShape.IBeamCursor
