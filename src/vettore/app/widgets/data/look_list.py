"""What to look at: each finding with a triangle, its rows lit when pointed at, and its remedy as a button."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QEnterEvent
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from vettore.app.session import Session
from vettore.app.widgets.parts import button, clear, label
from vettore.core.columns.inspection import Finding, Remedy
from vettore.study.series import Series
from vettore.words.findings import finding_sentence


class FindingLine(QWidget):
    """One finding."""

    def __init__(self, finding: Finding, series: Series, session: Session, remedy: Callable[[Finding], None]) -> None:
        super().__init__()
        self._finding, self._session = finding, session
        box = QHBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(6)
        mark = label("△", "look")
        box.addWidget(mark, alignment=Qt.AlignmentFlag.AlignTop)
        inner = QVBoxLayout()
        inner.setSpacing(0)
        inner.addWidget(label(finding_sentence(finding, series, session.style), "sentence", wrap=True))
        actions = QHBoxLayout()
        if finding.rows:
            actions.addWidget(button("Show", lambda: session.choose_rows(finding.rows), "link", "Choose these rows"))
        if finding.remedy is not Remedy.NONE:
            actions.addWidget(button(str(finding.remedy), lambda: remedy(finding), "link"))
        actions.addStretch()
        inner.addLayout(actions)
        box.addLayout(inner, 1)

    def enterEvent(self, event: QEnterEvent) -> None:
        if self._finding.rows:
            self._session.point(self._finding.rows[0])
        super().enterEvent(event)

    def leaveEvent(self, event: QEvent) -> None:
        self._session.point(-1)
        super().leaveEvent(event)


class LookList(QWidget):
    """The findings about a series."""

    def __init__(self, session: Session, remedy: Callable[[Finding], None]) -> None:
        super().__init__()
        self._session, self._remedy = session, remedy
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(0, 0, 0, 0)
        self._box.setSpacing(4)
        self.findings: list[Finding] = []

    def show_findings(self, findings: list[Finding], series: Series) -> None:
        """Show other findings."""
        self.findings = findings
        clear(self._box)
        for finding in findings:
            self._box.addWidget(FindingLine(finding, series, self._session, self._remedy))
