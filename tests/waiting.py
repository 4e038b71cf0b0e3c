"""Waiting for a condition: as long as a busy machine may need, and no longer than the condition takes."""

import inspect
import sys
import time
from collections.abc import Callable

# Far beyond what anything waited for takes on a machine that also does other work; a test that fails fails for another reason.
PATIENCE = 120.0
BETWEEN = 0.005


def wait_for(condition: Callable[[], object], patience: float = PATIENCE) -> None:
    """Return once ``condition()`` is true; events of a window go on meanwhile.

    :raises AssertionError: it was not within ``patience`` seconds; the message shows the condition as it is written.
    """
    end = time.monotonic() + patience
    while not condition():
        if time.monotonic() > end:
            written = inspect.getsource(condition).strip() if inspect.isfunction(condition) else repr(condition)
            raise AssertionError(f"Waited {patience:g} s in vain for: {written}")
        widgets = sys.modules.get("PySide6.QtWidgets")
        application = widgets.QApplication.instance() if widgets is not None else None
        if application is not None:
            application.processEvents()
        time.sleep(BETWEEN)
