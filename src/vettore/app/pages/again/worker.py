"""The same work on a new file: reads it, matches its columns, shows old and new, and keeps what is wanted of it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QFileDialog

from vettore.app.pages.again.panel import AgainPanel
from vettore.app.pages.again.present import NO_COLUMN, Again, work_again
from vettore.app.session import Session
from vettore.report.document import style_of
from vettore.study.table import Table


class WorkAgain(QObject):
    """``opened`` says that there is something to show, ``closed`` that the report is wanted again."""

    opened = Signal()
    closed = Signal()

    def __init__(self, session: Session, ask: Callable[[], object]) -> None:
        super().__init__()
        self.session = session
        self.panel = AgainPanel()
        self.again: Again | None = None
        self._tables: list[Table] = []
        self._name = ""
        self._chosen: dict[str, str] = {}
        self.panel.column_chosen.connect(self._choose)
        self.panel.taken.connect(self._take)
        self.panel.saved.connect(self._ask_and_save)
        self.panel.other_asked.connect(ask)
        self.panel.closed.connect(self.closed)

    def ask_file(self) -> None:
        """Ask for the new file."""
        chosen, _ = QFileDialog.getOpenFileName(self.panel, "The new file", "", "")
        if chosen:
            self.open_file(Path(chosen))

    def open_file(self, path: Path) -> None:
        """Read a file in the background and do the work on it."""
        from vettore.files.readers import read_file

        def done(tables: list[Table]) -> None:
            self._tables, self._name, self._chosen = tables, path.name, {}
            self._work()

        self.session.say(f"Reading {path.name} … Escape gives it up.")
        self.session.background.run(
            "read new file",
            lambda: [offer.table for offer in read_file(path)],
            done,
            lambda sentence: self.session.say(sentence, "bad"),
        )

    def _work(self) -> None:
        study = self.session.study
        reported = study.reported_curve
        series = study.find_series(reported.series) if reported is not None else self.session.series
        if series is None:
            return
        tables, name, chosen, style = (
            self._tables,
            self._name,
            dict(self._chosen),
            style_of(study),
        )
        self.session.background.run(
            "work again", lambda: work_again(study, series, tables, name, chosen, style), self._show, self._fail
        )

    def _show(self, again: Again) -> None:
        self.again = again
        self.panel.draw(again)
        self.session.say("")
        self.opened.emit()

    def _fail(self, sentence: str) -> None:
        self.session.say(sentence, "bad")

    def _choose(self, wanted: str, name: str) -> None:
        if name == NO_COLUMN:
            self._chosen.pop(wanted, None)
        else:
            self._chosen[wanted] = name
        self._work()

    def _take(self) -> None:
        if self.again is not None and self.again.study is not None:
            self.session.do(f"the same work on {self._name}", self.again.study)
            self.closed.emit()

    def _ask_and_save(self) -> None:
        start = str(Path.home() / f"{Path(self._name).stem}.vettore")
        chosen, _ = QFileDialog.getSaveFileName(self.panel, "Save the study", start, "(*.vettore)")
        if chosen:
            self.save(Path(chosen).with_suffix(".vettore"))

    def save(self, path: Path) -> None:
        """Save the work on the new file as a study of its own."""
        from vettore.files.study_file import save_study

        study = None if self.again is None else self.again.study
        if study is None:
            return
        self.session.background.run(
            "save new study",
            lambda: save_study(study, path),
            lambda _nothing: self.session.say(f"The study of {self._name} was saved as {path.name}."),
            self._fail,
        )
