"""Undo and redo without end. Studies are values, so keeping an old one costs only what changed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from vettore.study.study import Study


@dataclass(frozen=True)
class Step:
    """A study and the words for the edit that made it."""

    label: str
    study: Study


class History:
    """The present study with its past and its future."""

    def __init__(self, study: Study | None = None) -> None:
        self._steps = [Step("", study or Study())]
        self._place = 0
        self._kept = self._steps[0].study

    @property
    def study(self) -> Study:
        """The present study."""
        return self._steps[self._place].study

    def do(self, label: str, study: Study) -> None:
        """Make ``study`` the present one; what could be redone is gone."""
        self._steps = [*self._steps[: self._place + 1], Step(label, study)]
        self._place += 1

    def amend(self, study: Study) -> None:
        """Replace the present study without a step of its own, as when another fit is chosen for the report."""
        self._steps[self._place] = Step(self._steps[self._place].label, study)

    def amend_all(self, change: Callable[[Study], Study]) -> None:
        """Change every study of past, present and future: for what comes in from outside, and is not to be undone."""
        self._steps = [Step(step.label, change(step.study)) for step in self._steps]

    def undo(self) -> str:
        """Go one step back and return the label of what was undone (empty when there is nothing)."""
        if self._place == 0:
            return ""
        self._place -= 1
        return self._steps[self._place + 1].label

    def redo(self) -> str:
        """Go one step forward and return its label (empty when there is nothing)."""
        if self._place == len(self._steps) - 1:
            return ""
        self._place += 1
        return self._steps[self._place].label

    def labels(self) -> list[str]:
        """The words for the edits that made the present study, the newest last."""
        return [step.label for step in self._steps[1 : self._place + 1]]

    @property
    def undo_label(self) -> str:
        """What undo would take back."""
        return self._steps[self._place].label if self._place else ""

    @property
    def redo_label(self) -> str:
        """What redo would do again."""
        return self._steps[self._place + 1].label if self._place < len(self._steps) - 1 else ""

    def mark_kept(self) -> None:
        """Remember the present study as the one on disk."""
        self._kept = self.study

    def mark_changed(self) -> None:
        """Remember that the present study is nowhere on disk."""
        self._kept = Study()

    @property
    def unsaved(self) -> bool:
        """Whether the present study differs from the one on disk; what was done and undone does not."""
        kept, now = self._kept, self.study
        return kept is not now and (kept.parts, kept.title) != (now.parts, now.title)
