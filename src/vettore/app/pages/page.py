"""What every page is: choices on the left, a stage in the middle, findings on the right."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QWidget

from vettore.app.session import Session, What

if TYPE_CHECKING:
    from vettore.app.shell.recent import Recent
    from vettore.app.stage.plot import Plot


@dataclass(frozen=True)
class Doors:
    """What a page may ask of the window."""

    open_file: Callable[[], object]
    read_differently: Callable[[], object]
    show_page: Callable[[str], object]
    open_paths: Callable[[list[Path]], object]
    show_demo: Callable[[], object]
    recent: Callable[[], list[Recent]]
    show_help: Callable[[str], object]


class Page(QObject):
    """A page of the window. ``status`` says what was used: rows, method."""

    name = ""
    help_page = "index.md"
    shows_tray = True
    # Whether the page's choices need little room, so that the tray may have it.
    few_choices = False

    def __init__(self, session: Session, doors: Doors) -> None:
        super().__init__()
        self.session, self.doors = session, doors
        self.visible = False
        self.choices: QWidget
        self.stage: QWidget
        self.findings: QWidget
        # What is copied and saved as the page's picture.
        self.plot: Plot | None = None
        # What has the keyboard when the page comes into view.
        self.first: QWidget | None = None
        self._stale = True
        self._listens = False

    def polish(self) -> None:
        """Give each widget its style while the page is made, not in the event that first shows data on it."""
        for part in (self.choices, self.stage, self.findings):
            for widget in part.findChildren(QWidget):
                widget.ensurePolished()

    def enter(self) -> None:
        """Come into view: read again what changed meanwhile."""
        if not self._listens:
            # After the widgets that the page is made of, so that they have their places when the page reads again.
            self.session.changed.connect(self._heed)
            self._listens = True
        self.visible = True
        if self._stale:
            self._stale = False
            self.refresh()

    def leave(self) -> None:
        """Go out of view."""
        self.visible = False

    def refresh(self) -> None:
        """Read everything from the session again."""
        raise NotImplementedError

    def fit_window(self) -> None:
        """Heed that the window has another size."""

    def take_back(self) -> bool:
        """Take back what was done by hand and is no edit yet; whether there was something."""
        return False

    def close_topmost(self) -> bool:
        """Close what lies over the page or was opened on it last; whether there was something."""
        return False

    def status(self) -> list[str]:
        """Return what was used, for the status line."""
        return []

    def _heed(self, what: What) -> None:
        """Read again once for whatever an edit or a choice has changed."""
        if What.STUDY in what or What.CHOICE in what:
            self.redraw()
        if What.ROWS in what:
            self.show_rows()

    def show_rows(self) -> None:
        """Show which rows are chosen."""

    def redraw(self) -> None:
        """Read again now, or when the page next comes into view."""
        if self.visible:
            self.refresh()
        else:
            self._stale = True
