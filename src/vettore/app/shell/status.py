"""The status line: what was just said, for a while, and then what was used for what is shown."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QApplication, QHBoxLayout, QWidget

from vettore.app.session import Session
from vettore.app.widgets.parts import button, label
from vettore.look.theme import SIZES

SAID_FOR = 8000


class StatusLine(QWidget):
    """``status`` gives what is to be shown while nothing was said."""

    def __init__(self, status: Callable[[], list[str]]) -> None:
        super().__init__()
        self._wanted = status
        self.setObjectName("statusline")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(25)
        self._label = label("", "muted")
        box = QHBoxLayout(self)
        box.setContentsMargins(SIZES.rail + 12, 0, 12, 0)
        self._happened = ""
        self.copy_happened = button(
            "Copy what happened", self._copy, "link", "For those who mend it: no data of yours"
        )
        self.copy_happened.hide()
        box.addWidget(self._label, 1)
        box.addWidget(self.copy_happened)
        self._forget = QTimer(self)
        self._forget.setSingleShot(True)
        self._forget.timeout.connect(self.show_status)

    def text(self) -> str:
        """Return what stands there."""
        return self._label.text()

    def listen(self, session: Session) -> None:
        """Show what a session says, and which row is pointed at."""
        session.message.connect(self.hear)
        session.fault_told.connect(self.hear_fault)
        session.pointed_changed.connect(lambda _row: self.show_status())

    def hear(self, kind: str, text: str) -> None:
        """Show a sentence of a kind; the kind "status" asks for what was used to be shown again."""
        if kind == "status":
            self.show_status()
            return
        self._label.setText(text)
        self.copy_happened.hide()
        self._mark(kind or "muted")
        self._forget.start(SAID_FOR * (3 if kind == "bad" else 1))

    def hear_fault(self, sentence: str, happened: str) -> None:
        """Show that the program itself went wrong; what happened can be copied while that is shown."""
        self.hear("bad", sentence)
        self._happened = happened
        self.copy_happened.show()

    def _copy(self) -> None:
        QApplication.clipboard().setText(self._happened)

    def show_status(self) -> None:
        """Show what was used, unless a refusal is still to be read."""
        if self._forget.isActive() and self._label.property("kind") == "bad":
            return
        self._mark("muted")
        self.copy_happened.hide()
        self._label.setText("        ".join(self._wanted()))

    def _mark(self, kind: str) -> None:
        if self._label.property("kind") != kind:
            self._label.setProperty("kind", kind)
            self._label.style().unpolish(self._label)
            self._label.style().polish(self._label)
