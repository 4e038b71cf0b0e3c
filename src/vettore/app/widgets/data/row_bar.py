"""The bar that says what the chosen rows are and sets them aside, with a reason, or brings them back."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QLineEdit, QWidget

from vettore.app.session import Session
from vettore.app.widgets.bar import Bar
from vettore.app.widgets.parts import Elided, button
from vettore.study.series import Role


class RowBar(Bar):
    """Follows the chosen rows of the session."""

    def __init__(self, session: Session, without: Callable[[list[int]], None] | None = None) -> None:
        super().__init__(session)
        box = self.row
        self._what = Elided("sentence")
        self.reason = QLineEdit()
        self.reason.setPlaceholderText("Why? (kept in the report)")
        self.reason.setAccessibleName("Reason for setting the rows aside")
        self.reason.returnPressed.connect(self._set_aside)
        self.aside = button(
            "Set aside", self._set_aside, tip="Leave the chosen rows out of every fit (Ctrl+R goes to the reason)"
        )
        self.back = button("Bring back", session.bring_back, tip="Use the chosen rows again (Ctrl+B)")
        self.ask = button("What without?", lambda: self._without(), "link", "See the fit without, before deciding")
        self._preview = without
        box.addWidget(self._what, 3)
        box.addWidget(self.ask)
        box.addWidget(self.reason, 2)
        box.addWidget(self.aside)
        box.addWidget(self.back)
        session.changed.connect(self._refresh)
        self._refresh()

    def add_keys(self, *widgets: QWidget) -> None:
        """Let Ctrl+R go to the reason and Ctrl+B bring rows back, where a widget has the keyboard."""
        for keys, action in (("Ctrl+R", self.reason.setFocus), ("Ctrl+B", self._session.bring_back)):
            for widget in widgets:
                shortcut = QShortcut(QKeySequence(keys), widget)
                shortcut.setContext(Qt.ShortcutContext.WidgetShortcut)
                shortcut.activated.connect(action)

    def _without(self) -> None:
        if self._preview is not None:
            self._preview(sorted(self._session.rows))

    def _set_aside(self) -> None:
        self._session.set_aside(self.reason.text().strip())
        self.reason.clear()

    def _refresh(self) -> None:
        series, rows = self._session.series, self._session.rows
        if series is None or not rows:
            self._what.setText("Click a point or a row to look at it or set it aside.")
            for widget in (self.reason, self.aside, self.back, self.ask):
                widget.hide()
            return
        numbers = {entry.row for entry in series.set_aside}
        self._what.setText(self._value_of(min(rows)) if len(rows) == 1 else f"{len(rows)} rows chosen")
        self.aside.setVisible(not rows <= numbers)
        self.reason.setVisible(not rows <= numbers)
        self.back.setVisible(bool(rows & numbers))
        self.ask.setVisible(self._preview is not None and not rows & numbers)

    def _value_of(self, row: int) -> str:
        series, style = self._session.series, self._session.style
        parts = [f"Row {row + 1}"]
        for role in (Role.X, Role.Y):
            place, values = series.place(role), series.values(role)
            if place is not None and values is not None:
                column = series.columns[place]
                parts.append(f"{column.name} {style.short(float(values[row]))} {column.unit}".rstrip())
        reason = series.reason(row)
        if reason is not None:
            parts.append(f"set aside: {reason or 'no reason given'}")
        return "  ·  ".join(parts)
