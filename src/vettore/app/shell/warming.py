"""What the first fit and the other pages need is loaded while the user looks at the data.

What knows no Qt is loaded on another thread. What does is loaded on the window's own, a module at a time: Qt's classes are
prepared when they are first named, and two threads that prepare some at once may wait for each other without end.
"""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Iterator

from PySide6.QtCore import QTimer

from vettore import app
from vettore.app.work import Background

# Milliseconds after the window was made, when a file asked for has come in; and between modules of the window.
WARM_AFTER, BETWEEN = 1500, 60
# What the pages stand on, without Qt: with it loaded, a module of theirs takes some milliseconds.
WITHOUT_QT = (
    "scipy.special",
    "scipy.linalg",
    "vettore.core.fitting.search.nonlinear",
    "vettore.core.fitting.linear.polynomial",
    "vettore.core.fitting.after.check_pictures",
    "vettore.core.fitting.after.checks",
    "vettore.core.fitting.after.intervals",
    "vettore.core.integration.peaks",
    "vettore.core.integration.settling",
    "vettore.core.integration.waves",
    "vettore.core.polynomials.words",
    "vettore.core.surface.edges",
    "vettore.core.surface.models",
    "vettore.study.edits_of_curves",
    "vettore.study.following",
    "vettore.study.peaks_and_points",
    "vettore.study.fitting.budgets",
    "vettore.study.fitting.peak_pulls",
    "vettore.study.fitting.profiles",
    "vettore.study.fitting.pulls",
    "vettore.study.fitting.several",
    "vettore.study.fitting.system_readings",
    "vettore.study.fitting.term_builder",
    "vettore.study.fitting.without",
    "vettore.study.surfaces",
    "vettore.words.areas",
    "vettore.words.budgets",
    "vettore.words.comparison",
    "vettore.words.several",
    "vettore.words.surfaces",
    "vettore.words.systems",
    "vettore.report.figures.beforehand",
    "vettore.report.figures.listed",
    "vettore.report.figures.of_surface",
    "vettore.report.press",
    "vettore.report.renderers.listed",
    "vettore.report.save",
    "vettore.report.sections.listed",
    "vettore.report.working",
    "vettore.study.replay",
)


def warm_later(background: Background) -> None:
    """Load ahead, once the window stands."""
    names = (module.name for module in pkgutil.walk_packages(app.__path__, f"{app.__name__}."))
    go_on = QTimer(background)
    go_on.setInterval(BETWEEN)
    go_on.timeout.connect(lambda: None if _load_next(names) else go_on.stop())

    def begin_window(_nothing: object) -> None:
        go_on.start()

    QTimer.singleShot(WARM_AFTER, background, lambda: background.run("warm", warm, begin_window, begin_window))


def warm() -> None:
    """Load what knows no Qt; what fails to load is told of when it is needed."""
    for name in WITHOUT_QT:
        importlib.import_module(name)


def _load_next(names: Iterator[str]) -> bool:
    name = next(names, "")
    if name:
        importlib.import_module(name)
    return bool(name)
