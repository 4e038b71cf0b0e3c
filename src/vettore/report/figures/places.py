"""Where the parts of a drawn figure stand, so that hands on the picture change the very figure that is printed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

# How the letter of a panel and the flags of numbers are known among the texts of the plot.
PANEL, FLAG = "panel", "flag"
# The strip beside an axis that stands for it, as a share of the figure.
EDGE = 0.05


@dataclass(frozen=True)
class Place:
    """Where something stands on a figure, in shares of its width and height from the upper left: x, y, width, height."""

    what: str
    x: float
    y: float
    width: float
    height: float


@dataclass(frozen=True)
class Plotted:
    """The plot's own scales: where it stands, its limits, and by which scale each of its axes runs."""

    frame: Place
    x_limits: tuple[float, float]
    y_limits: tuple[float, float]
    x_scale: str = "linear"
    y_scale: str = "linear"

    def data_at(self, x: float, y: float) -> tuple[float, float]:
        """Return the data at a place of the figure, given in shares of its sides from the upper left."""
        across, up = self.share_at(x, y)
        return _between(self.x_limits, across, self.x_scale), _between(self.y_limits, up, self.y_scale)

    def share_at(self, x: float, y: float) -> tuple[float, float]:
        """Return the share of the plot, from its lower left, at a place of the figure."""
        return (x - self.frame.x) / self.frame.width, 1 - (y - self.frame.y) / self.frame.height


def _between(limits: tuple[float, float], share: float, scale: str) -> float:
    low, high = limits
    if scale == "log":
        return float(low * (high / low) ** share)
    if scale == "reciprocal":
        return 1 / ((1 - share) / low + share / high)
    return low + share * (high - low)


def places_on(
    figure: Any, axes: Any, scales: tuple[str, str], many: bool = False
) -> tuple[tuple[Place, ...], Plotted]:
    """Return where title, words of the axes, legend, notes and figures stand on a laid-out figure, and its scales.

    Of ``many`` plots they are those of the one given, and the title is that over all.
    """
    from matplotlib.text import Text

    width, height = figure.bbox.width, figure.bbox.height

    def place(what: str, box: Any) -> Place:
        sides = box.x0 / width, 1 - box.y1 / height, box.width / width, box.height / height
        return Place(what, *map(float, sides))

    places = [] if many else _movable(axes, place, Text)
    frame = place("plot", axes.get_window_extent())
    title = figure._suptitle if many else axes._left_title
    if title is not None and title.get_text():
        places.append(place("title", title.get_window_extent()))
    else:
        # Where a title would begin.
        places.append(Place("title", frame.x, 0.0, frame.width, max(frame.y, EDGE)))
    with_words = [axes] if many else [axis for axis in figure.axes if axis.xaxis.get_label_text()]
    lowest = with_words[-1] if with_words else axes
    places.append(place("x title", lowest.xaxis.label.get_window_extent()))
    places.append(place("y title", axes.yaxis.label.get_window_extent()))
    below = lowest.get_window_extent()
    places.append(Place("x axis", frame.x, 1 - float(below.y0) / height, frame.width, EDGE))
    places.append(Place("y axis", frame.x - EDGE, frame.y, EDGE, frame.height))
    (x_low, x_high), (y_low, y_high) = axes.get_xlim(), axes.get_ylim()
    return tuple(places), Plotted(frame, (float(x_low), float(x_high)), (float(y_low), float(y_high)), *scales)


def _movable(axes: Any, place: Any, text: Any) -> list[Place]:
    """Return where notes, legend and inset stand."""
    notes = [child for child in axes.texts if child.get_gid() not in (PANEL, FLAG)]
    items = [place(f"note {number}", text.get_window_extent(note)) for number, note in enumerate(notes)]
    if axes.get_legend() is not None:
        items.append(place("legend", axes.get_legend().get_window_extent()))
    items += [place("inset", inset.get_window_extent()) for inset in axes.child_axes if inset.get_gid() == "inset"]
    return items
