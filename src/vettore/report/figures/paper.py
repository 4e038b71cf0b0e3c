"""Drawing on paper with Matplotlib: sheets, the look of axes and their figures; SVG, PDF, PNG or TIFF."""

from __future__ import annotations

import io
import math
import threading
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cache
from typing import Any, Literal

import numpy as np

from vettore.core.rounding import NumberStyle
from vettore.look.theme import FONT_FILES, FONT_FOLDER, PAPER, SANS, SERIF
from vettore.report.figures.lean import lean
from vettore.words.axes import axis_figures, axis_title

Kind = Literal["svg", "pdf", "png", "tiff"]
# What a file is not to say of when and by what it was made, so that the same report is the same file.
UNSAID: dict[Kind, tuple[str, ...]] = {
    "svg": ("Date", "Creator", "Format", "Type"),
    "pdf": ("CreationDate", "Creator", "Producer"),
    "png": ("Software",),
    "tiff": (),
}
DPI = 300
WIDTH_MM = 160.0
# More discs than this are drawn as a picture inside the figure, or the file would grow without bound.
MOST_VECTOR_POINTS = 5000
MM = 1 / 25.4

# Figures of a logarithmic axis between these are written plain.
PLAIN_FROM, PLAIN_TO = 1e-3, 1e4

# Matplotlib's drawing state is global, so only one figure is drawn at a time.
_lock = threading.Lock()


@cache
def _matplotlib() -> Any:
    import matplotlib.figure
    from matplotlib import font_manager

    for name in FONT_FILES:
        font_manager.fontManager.addfont(FONT_FOLDER / name)
    return matplotlib


def make_ready() -> None:
    """Load what drawing needs."""
    _matplotlib()


@dataclass(frozen=True)
class Sheet:
    """What a figure is drawn on: its size in millimetres, the size of type in points, and the typeface.

    ``letters`` keeps texts in an SVG as texts, for those who go on working with it; else they are outlines that look alike
    everywhere.
    """

    width: float = WIDTH_MM
    height: float = 104.0
    type_size: float = 8.5
    serif: bool = False
    letters: bool = False
    dpi: float = DPI


def drawn(draw: Callable[[Any], object], sheet: Sheet, kind: Kind) -> bytes:
    """Return what a function draws on a sheet: as shapes, or as a picture."""
    with _lock:
        mpl = _matplotlib()
        from matplotlib.backends.backend_svg import FigureCanvasSVG

        settings = {
            "font.family": SERIF if sheet.serif else SANS,
            "font.size": sheet.type_size,
            "svg.fonttype": "none" if sheet.letters else "path",
            "svg.hashsalt": "vettore",
            "pdf.fonttype": 42,
            # Names are text: a $ in them begins no mathematics.
            "text.parse_math": False,
            "text.color": PAPER.ink,
            "axes.edgecolor": PAPER.ink,
            "axes.labelcolor": PAPER.ink,
            "xtick.color": PAPER.muted,
            "ytick.color": PAPER.muted,
            "axes.linewidth": 0.8,
            "axes.unicode_minus": True,
        }
        with mpl.rc_context(settings):
            size = (sheet.width * MM, sheet.height * MM)
            figure = mpl.figure.Figure(figsize=size, dpi=sheet.dpi)
            draw(figure)
            out = io.BytesIO()
            unsaid = dict.fromkeys(UNSAID[kind]) or None
            if kind == "svg":
                # Written at once: saving would first draw it once more, to see that it can be.
                FigureCanvasSVG(figure).print_svg(out, metadata=unsaid)  # type: ignore[no-untyped-call]
            else:
                figure.savefig(out, format=kind, dpi=sheet.dpi, metadata=unsaid)
    if kind != "svg":
        return out.getvalue()
    # Without its comments, which repeat the words that are drawn.
    return lean(out.getvalue().decode("utf-8")).encode("utf-8")


def dress_axes(axes: Any, style: NumberStyle, grid: bool = True) -> None:
    """Give axes the look of the house and its figures."""
    if grid:
        axes.grid(color=PAPER.grid, linewidth=0.7)
    axes.set_axisbelow(True)
    axes.spines[["top", "right"]].set_visible(False)
    for axis in (axes.xaxis, axes.yaxis):
        if axis.get_scale() == "log":
            _write_powers(axis, style)
        else:
            _write_figures(axis, style)


def _write_figures(axis: Any, style: NumberStyle) -> None:
    """Write the figures of an axis as on screen, with a power of ten at its title and not at every figure."""
    places = [place for place in axis.get_majorticklocs() if np.isfinite(place)]
    spacing = float(np.min(np.diff(places))) if len(places) > 1 else 1.0
    low, high = axis.get_view_interval()
    texts, factor = axis_figures([*places], spacing, (low, high), style)
    axis.set_ticks(places, texts)
    axis.axes.set(**{f"{axis.axis_name}lim": (low, high)})
    if axis.get_label_text():
        axis.set_label_text(axis_title(axis.get_label_text(), factor))


def _write_powers(axis: Any, style: NumberStyle) -> None:
    """Write the figures of a logarithmic axis: those between 0.001 and 10 000 plain, others as powers of ten."""
    low, high = sorted(axis.get_view_interval())
    decades = math.log10(high / low)
    parts = (1, 2, 5) if decades < 2 else (1,)
    powers = range(math.floor(math.log10(low)), math.ceil(math.log10(high)) + 1)
    every = max(1, round(decades / 7))
    places = [part * 10.0**power for power in powers if power % every == 0 for part in parts]
    places = [place for place in places if low * (1 - 1e-9) <= place <= high * (1 + 1e-9)]
    axis.set_ticks(places, [_decade(place, style) for place in places])
    small = [part * 10.0**power for power in powers for part in range(2, 10) if decades < 7]
    axis.set_ticks([place for place in small if low <= place <= high], minor=True)
    axis.set_tick_params(which="minor", labelbottom=False, labelleft=False)
    axis.axes.set(**{f"{axis.axis_name}lim": (low, high)})


def _decade(place: float, style: NumberStyle) -> str:
    return style.short(place, 3) if PLAIN_FROM <= place <= PLAIN_TO else style.number(place, 1).removeprefix("1·")


def _length_and_room(axis: Any) -> tuple[float, float]:
    frame, label = axis.axes.get_window_extent(), axis.label.get_window_extent()
    return (label.width, frame.width) if axis.axis_name == "x" else (label.height, frame.height)


# Points left at the edges of a sheet, and between plots that stand under each other.
EDGE_POINTS, BETWEEN_POINTS = 3.0, 6.0
# Words leave a plot at least this of a sheet.
LEAST_SHARE = 0.1


def fit_titles(figure: Any, axes: Sequence[Any], lay_out: Callable[[], None] | None = None) -> None:
    """Lay the figure out, and break the unit off what is longer than its axis, or else shorten it in the middle."""
    if lay_out is None:
        figure.set_layout_engine("constrained")
        engine = figure.get_layout_engine()
        lay_out = lambda: engine.execute(figure)  # noqa: E731
    lay_out()
    whole = {axis: (axis.get_label_text(), *_length_and_room(axis)) for axis in axes}
    long = [axis for axis, (_, length, room) in whole.items() if length > room > 0]
    broken = [axis for axis in long if " (" in whole[axis][0]]
    for axis in broken:
        axis.set_label_text("\n(".join(whole[axis][0].rsplit(" (", 1)))
    if broken:
        lay_out()
    still = [axis for axis in broken if _length_and_room(axis)[0] > _length_and_room(axis)[1]]
    for axis in (axis for axis in long if axis not in broken or axis in still):
        text, length, room = whole[axis]
        axis.set_label_text(without_middle(text, int(len(text) * room / length)))
    if still:
        lay_out()
    # All has its place: drawing does not lay it out again.
    figure.set_layout_engine("none")


def without_middle(text: str, room: int) -> str:
    """Return a text of about so many letters, its middle left out."""
    kept = max(room - 3, 6)
    return f"{text[: kept // 2].rstrip()} … {text[len(text) - kept + kept // 2 :].lstrip()}"


def lay_in_rows(figure: Any, rows: Sequence[Sequence[Any]], shares: Sequence[float]) -> None:
    """Give plots in rows all the room that their words and figures leave; rows have ``shares`` of its height.

    Once: what surrounds a plot does not change with its size, since its figures are chosen already.
    """
    renderer, point = figure._get_renderer(), figure.dpi / 72
    around = []
    for row in rows:
        told = []
        for axes in row:
            frame, whole = axes.get_window_extent(renderer), axes.get_tightbbox(renderer, for_layout_only=True)
            told.append((frame.x0 - whole.x0, whole.x1 - frame.x1, whole.y1 - frame.y1, frame.y0 - whole.y0))
        around.append(told)
    edge, between = EDGE_POINTS * point, BETWEEN_POINTS * point
    width, height = figure.bbox.width, figure.bbox.height
    columns = range(max(len(row) for row in rows))
    left = [max(told[place][0] for told in around if place < len(told)) for place in columns]
    right = [max(told[place][1] for told in around if place < len(told)) for place in columns]
    above, below = ([max(one[side] for one in told) for told in around] for side in (2, 3))
    wide = (width - 2 * edge - sum(left) - sum(right) - between * (len(left) - 1)) / len(left)
    title = figure._suptitle
    over_all = 0.0 if title is None else title.get_window_extent(renderer).height + between
    high = height - 2 * edge - over_all - sum(above) - sum(below) - between * (len(rows) - 1)
    wide, high = max(wide, LEAST_SHARE * width), max(high, LEAST_SHARE * height)
    top = height - edge - over_all
    for row, share, over, under in zip(rows, shares, above, below, strict=True):
        tall = high * share / sum(shares)
        top -= over + tall
        start = edge
        for axes, before, after in zip(row, left, right, strict=False):
            start += before
            axes.set_position((start / width, top / height, wide / width, tall / height))
            start += wide + after + between
        top -= under + between
