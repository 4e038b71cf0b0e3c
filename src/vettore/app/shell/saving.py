"""Saving the study of a window, and asking before work is overwritten or left."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QMessageBox, QWidget

from vettore.app.shell.shell import Shell
from vettore.core.errors import VettoreError
from vettore.files import STUDY_SUFFIX as SUFFIX
from vettore.files.held import Holder


class Saving:
    """Saves for one window; ``box`` is the question that was asked last."""

    def __init__(self, shell: Shell) -> None:
        self._shell = shell
        self.box: QMessageBox | None = None
        # Their version of the study, when it is looked at.
        self.beside: QWidget | None = None

    def save(self) -> bool:
        """Save the study where it is kept, or ask where; what somebody else may have done there is not overwritten unasked."""
        session = self._shell.session
        if session.path is None:
            return self.ask_save_as()
        changed = session.changed_on_disk
        other = session.hold.try_again() if session.hold is not None else None
        if changed or other is not None:
            answer = self.ask_changed() if changed else self.ask_held(other)
            if answer == "look":
                self.look_at_theirs()
            if answer in ("look", None):
                return False
            if answer == "copy":
                return self.ask_save_as()
        return self._save_to(session.path)

    def _save_to(self, path: Path) -> bool:
        from vettore.files.study_file import save_study

        session = self._shell.session
        try:
            save_study(session.study, path)
        except VettoreError as error:
            self._shell.refuse(str(error))
            return False
        session.keep_at(path)
        session.history.mark_kept()
        self._shell.show_title()
        self._shell.note_recent()
        session.say(f"Saved as {path.name}.")
        return True

    def ask_save_as(self) -> bool:
        """Ask for a name and save there."""
        start = self._shell.session.path or Path.home() / f"{self._shell.session.study.title}{SUFFIX}"
        chosen, _ = QFileDialog.getSaveFileName(
            self._shell.widget, "Save the study", str(start), f"Vettore study (*{SUFFIX})"
        )
        if not chosen:
            return False
        path = Path(chosen)
        return self._save_to(path if path.suffix.casefold() == SUFFIX else path.with_name(path.name + SUFFIX))

    def opened_in_words(self) -> str:
        """Say that a study is open, and who has it open besides."""
        session = self._shell.session
        assert session.path is not None
        other = session.hold.other if session.hold is not None else None
        if other is None:
            return f"{session.path.name} is open."
        return (
            f"{session.path.name} is open, and in another window, too{holder_in_words(other)}. Saving will ask first."
        )

    def look_at_theirs(self) -> None:
        """Open the file as it is on disk in a window of its own, beside this one."""
        assert self._shell.session.path is not None
        self.beside = self._shell.open_beside(self._shell.session.path)

    def ask_changed(self) -> str | None:
        """Ask what to do about a file that somebody else wrote: "copy", "look", "overwrite", or None to leave it."""
        assert self._shell.session.path is not None
        return self._ask(
            "The study changed on disk",
            f"“{self._shell.session.path.name}” was changed by somebody else since you opened it here.",
            "Saving here would overwrite what they did. A copy keeps both.",
            {"Save a copy …": "copy", "Look at theirs": "look", "Overwrite theirs": "overwrite"},
        )

    def ask_held(self, other: Holder) -> str | None:
        """Ask what to do about a file that another window has open, too: "copy", "overwrite", or None to leave it."""
        assert self._shell.session.path is not None
        return self._ask(
            "The study is open elsewhere",
            f"“{self._shell.session.path.name}” is open in another window, too{holder_in_words(other)}.",
            "It has not changed on disk yet. What is saved there later is told here before you save again.",
            {"Save a copy …": "copy", "Save here all the same": "overwrite"},
        )

    def _ask(self, title: str, words: str, more: str, answers: dict[str, str]) -> str | None:
        self.box = box = QMessageBox(self._shell.widget)
        box.setWindowTitle(title)
        # Names of files are text.
        box.setTextFormat(Qt.TextFormat.PlainText)
        box.setText(words)
        box.setInformativeText(more)
        roles = QMessageBox.ButtonRole
        buttons = {}
        for place, (label, answer) in enumerate(answers.items()):
            last = place == len(answers) - 1
            buttons[box.addButton(label, roles.DestructiveRole if last else roles.AcceptRole)] = answer
        box.addButton("Do not save", roles.RejectRole)
        box.setDefaultButton(next(iter(buttons)))
        box.exec()
        return buttons.get(box.clickedButton())

    def may_leave(self) -> bool:
        """Ask about unsaved work; True when it is saved or may go."""
        if not self._shell.session.history.unsaved:
            return True
        box = QMessageBox(self._shell.widget)
        box.setWindowTitle("Keep the changes?")
        box.setTextFormat(Qt.TextFormat.PlainText)
        box.setText(f"“{self._shell.session.study.title}” has changes that are not saved.")
        save = box.addButton("Save", QMessageBox.ButtonRole.AcceptRole)
        box.addButton("Leave without saving", QMessageBox.ButtonRole.DestructiveRole)
        stay = box.addButton("Stay here", QMessageBox.ButtonRole.RejectRole)
        box.setEscapeButton(stay)
        box.exec()
        if box.clickedButton() is save:
            return self.save()
        return box.clickedButton() is not stay


def holder_in_words(other: Holder) -> str:
    """Say who has a study open, as a parenthesis; empty when nothing is known."""
    who = " on ".join(word for word in (other.user, other.machine) if word)
    text = ", ".join(word for word in (who, f"since {other.since}" if other.since else "") if word)
    return f" ({text})" if text else ""
