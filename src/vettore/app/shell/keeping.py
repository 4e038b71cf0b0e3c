"""Keeping a window's work: the journal, recovery after a crash, recent studies."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QMenu

from vettore.app.session import What
from vettore.app.shell.shell import Shell
from vettore.app.widgets.parts import plain_tip

if TYPE_CHECKING:
    from vettore.app.shell.recent import Recent
    from vettore.files.journal import Journal
    from vettore.study.study import Study

# Milliseconds after which a step that could not be written is tried again.
TRIES_AGAIN_AFTER = 5000


class Keeper:
    """Keeps the work of one window."""

    def __init__(self, shell: Shell) -> None:
        self._shell, self.session = shell, shell.session
        self._journal: Journal | None = None
        self._steps = 0
        # The study as it was given to the journal last.
        self._given: Study | None = None
        # Whether the last step could not be written.
        self._behind = False
        self._again = QTimer(shell.widget)
        self._again.setSingleShot(True)
        self._again.timeout.connect(self.keep)

    def end(self) -> None:
        """The window closes in order: the journal has done its work."""
        self._again.stop()
        if self._journal is not None:
            self._journal.end()
            self._journal = None

    def _heed(self, _what: What) -> None:
        # Choosing another fit is another report; choosing a series, or rows, is nothing to keep.
        if self.session.study is not self._given:
            self.keep()

    def keep(self) -> None:
        """Write the present study into the journal, in the background."""
        if self._journal is None:
            return
        self._steps += 1
        self._given = self.session.study
        journal, number, study, path = self._journal, self._steps, self.session.study, self.session.path
        self.session.background.run(
            "journal", lambda: journal.keep(number, study, path), self._kept, self._not_kept, 2
        )

    def _kept(self, _nothing: object) -> None:
        if self._behind:
            self._behind = False
            self.session.say("The journal of your work is kept again.")

    def _not_kept(self, sentence: str) -> None:
        """Say it once, and try again until it works."""
        if not self._behind:
            self._behind = True
            self._shell.refuse(sentence)
        self._again.start(TRIES_AGAIN_AFTER)

    def recover(self) -> bool:
        """Bring back what a window that ended unexpectedly had; say what was brought back."""
        from vettore.files.journal import let_go, recover

        recovered = recover(self._shell.places.journal)
        if not recovered:
            return False
        newest = recovered[0]
        self.session.start(newest.study, newest.path)
        self.session.history.mark_changed()
        self._shell.show_title()
        steps = f"{newest.steps} steps" if newest.steps != 1 else "1 step"
        self.session.say(
            f"Vettore ended unexpectedly. “{newest.study.title}” was recovered with {steps} of work.", "look"
        )
        self.keep()
        let_go(newest)
        return True

    def start_journal(self) -> None:
        """Keep a journal from now on."""
        from vettore.files.journal import Journal

        self._journal = Journal(self._shell.places.journal)
        if self._journal.problem:
            self._not_kept(self._journal.problem)
        self.session.changed.connect(self._heed)

    def recent(self) -> list[Recent]:
        """Return the studies opened or saved last."""
        from vettore.app.shell.recent import recent_studies

        return recent_studies(self._shell.places.recent)

    def list_recent(self, menu: QMenu) -> None:
        """Fill a menu with the studies opened or saved last."""
        menu.clear()
        recents = self.recent()
        for recent in recents:
            action = menu.addAction(QIcon(str(recent.picture)), recent.path.stem)
            action.setToolTip(plain_tip(str(recent.path)))
            action.triggered.connect(lambda _checked=False, path=recent.path: self._shell.open_paths([path]))
        if not recents:
            menu.addAction("No study was saved yet").setEnabled(False)

    def note_recent(self) -> None:
        """Put the present study at the head of the recent ones, with a picture of its plot."""
        from vettore.app.shell.recent import note_study

        if self.session.path is not None:
            plot = self._shell.page.plot if self._shell.page is not None else None
            note_study(self._shell.places.recent, self.session.path, plot.grab() if plot is not None else None)
