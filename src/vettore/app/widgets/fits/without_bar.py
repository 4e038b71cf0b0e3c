"""What the fit would become without some rows, before they are set aside."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout

from vettore.app.session import Session
from vettore.app.widgets.bar import Bar
from vettore.app.widgets.parts import button, label
from vettore.app.widgets.value_table import ValueTable
from vettore.core.errors import name_rows
from vettore.study import edits
from vettore.study.fitting.without import Without


class WithoutBar(Bar):
    """A table of now and then, and the decision; ``closed`` tells that it is over."""

    closed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.without: Without | None = None
        self.table = ValueTable()
        side = QVBoxLayout()
        self.words = label("", "sentence", wrap=True)
        self.reason = QLineEdit()
        self.reason.setPlaceholderText("Why? (kept in the report)")
        self.reason.setAccessibleName("Reason for setting the rows aside")
        self.reason.returnPressed.connect(self.set_aside)
        self.aside = button("Set aside", self.set_aside, "primary", "Leave them out of every fit")
        self.leave = button("Keep in use", self.close_bar, "", "Leave the fit as it is")
        foot = QHBoxLayout()
        for widget in (self.aside, self.leave):
            foot.addWidget(widget)
        foot.addStretch()
        side.addWidget(self.words)
        side.addWidget(self.reason)
        side.addLayout(foot)
        side.addStretch()
        self.row.addLayout(side, 4)
        self.row.addWidget(self.table, 5)
        self.hide()

    def show_without(self, without: Without) -> None:
        """Show a fit beside the same without rows."""
        self.without = without
        rows = name_rows([row + 1 for row in without.rows])
        self.words.setText(f"Without {rows} the curve would run along the dashed line.")
        style = self._session.style
        lines = without.lines(style)
        full = [
            (name, coefficient.value, without.then.result.coefficients[name].value)
            for name, coefficient in without.now.result.coefficients.items()
        ]
        self.table.show_rows(("", "now", "without", "change"), lines, full, ("", "now", "without"))
        self.show()

    def set_aside(self) -> None:
        """Set the rows aside with the reason that was given."""
        if self.without is None:
            return
        rows, series = self.without.rows, self.without.now.series
        words = name_rows([row + 1 for row in rows])
        study = edits.set_rows_aside(self._session.study, series.id, rows, self.reason.text().strip())
        self.close_bar()
        self._session.do(f"set {words} aside", study)

    def close_bar(self) -> None:
        """Go out of view without a decision."""
        self.without = None
        self.reason.clear()
        self.hide()
        self.closed.emit()
