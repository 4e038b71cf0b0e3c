"""The finder: any action, page, series, curve, model or page of help by its words (Ctrl+K); and the sheet of keys."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QObject, QPoint, Qt, QTimer
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QGridLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from vettore.app.shell.guide import places
from vettore.app.shell.shell import Shell
from vettore.app.widgets.parts import Column, label, section
from vettore.app.widgets.popup import Popup
from vettore.core.models.catalogue import CATALOGUE
from vettore.core.models.synonyms import synonyms_of

if TYPE_CHECKING:
    from vettore.app.pages.page import Page

WIDTH, HEIGHT, FROM_TOP = 520, 380, 70
MOST_SHOWN = 60
ON_PAGE = "on this page"


@dataclass(frozen=True)
class Thing:
    """Something that can be found: its words, what it is, its keys, and what choosing it does."""

    words: str
    kind: str
    act: Callable[[], object]
    keys: str = ""
    # What it is called elsewhere; found by, but not shown.
    also: str = ""


def matching(things: Iterable[Thing], typed: str) -> list[Thing]:
    """Return the things that begin as typed, then those with every word at the beginning of one of theirs or inside."""
    words = typed.casefold().split()
    whole: list[Thing] = []
    first, later = [], []
    for thing in things:
        text = f"{thing.words} {thing.kind} {thing.also}".casefold()
        if words and text.startswith(" ".join(words)):
            whole.append(thing)
            continue
        starts = text.replace("(", " ").replace("–", " ").split()
        if all(any(start.startswith(word) for start in starts) for word in words):
            first.append(thing)
        elif all(word in text for word in words):
            later.append(thing)
    return [*whole, *first, *later]


def actions_of(window: QWidget, possible: bool = True) -> list[Thing]:
    """Return the actions of a window's menus: those that are ``possible`` now, or all."""
    out = []
    for action in window.actions():
        words = action.text().replace("&", "")
        if words and (action.isEnabled() or not possible) and not action.menu():
            out.append(Thing(words, "action", action.trigger, _keys(action)))
    return out


def things_on(page: Page | None) -> list[Thing]:
    """Return what stands on a page now: buttons, which are pressed, and fields, which get the keyboard."""
    out: list[Thing] = []
    for part in (page.choices, page.stage, page.findings) if page is not None else ():
        for widget in part.findChildren(QWidget):
            if not (widget.isVisible() and widget.isEnabled()):
                continue
            if isinstance(widget, QPushButton) and widget.text():
                out.append(Thing(widget.accessibleName() or widget.text(), ON_PAGE, widget.click))
            elif isinstance(widget, QLineEdit | QComboBox) and widget.accessibleName():
                out.append(Thing(widget.accessibleName(), ON_PAGE, lambda widget=widget: _go_to(widget)))
    return out


def _go_to(widget: QWidget) -> None:
    # Once the finder, which gives the keyboard back as it closes, is gone.
    widget.window().activateWindow()
    QTimer.singleShot(0, widget, lambda: widget.setFocus(Qt.FocusReason.ShortcutFocusReason))


def things_of(shell: Shell) -> list[Thing]:
    """Return all that can be found in a window."""
    session = shell.session
    out = [*actions_of(shell.widget), *things_on(shell.page)]
    out += [
        Thing(series.name, "series", lambda series=series: session.choose(series.id))
        for series in session.study.series
    ]
    out += [
        Thing(
            f"{curve.name} of {session.study.find_series(curve.series).name}",
            "curve",
            lambda curve=curve: session.show_curve(curve.id),
        )
        for curve in session.study.curves
    ]
    if session.series is not None:
        out += [
            Thing(
                model.name,
                f"model   {model.formula}",
                lambda key=key: _fit(shell, key),
                also=" ".join(synonyms_of(key)),
            )
            for key, model in CATALOGUE.items()
        ]
    titles = {place.page: place.heading for place in places() if place.level == 1}
    out += [
        Thing(
            place.heading if place.level == 1 else f"{place.heading} – {titles.get(place.page, place.page)}",
            "help",
            lambda link=place.link: shell.show_help_page(link),
        )
        for place in places()
    ]
    return out


def _fit(shell: Shell, key: str) -> None:
    shell.show_page("Fit")
    from vettore.app.pages.fit.page import FitPage

    page = shell.pages["Fit"]
    assert isinstance(page, FitPage)
    page.choose(key)


def _keys(action: QAction) -> str:
    return action.shortcut().toString(QKeySequence.SequenceFormat.NativeText)


class Finder(Popup):
    """A field over a list; arrows and Enter choose, Escape leaves."""

    def __init__(self, things: list[Thing], parent: QWidget) -> None:
        super().__init__(parent)
        self._things = things
        self._shown: list[Thing] = []
        box = QVBoxLayout(self)
        box.setContentsMargins(12, 12, 12, 12)
        self.field = QLineEdit()
        self.field.setPlaceholderText("an action, a page, a series, a model, a page of help …")
        self.field.setAccessibleName("Find anything by its words")
        self.field.textChanged.connect(self._narrow)
        self.field.returnPressed.connect(self.take)
        self.field.installEventFilter(self)
        self.list = QListWidget()
        self.list.setAccessibleName("What was found")
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.list.itemClicked.connect(lambda _item: self.take())
        box.addWidget(self.field)
        box.addWidget(self.list, 1)
        self._narrow("")

    def open(self) -> None:
        """Come into view over the upper middle of the window."""
        parent = self.parentWidget()
        corner = parent.mapToGlobal(QPoint((parent.width() - WIDTH) // 2, FROM_TOP))
        self.setGeometry(corner.x(), corner.y(), WIDTH, HEIGHT)
        self.show()
        self.field.setFocus()

    def _narrow(self, typed: str) -> None:
        self._shown = matching(self._things, typed)[:MOST_SHOWN]
        self.list.clear()
        for thing in self._shown:
            beside = "   ".join(filter(None, (thing.kind, thing.keys)))
            self.list.addItem(QListWidgetItem(f"{thing.words}    —  {beside}"))
        if not self._shown:
            self.list.addItem(QListWidgetItem("Nothing has these words."))
        self.list.setCurrentRow(0)

    def take(self) -> None:
        """Do what is marked."""
        place = self.list.currentRow()
        if 0 <= place < len(self._shown):
            act = self._shown[place].act
            self.close()
            act()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        # Arrows go through the list while the field keeps the keyboard.
        if watched is self.field and event.type() == QEvent.Type.KeyPress:
            if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
                step = 1 if event.key() == Qt.Key.Key_Down else -1
                self.list.setCurrentRow(min(max(self.list.currentRow() + step, 0), self.list.count() - 1))
                return True
            if event.key() == Qt.Key.Key_Escape:
                self.close()
                return True
        return super().eventFilter(watched, event)


# Keys that no menu shows: where they hold, the keys, what they do.
KEYS = (
    ("On the equation", "Tab, ← →", "from coefficient to coefficient"),
    ("On the equation", "↑ ↓", "change a value (Shift finer, Ctrl coarser)"),
    ("On the equation", "Space", "hold a coefficient, or let it go"),
    ("On the equation", "Enter", "its value and limits"),
    ("In the line-up", "P", "pin a model for comparison"),
    ("In the line-up", "H, Delete", "hide a model"),
    ("On the Data page", "Ctrl+R", "why rows are set aside"),
    ("On the Data page", "Ctrl+B", "bring rows back"),
    ("On the Fit page", "Ctrl+E", "your own formula"),
    ("On the Equations page", "Ctrl+E", "write equations"),
    ("Everywhere", "Escape", "close what is on top, then let the chosen rows go"),
)


class KeySheet(QDialog):
    """All keys, those of the menus first."""

    def __init__(self, actions: list[Thing], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.resize(520, 560)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        column = Column("Keys", (20, 16, 16, 16))
        box.addWidget(column)
        rows = [("Menus", thing.keys, thing.words) for thing in actions if thing.keys]
        self.rows = [*rows, *KEYS]
        for place in dict.fromkeys(row[0] for row in self.rows):
            column.add(section(place))
            holder = QWidget()
            grid = QGridLayout(holder)
            grid.setContentsMargins(0, 0, 0, 6)
            grid.setColumnStretch(1, 1)
            for line, (_place, keys, words) in enumerate(row for row in self.rows if row[0] == place):
                grid.addWidget(label(keys, "value"), line, 0)
                grid.addWidget(label(words, "sentence", wrap=True), line, 1)
            column.add(holder)
        column.column.addStretch()
