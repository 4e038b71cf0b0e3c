"""What the first fit and the other pages need is loaded while the user looks at the data."""

from __future__ import annotations

import importlib

from PySide6.QtCore import QTimer

from vettore.app.pages.listed import PAGES
from vettore.app.work import Background

# Milliseconds after the window was made, when a file asked for has come in.
WARM_AFTER = 1500


def warm_later(background: Background) -> None:
    """Load ahead, elsewhere, once the window stands."""
    QTimer.singleShot(WARM_AFTER, background, lambda: background.run("warm", warm, _nothing, _nothing))


def warm() -> None:
    """Load ahead."""
    solvers = (
        "vettore.core.fitting.search.nonlinear",
        "vettore.core.fitting.linear.polynomial",
        "vettore.core.fitting.after.checks",
    )
    for name in (
        "scipy.special",
        "scipy.linalg",
        *solvers,
        *(f"vettore.app.pages.{entry.module}" for entry in PAGES),
    ):
        importlib.import_module(name)


def _nothing(_told: object) -> None:
    """What is loaded ahead, or fails to be, is loaded or told of when it is needed."""
