"""Faults of the program's own on the window's thread: none ends it.

Each is told in a sentence with what happened at hand to be copied; an edit whose showing brought it on is taken back.
"""

from __future__ import annotations

import platform
import sys
import traceback
from types import TracebackType
from typing import TYPE_CHECKING

from PySide6.QtCore import qVersion
from PySide6.QtWidgets import QApplication

if TYPE_CHECKING:
    from vettore.app.window import Window

# Steps of the study that are named in what is copied.
STEPS_NAMED = 8
# The windows of this process that tell of faults.
_watching: list[Window] = []


def watch_faults(window: Window) -> None:
    """Tell of faults in this window, while it is open."""
    _watching.append(window)
    window.destroyed.connect(lambda: _watching.remove(window) if window in _watching else None)
    sys.excepthook = _tell


def _tell(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
    sys.__excepthook__(kind, error, trace)
    active = QApplication.activeWindow()
    windows = [window for window in _watching if window is active] or _watching[-1:]
    if not isinstance(error, Exception) or not windows:
        return
    (window,) = windows
    happened = what_happened(error, trace, window.session.history.labels()[-STEPS_NAMED:])
    back = window.session.hear_fault()
    sentence = f"Something went wrong inside Vettore ({kind.__name__}). "
    sentence += "The last edit was taken back, nothing else has changed." if back else "Your study has not changed."
    window.session.fault_told.emit(sentence, happened)


def what_happened(error: BaseException, trace: TracebackType | None, steps: list[str]) -> str:
    """Return what those who mend it need: versions, the last steps by their names, the trace. None of the user's numbers."""
    from vettore import __version__

    versions = f"Vettore {__version__}, Python {platform.python_version()}, Qt {qVersion()}, {platform.platform()}"
    text = "".join(traceback.format_exception(type(error), error, trace))
    return f"{versions}\nLast steps: {'; '.join(steps) or 'none'}\n\n{text}"
