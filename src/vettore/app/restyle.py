"""A change of theme dresses what is seen at once, and what is hidden when it is shown: that halves the time it takes.

A style sheet is taken off, and put on, widget by widget, but only of those that are marked as polished.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QWidget

POLISHED = Qt.WidgetAttribute.WA_WState_Polished


def put_off(hidden: Iterable[QWidget]) -> None:
    """Leave out what is hidden, with all that is in it, from the next change of the style sheet."""
    for widget in _all_in(hidden):
        widget.setAttribute(POLISHED, False)


def catch_up(parts: Iterable[QWidget]) -> None:
    """Dress what was left out, before it is shown."""
    for widget in _all_in(parts):
        if not widget.testAttribute(POLISHED):
            widget.style().polish(widget)
            widget.setAttribute(POLISHED)


def _all_in(parts: Iterable[QWidget]) -> Iterator[QWidget]:
    for part in parts:
        yield part
        yield from part.findChildren(QWidget)
