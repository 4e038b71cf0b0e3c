"""Saving the study of a window, and asking before work is overwritten or left."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QFileDialog, QMessageBox

from vettore.core.errors import VettoreError
from vettore.files import STUDY_SUFFIX as SUFFIX

if TYPE_CHECKING:
    from vettore.app.window import Window


class Saving:
    """Saves for one window; ``box`` is the question that was asked last."""

    def __init__(self, window: Window) -> None:
        self._window = window
        self.box: QMessageBox | None = None

    def save(self) -> bool:
        """Save the study where it is kept, or ask where."""
        if self._window.session.path is None:
            return self.ask_save_as()
        if self._window.session.changed_on_disk:
            answer = self.ask_changed()
            if answer is None:
                return False
            if answer == "copy":
                return self.ask_save_as()
        from vettore.files.study_file import save_study

        try:
            save_study(self._window.session.study, self._window.session.path)
        except VettoreError as error:
            self._window.refuse(str(error))
            return False
        self._window.session.keep_at(self._window.session.path)
        self._window.session.history.mark_kept()
        self._window.show_title()
        self._window.keeper.note_recent()
        self._window.session.say(f"Saved as {self._window.session.path.name}.")
        return True

    def ask_save_as(self) -> bool:
        """Ask for a name and save there."""
        start = self._window.session.path or Path.home() / f"{self._window.session.study.title}{SUFFIX}"
        chosen, _ = QFileDialog.getSaveFileName(
            self._window, "Save the study", str(start), f"Vettore study (*{SUFFIX})"
        )
        if not chosen:
            return False
        path = Path(chosen)
        self._window.session.keep_at(path if path.suffix.casefold() == SUFFIX else path.with_name(path.name + SUFFIX))
        return self.save()

    def ask_changed(self) -> str | None:
        """Ask what to do about a file that somebody else wrote: "copy", "overwrite", or None to leave it."""
        assert self._window.session.path is not None
        self.box = box = QMessageBox(self._window)
        box.setWindowTitle("The study changed on disk")
        box.setText(f"“{self._window.session.path.name}” was changed by somebody else since you opened it here.")
        box.setInformativeText("Saving here would overwrite what they did. A copy keeps both.")
        copy = box.addButton("Save a copy …", QMessageBox.ButtonRole.AcceptRole)
        over = box.addButton("Overwrite theirs", QMessageBox.ButtonRole.DestructiveRole)
        box.addButton("Do not save", QMessageBox.ButtonRole.RejectRole)
        box.setDefaultButton(copy)
        box.exec()
        return {copy: "copy", over: "overwrite"}.get(box.clickedButton())

    def may_leave(self) -> bool:
        """Ask about unsaved work; True when it is saved or may go."""
        if not self._window.session.history.unsaved:
            return True
        box = QMessageBox(self._window)
        box.setWindowTitle("Keep the changes?")
        box.setText(f"“{self._window.session.study.title}” has changes that are not saved.")
        save = box.addButton("Save", QMessageBox.ButtonRole.AcceptRole)
        box.addButton("Leave without saving", QMessageBox.ButtonRole.DestructiveRole)
        stay = box.addButton("Stay here", QMessageBox.ButtonRole.RejectRole)
        box.setEscapeButton(stay)
        box.exec()
        if box.clickedButton() is save:
            return self.save()
        return box.clickedButton() is not stay
