"""A small table of values that can be copied with all their digits."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QGridLayout, QVBoxLayout, QWidget

from vettore.app.widgets.parts import button, clear, label


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
        self._grid.setHorizontalSpacing(14)
        self._copy = button("Copy table", self.copy, "link", "Copy with all digits, for a spreadsheet")
        box.addWidget(holder)
        box.addWidget(self._copy, alignment=Qt.AlignmentFlag.AlignLeft)
        self.texts: list[tuple[str, ...]] = []
        self._full = ""
        self.hide()

    def show_rows(
        self,
        headings: Sequence[str],
        rows: Sequence[Sequence[str]],
        full: Sequence[Sequence[object]],
        copied: Sequence[str] | None = None,
    ) -> None:
        """Show rows; ``full`` are their values for copying, under the headings ``copied`` if these are others."""
        clear(self._grid)
        self.setVisible(bool(rows))
        self.texts = [tuple(row) for row in rows]
        lines = ["\t".join(copied or headings)]
        lines += ["\t".join(value if isinstance(value, str) else repr(float(value)) for value in row) for row in full]  # type: ignore[arg-type]
        self._full = "\n".join(lines)
        for place, text in enumerate(headings):
            side = Qt.AlignmentFlag.AlignLeft if place == 0 else Qt.AlignmentFlag.AlignRight
            self._grid.addWidget(label(text, "muted", wrap=True), 0, place, side)
        for row, texts in enumerate(rows, 1):
            for place, text in enumerate(texts):
                one = label(text, "label" if place == 0 else "value")
                one.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
                side = Qt.AlignmentFlag.AlignLeft if place == 0 else Qt.AlignmentFlag.AlignRight
                self._grid.addWidget(one, row, place, side)

    def copy(self) -> None:
        """Put the table on the clipboard."""
        QApplication.clipboard().setText(self._full)
