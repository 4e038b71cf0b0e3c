"""A panel over the window that a click beside it or Escape closes."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QWidget


class Popup(QFrame):
    """The frame of what opens over the window; ``once`` says that it is used one time only."""

    def __init__(self, parent: QWidget, once: bool = False) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose, once)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFrameShape(QFrame.Shape.Box)
