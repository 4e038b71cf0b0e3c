"""The user's own models, kept in a library file and at hand in every study."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, Signal

from vettore.core.errors import Fault, VettoreError
from vettore.core.models.model import Model
from vettore.study.fitting.line_up import OWN


class OwnModels(QObject):
    """The library; read when first asked for, written whole at every change."""

    changed = Signal()

    def __init__(self, path: Path, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._path = path
        self._models: dict[str, Model] | None = None
        # Why the file could not be read; such a file is never written over.
        self.problem = ""

    @property
    def models(self) -> dict[str, Model]:
        """The models by their key in the line-up."""
        if self._models is None:
            self._models = {}
            if self._path.exists():
                from vettore.files.library import read_library

                try:
                    self._models = {OWN + model.key: model for model in read_library(self._path)}
                except VettoreError as error:
                    self.problem = str(error)
        return self._models

    def named(self, name: str) -> Model | None:
        """Return the model of this name."""
        return next((model for model in self.models.values() if model.name == name), None)

    def keep(self, model: Model) -> None:
        """Add a model, or replace the one of the same name. Raises VettoreError."""
        self._write({**self.models, OWN + model.key: model})

    def remove(self, key: str) -> None:
        """Take a model out. Raises VettoreError."""
        self._write({text: model for text, model in self.models.items() if text != key})

    def _write(self, models: dict[str, Model]) -> None:
        from vettore.files.library import write_library

        if self.problem:
            raise VettoreError(
                f"{self.problem} Mend or move the file {self._path} first; it was left as it is.", Fault.FILE_DAMAGED
            )
        write_library(self._path, models.values())
        self._models = models
        self.changed.emit()
