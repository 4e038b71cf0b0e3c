"""The middle of the Surface page: the map, the relief beside it, the section below, and the line that reads a place."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from dataclasses import replace
from typing import Any

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QButtonGroup, QLineEdit, QPushButton, QSplitter, QStackedWidget, QVBoxLayout, QWidget

from vettore.app.pages.surface.derived import Answer
from vettore.app.pages.surface.present import NO_SERIES, SurfaceView
from vettore.app.pages.surface.state import Tool
from vettore.app.session import Session
from vettore.app.stage.hand_box import Hand
from vettore.app.stage.map_items import Contours, MapGround, Outline, Pins, Profile, SectionLine, SiteDots, Summits
from vettore.app.stage.plot import Plot
from vettore.app.stage.ramp import Ramp
from vettore.app.stage.relief import ReliefView, Scene
from vettore.app.stage.relief_view import ReliefGround
from vettore.app.widgets.data.row_bar import RowBar
from vettore.app.widgets.parts import Elided, Invitation, about, button, ground, label
from vettore.core.arrays import Array
from vettore.core.rounding import NumberStyle
from vettore.core.surface.edges import coloured_from, heights_of, is_level

TOOL_TIPS = {
    Tool.SECTION: "Drag across the map: the surface along that line is shown below",
    Tool.CHOOSE: "Drag around sites to choose them; a click chooses one",
    Tool.WINDOW: "Drag around a window: its mean and volume are told",
    Tool.MOVE: "Drag moves the map, the wheel zooms, a double click shows all",
}
# Standard errors on each side of a section's band.
BAND = 1.96
NOTHING = np.empty(0)


class MapPlot(Plot):
    """A plot whose dragging draws a section, chooses sites, or outlines a window."""

    section_drawn = Signal(float, float, float, float, bool)
    window_drawn = Signal(object)
    map_clicked = Signal(float, float)

    def __init__(self, say: Callable[[str, str], object]) -> None:
        super().__init__(say)
        self.tool = Tool.SECTION
        self.setAccessibleName("Map")
        self.ground, self.contours, self.dots = MapGround(), Contours(), SiteDots(self.marks)
        self.summits, self.section, self.window_line = Summits(), SectionLine(), Outline()
        # What the marks hold is drawn by the dots, in the colours of their heights, and the pennants as pins.
        self.marks.setVisible(False)
        self.pennants.setVisible(False)
        self.pins = Pins(self.pennants)
        for item, z in (
            (self.ground, -30),
            (self.contours, 2),
            (self.dots, 10),
            (self.window_line, 11),
            (self.section, 12),
            (self.summits, 15),
            (self.pins, 16),
        ):
            self.put(item, z)

    def take_up(self, tool: Tool) -> None:
        """Let dragging do what a tool does."""
        self.tool = tool
        hands = {Tool.SECTION: Hand.BOX, Tool.CHOOSE: Hand.LASSO, Tool.WINDOW: Hand.LASSO, Tool.MOVE: Hand.MOVE}
        self.set_hand(hands[tool])

    def _outlined(self, points: list[tuple[float, float]], done: bool) -> None:
        hand = self.upper.vb.hand
        if self.tool is Tool.SECTION and hand is Hand.BOX:
            # The corners of a box: where the drag began, and where it is.
            (x0, y0), (x1, y1) = points[0], points[2]
            self.section_drawn.emit(x0, y0, x1, y1, done)
        elif self.tool is Tool.WINDOW and hand is Hand.LASSO and done:
            self.rubber.set_outline([])
            self.window_drawn.emit(points)
        else:
            super()._outlined(points, done)

    def _clicked(self, event: Any) -> None:
        inside = self.upper.vb.sceneBoundingRect().contains(event.scenePos())
        if event.button() == Qt.MouseButton.LeftButton and not event.double() and inside:
            at = self.upper.vb.mapSceneToView(event.scenePos())
            self.map_clicked.emit(at.x(), at.y())
        super()._clicked(event)


class ReadLine(QWidget):
    """The line that reads the surface at a place."""

    typed = Signal(str, str)
    keep_asked = Signal()

    def __init__(self) -> None:
        super().__init__()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        bar, line = ground("bar", (14, 6, 12, 6))
        box.addWidget(bar)
        self.at_x, self.at_y = QLineEdit(), QLineEdit()
        for words, field, axis in (("At", self.at_x, "x"), (",", self.at_y, "y")):
            field.setFixedWidth(64)
            field.setPlaceholderText(axis)
            field.setAccessibleName(f"Read the surface at {axis}")
            field.textEdited.connect(lambda _text: self.typed.emit(self.at_x.text(), self.at_y.text()))
            field.returnPressed.connect(self.keep_asked.emit)
            line.addWidget(label(words, "label"))
            line.addWidget(field)
        self.reading_words, self.more = Elided("value"), Elided("muted")
        line.addWidget(self.reading_words, 3)
        line.addWidget(self.more, 4)
        self.keep = button(
            "Keep reading", self.keep_asked.emit, "link", "Keep it in the study, as a pennant on the map"
        )
        line.addWidget(self.keep)
        about("surface.md#read-the-surface", self)

    def draw(self, view: SurfaceView, at: tuple[str, str]) -> None:
        """Show a view."""
        for field, text in zip((self.at_x, self.at_y), at, strict=True):
            if field.text().strip() != text:
                field.setText(text)
        self.reading_words.setText(view.reading.words)
        self.more.setText(view.reading.more)
        self.keep.setVisible(view.reading.can_keep)


class SurfaceStage(QStackedWidget):
    """Draws a view."""

    tool_chosen = Signal(object)

    def __init__(self, session: Session, open_file: Callable[[], object]) -> None:
        super().__init__()
        self.setObjectName("canvas")
        self._drawn: Hashable = None
        self._shown: object = None
        self._relief: Scene
        self.map = MapPlot(session.say)
        self.relief = ReliefView()
        self.strip = Plot(session.say)
        self.profile = Profile()
        self.strip.put(self.profile, 5)
        self.refusal = label("", "bad", wrap=True)
        self.refusal.setContentsMargins(18, 8, 18, 8)
        self.refusal.hide()
        self.rows, self.read = RowBar(session), ReadLine()
        # Without chosen sites it would only take room from the map.
        self.rows.hide()
        self.rows.add_keys(self.map)
        filled = QWidget()
        box = QVBoxLayout(filled)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(self._tools())
        box.addWidget(self.refusal)
        box.addWidget(self._split(), 1)
        box.addWidget(self.rows)
        box.addWidget(self.read)
        self._filled, self._empty = filled, Invitation(NO_SERIES, "Open a file …", open_file)
        self.addWidget(self._empty)
        self.addWidget(filled)
        about("surface.md#look-at-the-surface", self.map, self.relief)
        about("surface.md#cut-a-section", self.strip)

    def _tools(self) -> QWidget:
        bar, line = ground("strip", (14, 5, 12, 5))
        line.addWidget(label("Dragging on the map:", "label"))
        group = QButtonGroup(self)
        self.tools: dict[Tool, QPushButton] = {}
        for tool, tip in TOOL_TIPS.items():
            widget = button(str(tool), lambda tool=tool: self.tool_chosen.emit(tool), "choice", tip)
            widget.setCheckable(True)
            group.addButton(widget)
            self.tools[tool] = widget
            line.addWidget(widget)
        line.addStretch()
        return bar

    def _split(self) -> QSplitter:
        self._beside = QSplitter(Qt.Orientation.Horizontal)
        self._beside.addWidget(self.map)
        self._beside.addWidget(self.relief)
        self._beside.setSizes([560, 440])
        down = QSplitter(Qt.Orientation.Vertical)
        down.addWidget(self._beside)
        down.addWidget(self.strip)
        down.setSizes([640, 260])
        for splitter in (self._beside, down):
            splitter.setChildrenCollapsible(False)
            splitter.setHandleWidth(6)
        self.strip.setMinimumHeight(120)
        return down

    def draw(self, view: SurfaceView, at: tuple[str, str], style: NumberStyle) -> None:
        """Show a view; ``at`` is the place that is read, as typed."""
        self.setCurrentWidget(self._empty if view.invites else self._filled)
        self.refusal.setText(view.refusal)
        self.refusal.setVisible(bool(view.refusal))
        self.tools[view.tool].setChecked(True)
        self.map.take_up(view.tool)
        self.read.draw(view, at)
        for plot in (self.map, self.strip):
            plot.dress(style)
        self.map.set_titles(*view.titles[:2])
        self.strip.set_titles(view.along, view.titles[2])
        self.map.section.set_ends(view.ends)
        self.map.pennants.set_flags(list(view.flags))
        self.map.pins.update()
        if view.awaited:
            return
        answer = view.answer
        if answer is None:
            self._clear()
            return
        if answer is not self._shown:
            self._shown = answer
            self._draw_map(answer, view, style)
            self._relief = _relief_of(answer, view, style)
        self._draw_profile(answer, view)
        self._draw_relief(answer, view, style)

    def _clear(self) -> None:
        self._shown = None
        self.map.ground.clear()
        self.map.contours.set_contours((), None, self.map.numbers)
        self.map.summits.set_summits(())
        self.map.window_line.set_outline(np.empty((0, 2)))
        self.profile.set_profile(NOTHING, NOTHING, NOTHING, (NOTHING, NOTHING))
        self.relief.show_scene(None, self.map.numbers)

    def _draw_map(self, answer: Answer, view: SurfaceView, style: NumberStyle) -> None:
        surface, recipe, sites = answer.surface, answer.recipe, answer.sites
        ramp = ramp_of(answer)
        grid = surface.grid
        self.map.ground.set_ground(grid.x, grid.y, answer.heights, grid.guess, answer.outline, ramp)
        value = recipe.level if recipe.level is not None else recipe.parted_at
        self.map.contours.set_contours(answer.contours, value, style)
        summits = [(summit, style.number(summit.z, 3)) for summit, _, _ in view.summits]
        self.map.summits.set_summits(tuple(summits))
        self.map.window_line.set_outline(np.array(recipe.outline).reshape(-1, 2))
        self._draw_sites(answer, ramp)
        drawn = (answer.series.key, tuple(column.name for column in sites.columns))
        if drawn != self._drawn:
            self._drawn = drawn
            self.map.show_home(surface.x, surface.y)

    def _draw_sites(self, answer: Answer, ramp: Ramp) -> None:
        series = answer.series
        names = [column.name for column in series.columns]
        x, y, z = (series.data[names.index(column.name)].values for column in answer.sites.columns)
        rows = np.flatnonzero(np.isfinite(x) & np.isfinite(y))
        self.map.marks.set_data(x[rows], y[rows], rows, ~series.kept[rows], "")
        self.map.dots.set_heights(z[rows], ramp)

    def _draw_profile(self, answer: Answer, view: SurfaceView) -> None:
        cut = view.cut
        if cut is None:
            self.profile.set_profile(NOTHING, NOTHING, NOTHING, (NOTHING, NOTHING))
            self.strip.note.set_text("Drag across the map to see the surface along that line.")
            return
        self.strip.note.set_text("")
        section = cut.section
        self.profile.set_profile(section.along, section.z, BAND * section.standard_error, cut.near)
        heights = np.concatenate([section.z, cut.near[1]])
        ends = np.array([0.0, float(section.along[-1])])
        known = heights[np.isfinite(heights)]
        if len(known):
            low, high = float(known.min()), float(known.max())
            if is_level(low, high):
                low, high = heights_of(answer.surface)
            self.strip.show_home(ends, np.array([low, high]))

    def _draw_relief(self, answer: Answer, view: SurfaceView, style: NumberStyle) -> None:
        # A section that is dragged changes nothing of the relief under it.
        cut = view.cut
        section = np.empty((0, 3)) if cut is None else _shares(answer, cut.section.x, cut.section.y, cut.section.z)
        self.relief.show_scene(replace(self._relief, section=section), style)


def ramp_of(answer: Answer) -> Ramp:
    """Return the colours of a surface."""
    return Ramp(*coloured_from(answer.surface, answer.recipe.clip), answer.recipe.parted_at)


def _relief_of(answer: Answer, view: SurfaceView, style: NumberStyle) -> Scene:
    """Return the relief of a surface without a section."""
    surface, recipe, sites = answer.surface, answer.recipe, answer.sites
    grid, ramp = surface.grid, ramp_of(answer)
    low, high = heights_of(surface)
    span, ends = high - low, ramp.span
    spans = np.array([np.ptp(grid.x), np.ptp(grid.y)])
    same = recipe.scaling == "alike" or (bool(sites.units[0]) and sites.units[0] == sites.units[1])
    sides = spans / spans.max() if same else np.ones(2)
    heights = (answer.heights - low) / span
    heights = np.where(np.isfinite(heights), heights, 0.0)
    dots = np.column_stack([_shares(answer, surface.x, surface.y, surface.z), (answer.at_sites - low) / span])
    return Scene(
        ReliefGround(heights, answer.inside, (float(max(sides[0], 0.15)), float(max(sides[1], 0.15)))),
        ramp,
        ((ends[0] - low) / span, (ends[1] - low) / span),
        dots,
        np.empty((0, 3)),
        (style.number(ends[0], 3), style.number(ends[1], 3), view.titles[2]),
        (view.titles[0], view.titles[1], view.titles[2]),
    )


def _shares(answer: Answer, x: Array, y: Array, z: Array) -> Array:
    """Return places (n,) as shares of the relief's box, (n, 3)."""
    grid = answer.surface.grid
    low, high = heights_of(answer.surface)
    return np.column_stack(
        [(x - grid.x[0]) / np.ptp(grid.x) - 0.5, (y - grid.y[0]) / np.ptp(grid.y) - 0.5, (z - low) / (high - low)]
    )
