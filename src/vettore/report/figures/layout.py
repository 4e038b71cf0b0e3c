"""Where plots stand on a sheet: they have all the room that their words and figures leave."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import Any, Protocol

# Points left at the edges of a sheet, and between plots that stand under each other.
EDGE_POINTS, BETWEEN_POINTS = 3.0, 6.0
# Words leave a plot at least this of a sheet.
LEAST_SHARE = 0.1
# What is left of words that are too long.
FEWEST_LETTERS = 9
# Times that a layout is bettered, and dots that are no difference.
MOST_TIMES, NEARLY = 4, 0.5


class Layout(Protocol):
    """A way to give plots their places."""

    def place(self) -> None:
        """Give every plot its place."""

    def grew(self, axis: Any, by: float) -> None:
        """Note that the words of an axis take so many dots more, away from its plot."""


class InRows:
    """Plots in rows of a sheet; rows have ``shares`` of its height.

    What surrounds a plot is measured once: it does not change with the plot's size, since its figures are chosen already. Only
    how far the first and the last figure reach beyond the plot does: near its end, they do the more the narrower it is.
    """

    def __init__(self, figure: Any, rows: Sequence[Sequence[Any]], shares: Sequence[float]) -> None:
        self._figure, self._rows, self._shares = figure, rows, shares
        renderer = figure._get_renderer()
        # Dots on the left and the right of each plot, above and below it.
        self._around = {axes: _around(axes, renderer) for row in rows for axes in row}
        for axes in self._around:
            _hold_words(axes)

    def place(self) -> None:
        """Give every plot its place."""
        left, right = ([max(values) for values in self._across(side)] for side in (0, 1))
        for _ in range(MOST_TIMES):
            self._set(left, right)
            # A plot of this width may have other figures than before.
            renderer = self._figure._get_renderer()
            beyond = [[self._beyond(axes, renderer) for axes in row] for row in self._rows]
            need = [
                [
                    max((pairs[place][side] for pairs in beyond if place < len(pairs)), default=0.0)
                    for place in range(len(left))
                ]
                for side in (0, 1)
            ]
            if all(
                value <= has + NEARLY
                for pair in zip(need, (left, right), strict=True)
                for value, has in zip(*pair, strict=True)
            ):
                break
            left, right = (
                [max(pair) for pair in zip(has, numbers, strict=True)]
                for has, numbers in zip((left, right), need, strict=True)
            )

    def _across(self, side: int) -> list[list[float]]:
        """Return, for each column, what its plots have on a side."""
        columns = range(max(len(row) for row in self._rows))
        return [[self._around[row[place]][side] for row in self._rows if place < len(row)] for place in columns]

    @staticmethod
    def _beyond(axes: Any, renderer: Any) -> tuple[float, float]:
        """Return how far the figures of the axis of x reach beyond the plot, to the left and to the right."""
        frame = axes.get_window_extent(renderer)
        labels = [label for label in axes.get_xticklabels(which="both") if label.get_visible() and label.get_text()]
        boxes = [label.get_window_extent(renderer) for label in labels]
        # Figures of places outside the plot are not drawn.
        drawn = [box for box in boxes if frame.x0 - NEARLY <= (box.x0 + box.x1) / 2 <= frame.x1 + NEARLY]
        if not drawn:
            return 0.0, 0.0
        return frame.x0 - min(box.x0 for box in drawn), max(box.x1 for box in drawn) - frame.x1

    def _set(self, left: list[float], right: list[float]) -> None:
        """Give every plot its place beside so much on the left and the right of each column."""
        point = self._figure.dpi / 72
        edge, between = EDGE_POINTS * point, BETWEEN_POINTS * point
        width, height = self._figure.bbox.width, self._figure.bbox.height
        around = [[self._around[axes] for axes in row] for row in self._rows]
        above, below = ([max(values[side] for values in numbers) for numbers in around] for side in (2, 3))
        title = self._figure._suptitle
        over_all = 0.0 if title is None else title.get_window_extent().height + between
        wide = (width - 2 * edge - sum(left) - sum(right) - between * (len(left) - 1)) / len(left)
        high = height - 2 * edge - over_all - sum(above) - sum(below) - between * (len(self._rows) - 1)
        wide, high = max(wide, LEAST_SHARE * width), max(high, LEAST_SHARE * height)
        top = height - edge - over_all
        for row, share, over, under in zip(self._rows, self._shares, above, below, strict=True):
            tall = high * share / sum(self._shares)
            top -= over + tall
            start = edge
            for axes, before, after in zip(row, left, right, strict=False):
                start += before
                axes.set_position((start / width, top / height, wide / width, tall / height))
                start += wide + after + between
            top -= under + between

    def grew(self, axis: Any, by: float) -> None:
        """Note that the words of an axis take so many dots more, away from its plot."""
        self._around[axis.axes][3 if axis.axis_name == "x" else 0] += by


class Constrained:
    """The places that Matplotlib finds, for plots that are not in rows."""

    def __init__(self, figure: Any) -> None:
        figure.set_layout_engine("constrained")
        self._figure = figure

    def place(self) -> None:
        """Give every plot its place."""
        self._figure.get_layout_engine().execute(self._figure)

    def grew(self, axis: Any, by: float) -> None:
        """All is measured again at every placing."""


def _around(axes: Any, renderer: Any) -> list[float]:
    frame, whole = axes.get_window_extent(renderer), axes.get_tightbbox(renderer, for_layout_only=True)
    return [frame.x0 - whole.x0, whole.x1 - frame.x1, whole.y1 - frame.y1, frame.y0 - whole.y0]


def _hold_words(axes: Any) -> None:
    """Have the words of both axes at the distance from the plot that was measured, or drawing would measure it again."""
    from matplotlib.transforms import ScaledTranslation

    frame, inch = axes.get_window_extent(), axes.figure.dpi_scale_trans
    dpi = axes.figure.dpi
    if axes.get_xlabel():
        away = (axes.xaxis.label.get_position()[1] - frame.y0) / dpi
        axes.xaxis.set_label_coords(0.5, 0.0, axes.transAxes + ScaledTranslation(0, away, inch))
    if axes.get_ylabel():
        away = (axes.yaxis.label.get_position()[0] - frame.x0) / dpi
        axes.yaxis.set_label_coords(0.0, 0.5, axes.transAxes + ScaledTranslation(away, 0, inch))


def fit_titles(figure: Any, axes: Sequence[Any], layout: Layout) -> None:
    """Lay the figure out, and break the unit off what is longer than its axis, or else shorten it in the middle."""
    layout.place()
    whole = {axis: (axis.get_label_text(), *_length_and_room(axis)) for axis in axes}
    long = [axis for axis, (_, length, room) in whole.items() if length > room > 0]
    broken = [axis for axis in long if " (" in whole[axis][0]]
    for axis in broken:
        _write(axis, "\n(".join(whole[axis][0].rsplit(" (", 1)), layout)
    if broken:
        layout.place()
    still = [axis for axis in broken if _length_and_room(axis)[0] > _length_and_room(axis)[1]]
    for axis in (axis for axis in long if axis not in broken or axis in still):
        shorten(*whole[axis], partial(_write, axis, layout=layout))
    if still:
        layout.place()
    # All has its place: drawing does not lay it out again.
    figure.set_layout_engine("none")


def shorten(text: str, length: float, room: float, write: Callable[[str], float]) -> None:
    """Leave out so much of the middle of a text that it has room; ``write`` puts it there and returns its length."""
    letters = len(text)
    # Again where the letters that are left are wider than those that went.
    while length > room and letters > FEWEST_LETTERS:
        letters = min(letters - 1, int(letters * room / length))
        length = write(without_middle(text, letters))


def _write(axis: Any, text: str, layout: Layout) -> float:
    """Give an axis other words and return their length."""
    thick = _thickness(axis)
    axis.set_label_text(text)
    layout.grew(axis, _thickness(axis) - thick)
    return _length_and_room(axis)[0]


def _thickness(axis: Any) -> float:
    label = axis.label.get_window_extent()
    return float(label.height if axis.axis_name == "x" else label.width)


def _length_and_room(axis: Any) -> tuple[float, float]:
    label = axis.label.get_window_extent()
    return (label.width if axis.axis_name == "x" else label.height), room_along(axis)


def room_along(axis: Any) -> float:
    """Return how long an axis is, in dots."""
    frame = axis.axes.get_window_extent()
    return float(frame.width if axis.axis_name == "x" else frame.height)


def without_middle(text: str, room: int) -> str:
    """Return a text of about so many letters, its middle left out."""
    kept = max(room, FEWEST_LETTERS) - 3
    return f"{text[: kept // 2].rstrip()} … {text[len(text) - kept + kept // 2 :].lstrip()}"
