"""Drawing on paper with Matplotlib: sheets, the look of axes and their figures; SVG, PDF, PNG or TIFF."""

from __future__ import annotations

import io
import math
import threading
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from typing import Any, Literal, TypeVar

import numpy as np

from vettore.core.rounding import NumberStyle
from vettore.look.theme import PAPER, SANS, SERIF
from vettore.report.figures.layout import room_along
from vettore.report.figures.lean import lean
from vettore.report.figures.typefaces import families, find_others, lacking, matplotlib
from vettore.words.axes import axis_figures, axis_title

Kind = Literal["svg", "pdf", "png", "tiff"]
Paper = TypeVar("Paper")
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
# A figure that misses the end of its axis by this share of their distance stands on it.
ON_EDGE = 1e-6
# Figures of a reciprocal axis stand at least this share of it apart, and so many points.
LEAST_AWAY, LEAST_POINTS = 0.1, 24.0

# Matplotlib's drawing state is global, so only one figure is drawn at a time.
_lock = threading.Lock()


@cache
def _pdf_canvas() -> Any:
    from fontTools.subset import Options
    from matplotlib.backends.backend_pdf import FigureCanvasPdf

    # Words in a PDF are glyphs at places: what arranges letters is of no use there, and takes longest to cut down.
    Options._drop_tables_default = [*Options._drop_tables_default, "GSUB", "GPOS", "GDEF"]
    return FigureCanvasPdf


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


def drawn(
    draw: Callable[[Any], Paper],
    sheet: Sheet,
    kind: Kind,
    then: Callable[[Any, Paper], object] = lambda figure, paper: None,
) -> bytes:
    """Return what a function draws on a sheet: as shapes, or as a picture.

    ``then`` is given the figure when it is drawn, and what ``draw`` returned.

    Both are called again where letters are lacking that another typeface of this machine has.
    """
    with _lock:
        with lacking() as letters:
            data = _drawn_once(draw, sheet, kind, then)
        if letters and find_others(letters):
            with lacking():
                data = _drawn_once(draw, sheet, kind, then)
    # Without its comments, which repeat the words that are drawn.
    return lean(data.decode("utf-8")).encode("utf-8") if kind == "svg" else data


def _drawn_once(
    draw: Callable[[Any], Paper], sheet: Sheet, kind: Kind, then: Callable[[Any, Paper], object]
) -> bytes:
    mpl = matplotlib()
    settings = {
        "font.family": families(SERIF if sheet.serif else SANS),
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
        # Titles stand at the upper edge; nothing is drawn there that they would have to be moved for.
        "axes.titley": 1.0,
    }
    with mpl.rc_context(settings):
        size = (sheet.width * MM, sheet.height * MM)
        figure = mpl.figure.Figure(figsize=size, dpi=sheet.dpi)
        paper = draw(figure)
        out = io.BytesIO()
        unsaid = dict.fromkeys(UNSAID[kind]) or None
        # Written at once where it can be: saving would first draw it once more, to see that it can be.
        if kind == "svg":
            from matplotlib.backends.backend_svg import FigureCanvasSVG

            FigureCanvasSVG(figure).print_svg(out, metadata=unsaid)  # type: ignore[no-untyped-call]
        elif kind == "pdf":
            _pdf_canvas()(figure).print_pdf(out, metadata=unsaid)
        else:
            figure.savefig(out, format=kind, dpi=sheet.dpi, metadata=unsaid)
        then(figure, paper)
    return out.getvalue()


def dress_axes(axes: Any, style: NumberStyle, grid: bool = True) -> None:
    """Give axes the look of the house and its figures."""
    if grid:
        axes.grid(color=PAPER.grid, linewidth=0.7)
    axes.set_axisbelow(True)
    axes.spines[["top", "right"]].set_visible(False)
    for axis in (axes.xaxis, axes.yaxis):
        if axis.get_scale() == "log":
            _write_powers(axis, style)
        elif axis.get_scale() == "function":
            _write_reciprocals(axis, style)
        else:
            _write_figures(axis, style)


def _write_figures(axis: Any, style: NumberStyle) -> None:
    """Write the figures of an axis as on screen, with a power of ten at its title and not at every figure."""
    low, high = axis.get_view_interval()
    known = [place for place in axis.get_majorticklocs() if np.isfinite(place)]
    spacing = float(np.min(np.diff(known))) if len(known) > 1 else 1.0
    places = [place for place in known if low - ON_EDGE * spacing <= place <= high + ON_EDGE * spacing]
    texts, factor = axis_figures([*places], spacing, (low, high), style)
    axis.set_ticks(places, texts)
    axis.axes.set(**{f"{axis.axis_name}lim": (low, high)})
    if axis.get_label_text():
        axis.set_label_text(axis_title(axis.get_label_text(), factor))


def _write_powers(axis: Any, style: NumberStyle) -> None:
    """Write the figures of a logarithmic axis: those between 0.001 and 10 000 plain, others as powers of ten."""
    low, high = sorted(axis.get_view_interval())
    decades, powers = math.log10(high / low), _powers_over(low, high)
    parts = (1, 2, 5) if decades < 2 else (1,)
    every = max(1, round(decades / 7))
    places = [part * 10.0**power for power in powers if power % every == 0 for part in parts]
    places = [place for place in places if low * (1 - 1e-9) <= place <= high * (1 + 1e-9)]
    axis.set_ticks(places, [_decade(place, style) for place in places])
    small = [part * 10.0**power for power in powers for part in range(2, 10) if decades < 7]
    axis.set_ticks([place for place in small if low <= place <= high], minor=True)
    axis.set_tick_params(which="minor", labelbottom=False, labelleft=False)
    axis.axes.set(**{f"{axis.axis_name}lim": (low, high)})


def _write_reciprocals(axis: Any, style: NumberStyle) -> None:
    """Write the figures of a reciprocal axis: 1, 2 and 5 of each decade, where they do not crowd towards its high end."""
    low, high = sorted(axis.get_view_interval())
    least = max(LEAST_AWAY, LEAST_POINTS / (room_along(axis) / axis.axes.figure.dpi * 72))
    places: list[float] = []
    for place in (part * 10.0**power for power in _powers_over(low, high) for part in (1, 2, 5)):
        away = (1 / places[-1] - 1 / place) / (1 / low - 1 / high) if places else 1.0
        if low <= place <= high and away >= least:
            places.append(place)
    axis.set_ticks(places, [_decade(place, style) for place in places])
    axis.axes.set(**{f"{axis.axis_name}lim": (low, high)})


def _powers_over(low: float, high: float) -> range:
    """Return the powers of ten of all decades between two numbers."""
    return range(math.floor(math.log10(low)), math.ceil(math.log10(high)) + 1)


def _decade(place: float, style: NumberStyle) -> str:
    return style.short(place, 3) if PLAIN_FROM <= place <= PLAIN_TO else style.number(place, 1).removeprefix("1·")
