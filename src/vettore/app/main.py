"""Start the window: its shell is painted first, everything else is loaded after."""

from __future__ import annotations

import gc
import os
import signal
import sys
from pathlib import Path

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication

from vettore.app.faults import watch_faults
from vettore.app.places import places
from vettore.app.settings import read_settings
from vettore.app.shell.looks import grow_with_desktop, scale_text
from vettore.app.style import dress
from vettore.app.window import Window


def run(paths: list[Path], demo: bool = False) -> int:
    """Open the window with files, or with the demo study; return the exit code."""
    settings = read_settings(places().settings)
    scale_text(settings)
    app = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(app, QApplication)
    grown = grow_with_desktop(os.environ, app.primaryScreen().logicalDotsPerInch())
    if grown is not None:
        # The scale is read once, when the application is made.
        os.execve(sys.executable, [sys.executable, *sys.orig_argv[1:]], grown)
    app.setApplicationName("Vettore")
    app.setApplicationDisplayName("Vettore")
    dress(app)
    signal.signal(signal.SIGINT, signal.SIG_DFL)
    window = Window()
    watch_faults(window)
    window.looks.begin()
    window.show()
    QTimer.singleShot(0, lambda: begin(window, paths, demo))
    return app.exec()


def calm() -> None:
    """Keep the collection of garbage short: what the program itself consists of stays, so nobody need look at it."""
    gc.freeze()
    gc.set_threshold(20_000, 20, 50)


def begin(window: Window, paths: list[Path], demo: bool) -> None:
    """Fill the window that is already painted: recover what a crash left, or open what was asked for."""
    calm()
    recovered = not demo and not paths and window.keeper.recover()
    window.keeper.start_journal()
    if recovered:
        return
    if demo:
        window.files.show_demo()
    elif paths:
        window.open_paths(paths)
