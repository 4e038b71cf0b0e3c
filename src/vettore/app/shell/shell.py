"""What stands around the pages needs so much of the window, and no more; the window itself is built by window.py."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Protocol

from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMenu, QWidget

from vettore.app.pages.page import Page
from vettore.app.places import Places
from vettore.app.session import Session
from vettore.study.study import Study


class Shell(Protocol):
    """A window around one study: what it works on, how it speaks, and what the user may ask it for."""

    session: Session
    places: Places
    pages: dict[str, Page]
    page: Page | None

    @property
    def widget(self) -> QWidget:
        """The window as Qt knows it: the parent of dialogs."""
        ...

    def refuse(self, sentence: str) -> None:
        """Say what could not be done."""

    def show_title(self) -> None:
        """Show the title, whether it is saved, and what can be undone."""

    def show_page(self, name: str) -> None:
        """Bring a page into view."""

    def show_help_page(self, name: str) -> None:
        """Show a page of the guide, or a heading of it."""

    def take_theme(self, lamp: bool) -> None:
        """Change between paper and lamp."""

    def add_action(
        self, menu: QMenu, words: str, keys: QKeySequence | QKeySequence.StandardKey, action: Callable[[], object]
    ) -> QAction:
        """Add a line to a menu, with its keys."""
        ...

    def start(self, study: Study, path: Path | None = None) -> None:
        """Show a study."""

    def open_paths(self, paths: list[Path]) -> None:
        """Open a study, or bring files in as series."""

    def open_beside(self, path: Path) -> QWidget:
        """Open a study in a window of its own."""
        ...

    def may_leave(self) -> bool:
        """Ask about unsaved work; whether the study may be left."""
        ...

    def note_recent(self) -> None:
        """Note the study among the recent ones."""


class Commanded(Shell, Protocol):
    """A window with what its menus offer and nobody but it can do."""

    def undo(self) -> None:
        """Take back what was last done by hand on the page, or else the last edit."""

    def find(self) -> None:
        """Open the finder."""

    def show_keys(self) -> None:
        """Show all keys."""

    def show_help(self) -> None:
        """Show the guide at the place that is about what has the keyboard, or else about the page."""

    def new_study(self) -> None:
        """Begin an empty study, after asking about unsaved work."""

    def save_report(self) -> None:
        """Show the report, and ask where it is to be saved."""

    def open_tray(self) -> None:
        """Open the list of series and curves, where it is folded."""

    def next_part(self, step: int = 1) -> None:
        """Give the keyboard to the first widget of the next part."""
