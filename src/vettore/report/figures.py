"""Figures on paper, drawn with Matplotlib: SVG with the text as outlines, PDF, or PNG."""

from __future__ import annotations

import io
import re
import threading
from collections.abc import Callable, Sequence
from functools import cache
from typing import Any, Literal

import numpy as np

from vettore.core.rounding import NumberStyle
from vettore.look.theme import FONT_FILES, FONT_FOLDER, PAPER, SANS
from vettore.study.fits import DerivedFit, response_of
from vettore.study.series import Role
from vettore.words.axes import axis_figures, axis_title

Kind = Literal["svg", "pdf", "png"]
# What a file is not to say of when and by what it was made, so that the same report is the same file.
UNSAID: dict[Kind, tuple[str, ...]] = {
    "svg": ("Date", "Creator", "Format", "Type"),
    "pdf": ("CreationDate", "Creator", "Producer"),
    "png": ("Software",),
}
DPI = 300
WIDTH_MM = 160.0
MM = 1 / 25.4
CURVE_POINTS = 400
# More discs than this are drawn as a picture inside the figure, or the file would grow without bound.
MOST_VECTOR_POINTS = 5000

# Matplotlib's drawing state is global, so only one figure is drawn at a time.
_lock = threading.Lock()


@cache
def _matplotlib() -> Any:
    import matplotlib.figure
    from matplotlib import font_manager

    for name in FONT_FILES:
        font_manager.fontManager.addfont(FONT_FOLDER / name)
    return matplotlib


def fit_figure(fit: DerivedFit, style: NumberStyle, kind: Kind = "svg") -> bytes:
    """Return a figure of data, curve and band over the residuals, on one x scale."""

    def draw(figure: Any) -> None:
        above, below = figure.subplots(2, 1, sharex=True, height_ratios=[3.2, 1])
        _draw_data(above, fit)
        _draw_curve(above, fit)
        above.set_ylabel(response_of(fit.series, fit.recipe)[1])
        _draw_residuals(below, fit)
        for axes in (above, below):
            dress_axes(axes, style)
        above.tick_params(axis="x", length=0)
        figure.align_ylabels([above, below])
        fit_titles(figure, (above.yaxis, below.yaxis, below.xaxis))

    return drawn(draw, 104, kind)


def drawn(draw: Callable[[Any], None], height_mm: float, kind: Kind) -> bytes:
    """Return what a function draws on a figure of the house's width and typeface: as shapes, or as a picture (PNG)."""
    with _lock:
        mpl = _matplotlib()
        settings = {
            "font.family": SANS,
            "font.size": 8.5,
            "svg.fonttype": "path",
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
            figure = mpl.figure.Figure(figsize=(WIDTH_MM * MM, height_mm * MM), layout="constrained")
            draw(figure)
            out = io.BytesIO()
            figure.savefig(out, format=kind, dpi=DPI, metadata=dict.fromkeys(UNSAID[kind]))
    if kind != "svg":
        return out.getvalue()
    text = out.getvalue().decode("utf-8")
    # Comments repeat the words that are drawn.
    return re.sub(r"<!--.*?-->", "", text[text.index("<svg") :], flags=re.DOTALL).encode("utf-8")


def _draw_data(axes: Any, fit: DerivedFit) -> None:
    series = fit.series
    x, y = series.values(Role.X), fit.response
    assert x is not None
    aside = series.measured & ~series.kept
    many = len(fit.rows) > MOST_VECTOR_POINTS
    # Those of the left side: of ln(y), not of y, where that was fitted.
    sigma = fit.result.sigma
    if sigma is not None and fit.recipe.use_errors:
        axes.errorbar(x[fit.rows], y[fit.rows], sigma, fmt="none", ecolor=PAPER.muted, elinewidth=0.7, zorder=2)
    marks = {"s": 4 if many else 24, "zorder": 3, "rasterized": many, "edgecolors": PAPER.plot_ground}
    axes.scatter(x[fit.rows], y[fit.rows], color=PAPER.data, linewidths=0 if many else 0.5, **marks)
    if aside.any():
        axes.scatter(x[aside], y[aside], s=20, facecolors="none", edgecolors=PAPER.muted, linewidths=0.9, zorder=3)


def _draw_curve(axes: Any, fit: DerivedFit) -> None:
    curve = fit.curve
    if curve is None:
        axes.scatter(fit.x, fit.result.fitted, s=16, marker="_", color=PAPER.fit, zorder=4)
        return
    low, high = curve.span
    x = np.linspace(low, high, CURVE_POINTS)
    bottom, top = curve.band(x, fit.result.level)
    if np.isfinite(bottom).all():
        axes.fill_between(x, bottom, top, color=PAPER.fit, alpha=0.16, linewidth=0, zorder=1)
    axes.plot(x, curve(x), color=PAPER.fit, linewidth=1.5, zorder=4)


def _draw_residuals(axes: Any, fit: DerivedFit) -> None:
    many = len(fit.rows) > MOST_VECTOR_POINTS
    axes.axhline(0, color=PAPER.fit, linewidth=1)
    if not many:
        axes.vlines(fit.x, 0, fit.result.residuals, color=PAPER.muted, linewidth=0.6)
    axes.scatter(fit.x, fit.result.residuals, s=3 if many else 9, color=PAPER.data, zorder=3, rasterized=many)
    reach = float(np.max(np.abs(fit.result.residuals))) * 1.15 or 1.0
    axes.set_ylim(-reach, reach)
    axes.set_ylabel("Residual")
    axes.set_xlabel(fit.series.label(Role.X))


def dress_axes(axes: Any, style: NumberStyle) -> None:
    """Give axes the look of the house and its figures."""
    axes.grid(color=PAPER.grid, linewidth=0.7)
    axes.set_axisbelow(True)
    axes.spines[["top", "right"]].set_visible(False)
    for axis in (axes.xaxis, axes.yaxis):
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


def fit_titles(figure: Any, axes: Sequence[Any]) -> None:
    """Shorten in the middle what is longer than its axis."""
    figure.draw_without_rendering()
    for axis in axes:
        text, frame = axis.get_label_text(), axis.axes.get_window_extent()
        drawn = axis.label.get_window_extent()
        across = axis.axis_name == "x"
        length, room = (drawn.width, frame.width) if across else (drawn.height, frame.height)
        if length > room > 0:
            kept = max(int(len(text) * room / length) - 3, 6)
            axis.set_label_text(f"{text[: kept // 2].rstrip()} … {text[len(text) - kept + kept // 2 :].lstrip()}")
