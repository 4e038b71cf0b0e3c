"""How a window is arranged: panels at the sides, the stage between them, the status line below."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QGridLayout, QVBoxLayout, QWidget

from vettore.app.widgets.parts import first_by_tab


def panel(name: str, *parts: tuple[QWidget, int]) -> QWidget:
    """Return a panel at a side, of parts below each other with their shares of its height."""
    out = QWidget()
    out.setObjectName(name)
    out.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
    column = QVBoxLayout(out)
    column.setContentsMargins(0, 0, 0, 0)
    column.setSpacing(6)
    for part, share in parts:
        column.addWidget(part, share)
    return out


def arranged(rail: QWidget, left: QWidget, stage: QWidget, right: QWidget, status: QWidget) -> QWidget:
    """Return all parts of a window in their places; the stage has what the others leave."""
    body = QWidget()
    grid = QGridLayout(body)
    grid.setContentsMargins(0, 0, 0, 0)
    grid.setSpacing(0)
    for place, widget in enumerate((rail, left, stage, right)):
        grid.addWidget(widget, 0, place)
    grid.addWidget(status, 1, 0, 1, 4)
    grid.setColumnStretch(2, 1)
    grid.setRowStretch(0, 1)
    return body


def focus_next(parts: list[QWidget], step: int) -> None:
    """Give the keyboard to the first widget of the next part that has one, or with a ``step`` of −1 of the part before."""
    widget = QApplication.focusWidget()
    now = next((place for place, part in enumerate(parts) if widget is not None and part.isAncestorOf(widget)), 0)
    for further in range(1, len(parts) + 1):
        first = first_by_tab(parts[(now + step * further) % len(parts)])
        if first is not None:
            first.setFocus(Qt.FocusReason.TabFocusReason)
            return
