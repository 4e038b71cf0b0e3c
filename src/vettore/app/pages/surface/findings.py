"""The right column of the Surface page: what the sites show, hills and hollows, what to look at, numbers."""

from __future__ import annotations

from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent, QPolygonF
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from vettore.app.pages.surface.present import SurfaceView
from vettore.app.painting import painting
from vettore.app.style import colour
from vettore.app.widgets.parts import Column, Elided, Pairs, about, button, clear, label, rule, section
from vettore.core.surface.summits import Shape
from vettore.words.surfaces import SHAPE_WORDS, Look

SIGN = 14


class Sign(QWidget):
    """A hill, a hollow, a saddle, or what deserves a look."""

    def __init__(self, what: Shape | None) -> None:
        super().__init__()
        self._what = what
        self.setFixedSize(SIGN + 2, SIGN + 2)
        self.setAccessibleName(SHAPE_WORDS[what] if what is not None else "look")

    def paintEvent(self, _event: QPaintEvent) -> None:
        with painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            low, middle, high = 1.5, SIGN / 2 + 1, SIGN - 0.5
            shapes = {
                Shape.HILL: ((middle, low + 1), (low, high), (high, high)),
                Shape.HOLLOW: ((middle, high), (low, low + 1), (high, low + 1)),
                Shape.SADDLE: ((low, low + 2), (high, high - 1), (high, low + 2), (low, high - 1)),
                None: ((middle, low + 1), (low, high), (high, high)),
            }
            painter.setPen(colour("look") if self._what is None else colour("accent"))
            painter.setBrush(colour("accent") if self._what is Shape.HILL else Qt.BrushStyle.NoBrush)
            painter.drawPolygon(QPolygonF([QPointF(x, y) for x, y in shapes[self._what]]))


class SurfaceFindings(Column):
    """Draws what a view says of a surface."""

    rows_asked = Signal(object)
    profile_asked = Signal()
    grid_asked = Signal()
    unkeep_asked = Signal(int)
    window_dropped = Signal()

    def __init__(self) -> None:
        super().__init__("What the sites show")
        self.sentence = label("", "sentence", wrap=True)
        self._summits, self._looks, self._kept = QWidget(), QWidget(), QWidget()
        for part in (self._summits, self._looks, self._kept):
            box = QVBoxLayout(part)
            box.setContentsMargins(0, 0, 0, 0)
            box.setSpacing(4)
        self.numbers, self.window = Pairs(), Pairs()
        self._titles = {
            "summits": section("Hills and hollows"),
            "looks": section("To look at"),
            "kept": section("Readings"),
            "window": section("In the window"),
        }
        self.window_refusal = label("", "bad", wrap=True)
        self.drop_window = button("Let go of the window", self.window_dropped.emit, "link")
        self.profile = button(
            "Make the section a series",
            self.profile_asked.emit,
            "primary",
            "A new series: distance along it and height",
        )
        self.grid = button(
            "Make the grid a series", self.grid_asked.emit, "", "A new series of x, y, z on the even grid"
        )
        self.add(section("What the sites show"), self.sentence, self.profile, self.grid, rule())
        self.add(self._titles["summits"], self._summits, self._titles["looks"], self._looks)
        self.add(self._titles["kept"], self._kept, self._titles["window"], self.window, self.window_refusal)
        self.add(self.drop_window, section("In numbers"), self.numbers)
        self.column.addStretch()
        about("surface.md#find-hills-and-hollows", self._summits)
        self._shown: object = None

    def draw(self, view: SurfaceView) -> None:
        """Show a view."""
        self.profile.setVisible(view.cut is not None)
        self.grid.setVisible(view.answer is not None)
        if view.awaited:
            return
        self.sentence.setText(view.sentence or ("—" if view.refusal else ""))
        self.numbers.show_pairs(view.pairs)
        self.window.show_pairs(view.window)
        self.window_refusal.setText(view.window_refusal)
        self.window_refusal.setVisible(bool(view.window_refusal))
        has_window = bool(view.window or view.window_refusal)
        self._titles["window"].setVisible(has_window)
        self.drop_window.setVisible(has_window)
        shown = (view.summits, view.looks, view.kept)
        if shown != self._shown:
            self._shown = shown
            self._draw_summits(view)
            self._draw_looks(view.looks)
            self._draw_kept(view.kept)

    def _draw_summits(self, view: SurfaceView) -> None:
        box = self._summits.layout()
        clear(box)
        self._titles["summits"].setVisible(bool(view.summits))
        for summit, place, height in view.summits:
            # In a narrow window the place gives way, not the height.
            where = Elided("label")
            where.setText(place)
            line = self._line(Sign(summit.shape), where, label(height, "value"))
            line.setToolTip(f"{SHAPE_WORDS[summit.shape].capitalize()}; prominence {summit.prominence:.3g}")
            box.addWidget(line)

    def _draw_looks(self, looks: tuple[Look, ...]) -> None:
        box = self._looks.layout()
        clear(box)
        self._titles["looks"].setVisible(bool(looks))
        for look in looks:
            holder = QWidget()
            column = QVBoxLayout(holder)
            column.setContentsMargins(0, 0, 0, 0)
            column.setSpacing(1)
            column.addWidget(label(look.what, "sentence", wrap=True))
            column.addWidget(label(look.more, "muted", wrap=True))
            if look.rows:
                words = "Choose this row" if len(look.rows) == 1 else f"Choose these {len(look.rows)} rows"
                choose = button(
                    words, lambda rows=look.rows: self.rows_asked.emit(rows), "link", "Ring them on the map"
                )
                column.addWidget(choose, alignment=Qt.AlignmentFlag.AlignLeft)
            box.addWidget(self._line(Sign(None), holder))

    def _draw_kept(self, kept: tuple[tuple[str, str], ...]) -> None:
        box = self._kept.layout()
        clear(box)
        self._titles["kept"].setVisible(bool(kept))
        for place, (where, value) in enumerate(kept):
            away = button("×", lambda place=place: self.unkeep_asked.emit(place), "link", "Let go of this reading")
            away.setAccessibleName(f"Let go of the reading at {where}")
            box.addWidget(self._line(label(where, "label"), label(value, "value"), away))

    def _line(self, *parts: QWidget) -> QWidget:
        holder = QWidget()
        line = QHBoxLayout(holder)
        line.setContentsMargins(0, 0, 0, 0)
        for place, part in enumerate(parts):
            stretch = 1 if place == len(parts) - 2 or (len(parts) == 2 and place == 1) else 0
            line.addWidget(part, stretch, Qt.AlignmentFlag.AlignTop)
        return holder
