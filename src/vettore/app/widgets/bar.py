"""A bar across the stage, under the plot or the table."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QWidget

from vettore.app.session import Session


class Bar(QWidget):
    """A row of parts on the panel's ground; ``row`` is its layout."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.setObjectName("bar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.row = QHBoxLayout(self)
        self.row.setContentsMargins(18, 6, 18, 6)
        self.row.setSpacing(10)
