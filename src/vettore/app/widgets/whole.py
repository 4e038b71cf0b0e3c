"""All parts of a window, scrolled where a large text leaves them too little room, so that nothing is lost."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QFrame, QScrollArea, QWidget

# What the parts of the window need under its menus.
SMALLEST = QSize(1024, 640)


class Whole(QScrollArea):
    """``body`` is as large as the window, but never smaller than it needs."""

    def __init__(self, body: QWidget) -> None:
        super().__init__()
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setWidget(body)

    def resizeEvent(self, event: QResizeEvent) -> None:
        # Not by the area itself, which would ask for the height of every wrapped text.
        self.widget().resize(self.viewport().size().expandedTo(SMALLEST))
        super().resizeEvent(event)
