"""A small table of values that can be copied with all their digits."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QLabel, QVBoxLayout, QWidget

from vettore.app.widgets.copy_table import CopyTable
from vettore.app.widgets.parts import clear, label

# Rows from which the cells of a column are one text.
TALL = 24


class ValueTable(QWidget):
    """Headings and rows of texts; *Copy table* gives full precision."""

    def __init__(self) -> None:
        super().__init__()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        holder = QWidget()
        self._grid = QGridLayout(holder)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setVerticalSpacing(4)
        self._grid.setHorizontalSpacing(9)
        self.copying = CopyTable(self.in_full)
        box.addWidget(holder)
        box.addWidget(self.copying)
        self.texts: list[tuple[str, ...]] = []
        self._headings: tuple[str, ...] = ()
        self._shape: tuple[int, ...] = ()
        self._tall = False
        self._cells: list[QLabel] = []
        self._full: Iterable[Iterable[Any]] = ()
        self.hide()

    def show_rows(
        self,
        headings: Sequence[str],
        rows: Sequence[Sequence[str]],
        full: Iterable[Iterable[Any]],
        copied: Sequence[str] | None = None,
    ) -> None:
        """Show rows; ``full`` are their values for copying, under the headings ``copied`` if these are others."""
        self.setVisible(bool(rows))
        self.texts = [tuple(row) for row in rows]
        self._headings, self._full = tuple(copied or headings), full
        tall = len(rows) > TALL and len(set(map(len, rows))) == 1
        # A label for every cell of a long table would take a second to lay out: there is one for every column.
        below = (
            ["\n".join(column) for column in zip(*rows, strict=True)] if tall else [t for row in rows for t in row]
        )
        shape = (len(headings), len(below)) if tall else (len(headings), *map(len, rows))
        if (shape, tall) != (self._shape, self._tall):
            self._build(shape, tall)
        for cell, text in zip(self._cells, (*headings, *below), strict=True):
            if cell.text() != text:
                cell.setText(text)

    def _build(self, shape: tuple[int, ...], tall: bool) -> None:
        """Make the labels of the headings and of each row, by how many there are in each."""
        self._shape, self._tall = shape, tall
        clear(self._grid)
        self._cells = []
        for row, count in enumerate(shape):
            for place in range(count):
                kind = "muted" if row == 0 else "value"
                text_label = label("", "label" if row and place == 0 else kind, wrap=row == 0)
                if row:
                    text_label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
                side = Qt.AlignmentFlag.AlignLeft if place == 0 else Qt.AlignmentFlag.AlignRight
                if tall and row:
                    text_label.setAlignment(side)
                self._grid.addWidget(text_label, row, place, side)
                self._cells.append(text_label)

    def copy(self) -> None:
        """Put the table on the clipboard, in full precision."""
        self.copying.copy()

    def in_full(self) -> list[list[str]]:
        """Return the table in full precision, its headings first."""
        rows = [[value if isinstance(value, str) else repr(float(value)) for value in row] for row in self._full]
        return [list(self._headings), *rows]
