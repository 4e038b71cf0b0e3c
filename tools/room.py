"""Measure the room that each page leaves for its plot, and find what is cut or outside the window.

For every page, window size and case one line: the height of the plot between its axes, its share of the stage, the
widgets whose text is cut, and those outside the window. `python tools/room.py`; the display of 3840×2160 is measured at
scale 2, in a process of its own. tests/app/test_room.py runs the worst of each.
"""

from __future__ import annotations

import os
import re
import subprocess
import sys
import time
from dataclasses import dataclass

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
from PySide6.QtCore import QPoint, QRect
from PySide6.QtWidgets import QApplication, QCheckBox, QLabel, QPushButton, QRadioButton, QWidget

from vettore.app.stage.plot import Plot
from vettore.app.style import dress
from vettore.app.widgets.parts import Elided
from vettore.app.window import Window
from vettore.demo.study import demo_study
from vettore.study import edits
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table

# A display of 3840×2160 at scale 2, as a window counts it.
LARGE, SCALED = ((1920, 1080),), "--scaled"
SIZES = ((1024, 700), (1280, 800), (1920, 1080))
PAGES = ("Data", "Fit", "Equations", "Interpolate", "Integrate", "Polynomial", "Surface", "Report")
LONG = "absorbance of the extract at the second sampling, corrected"


@dataclass(frozen=True)
class Room:
    """What was measured of a page."""

    page: str
    size: tuple[int, int]
    case: str
    plot: int
    share: float
    strip: int
    cut: tuple[str, ...]
    outside: tuple[str, ...]


def made(name: str, columns: tuple[str, str], x: np.ndarray, y: np.ndarray) -> Table:
    return Table((RawColumn(columns[0], "nm", x), RawColumn(columns[1], "mV", y)), Source(name))


def cases() -> dict[str, Study]:
    """The demo study, long names, forty series, twelve coefficients, tiny and huge numbers."""
    x = np.linspace(1.0, 10.0, 80)
    rng = np.random.default_rng(1)
    peaks = sum(h * np.exp(-(((x - m) / 0.5) ** 2)) for h, m in ((3, 2.0), (2, 4.0), (4, 6.0), (1.5, 8.0)))
    y = peaks + 1 + rng.normal(0, 0.02, len(x))
    long = edits.add_series(Study(title=LONG), made("long", (f"wavelength of the {LONG}"[:60], LONG), x, y), LONG)
    twelve = edits.add_series(Study(title="twelve"), made("twelve", ("x", "y"), x, y), "twelve coefficients")
    terms = " + ".join(f"h{i}*exp(-((x - m{i})/w{i})^2)" for i in range(1, 5))
    twelve = edits.add_formula(twelve, "s1", f"y = {terms}")
    starts = tuple((f"m{i}", m) for i, m in enumerate((2.0, 4.0, 6.0, 8.0), 1))
    starts += tuple((f"w{i}", 0.5) for i in range(1, 5))
    twelve = edits.change_fit(twelve, twelve.curves[0].changed(start=starts))
    small = edits.add_series(
        Study(title="tiny"), made("tiny", ("t", "current"), x * 1e-9, y * 2.333e-12), "tiny and huge"
    )
    forty = demo_study()
    for number in range(34):
        forty = edits.add_series(
            forty, made("many", ("x", "y"), x, y + number), f"Sample run with the probe {number:02d}"
        )
    return {
        "demo": demo_study(),
        "60 characters": edits.add_model(long, "s1", "two-peaks"),
        "40 series": forty,
        "12 coefficients": twelve,
        "tiny": edits.add_model(small, "s1", "gaussian-level"),
    }


def settle(app: QApplication, window: Window) -> None:
    quiet, end = 0, time.monotonic() + 60
    while quiet < 12 and time.monotonic() < end:
        app.processEvents()
        quiet = 0 if window.session.background.busy else quiet + 1
        time.sleep(0.004)


def shown(widget: QWidget) -> bool:
    """Whether any of a widget can be seen, in its scroll areas and in the window."""
    return widget.isVisible() and not widget.visibleRegion().isEmpty()


def words_of(text: str) -> list[str]:
    """The parts of a text between which a line may break."""
    return re.split(r"[ \n]|(?<=[-–—/])(?!\u2060)", text)


def cut_texts(window: Window) -> tuple[str, ...]:
    """Labels and buttons that are narrower or lower than their text, where nothing says that they give way."""
    found = [
        widget.text()[:40]
        for widget in [*window.findChildren(QCheckBox), *window.findChildren(QRadioButton)]
        if shown(widget) and widget.sizeHint().width() > widget.width()
    ]
    for widget in [*window.findChildren(QLabel), *window.findChildren(QPushButton)]:
        if not shown(widget) or isinstance(widget, Elided) or not widget.text():
            continue
        room, needed = widget.contentsRect(), widget.fontMetrics().size(0, widget.text())
        if isinstance(widget, QLabel) and widget.wordWrap():
            longest = max(
                (widget.fontMetrics().horizontalAdvance(word) for word in words_of(widget.text())), default=0
            )
            if widget.heightForWidth(widget.width()) > widget.height() + 2 or longest > room.width() + 2:
                found.append(widget.text()[:40])
        elif not (isinstance(widget, QLabel) and widget.pixmap()) and needed.width() > room.width() + 2:
            found.append(widget.text()[:40])
    return tuple(found)


def outside(window: Window) -> tuple[str, ...]:
    """Visible widgets that reach beyond the window's left, right or lower edge and are in no scroll area."""
    frame, found = QRect(0, 0, window.width(), window.height()), []
    for widget in window.findChildren(QWidget):
        if not shown(widget) or widget.isWindow():
            continue
        place = QRect(widget.mapTo(window, QPoint(0, 0)), widget.size())
        if not frame.contains(place) and frame.contains(widget.parentWidget().mapTo(window, QPoint(0, 0))):
            scrolled = any(parent.metaObject().className() == "Column" for parent in parents(widget))
            if not scrolled and "qt_" not in widget.objectName() and not in_scroll_area(widget, window):
                found.append(f"{type(widget).__name__} {widget.accessibleName()[:30]}".strip())
    return tuple(found)


def parents(widget: QWidget) -> list[QWidget]:
    out, parent = [], widget.parentWidget()
    while parent is not None:
        out.append(parent)
        parent = parent.parentWidget()
    return out


def in_scroll_area(widget: QWidget, window: Window) -> bool:
    """Whether a widget can be scrolled into view; the one around the whole window, for large texts, does not count."""
    whole = window.centralWidget()
    return any(parent.inherits("QAbstractScrollArea") and parent is not whole for parent in parents(widget))


def measured(window: Window, name: str, size: tuple[int, int], case: str) -> Room:
    """Measure the page that is shown."""
    page = window.pages[name]
    plots = [plot for plot in page.stage.findChildren(Plot) if plot.isVisible()]
    plot = max(plots, key=lambda one: one.height(), default=None)
    height = 0 if plot is None else int(plot.upper.vb.screenGeometry().height())
    share = 1.0 if plot is None else plot.height() / max(page.stage.height(), 1)
    strip = page.strip.height() if name == "Fit" else 0
    return Room(name, size, case, height, share, strip, cut_texts(window), outside(window))


def survey(app: QApplication, sizes: tuple[tuple[int, int], ...] = SIZES, only: tuple[str, ...] = ()) -> list[Room]:
    """Measure every page in every case at every size."""
    out = []
    for case, study in cases().items():
        if only and case not in only:
            continue
        for size in sizes:
            window = Window()
            window.resize(*size)
            window.show()
            window.start(study)
            if case != "demo":
                window.session.choose(study.series[-1].id)
            for name in PAGES:
                if name == "Surface" and case == "demo":
                    sites = next(series for series in study.series if "reed bed" in series.name)
                    window.session.choose(sites.id)
                window.show_page(name)
                settle(app, window)
                out.append(measured(window, name, size, case))
            window.session.background.stop()
            window.hide()
            window.deleteLater()
    return out


def main() -> None:
    large = SCALED in sys.argv
    app = QApplication([])
    dress(app)
    for room in survey(app, LARGE if large else SIZES):
        size = "3840x2160" if large else f"{room.size[0]}x{room.size[1]}"
        line = f"{room.page:11} {size:9} {room.case:16}"
        print(f"{line} plot {room.plot:4} px, {room.share:4.0%} of the stage, strip {room.strip:3}", end="")
        print(f"  cut: {room.cut}" if room.cut else "", f"  outside: {room.outside}" if room.outside else "")
    sys.stdout.flush()
    if not large:
        subprocess.run([sys.executable, __file__, SCALED], env={**os.environ, "QT_SCALE_FACTOR": "2"}, check=True)
    os._exit(0)


if __name__ == "__main__":
    main()
