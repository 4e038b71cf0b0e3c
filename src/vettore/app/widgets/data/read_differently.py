"""Read a text file differently: the raw text beside the table, every guess changeable, at once."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QTextCursor
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPlainTextEdit,
    QSpinBox,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from vettore.app.style import sans
from vettore.app.widgets.parts import label, section
from vettore.core.errors import VettoreError
from vettore.files.delimited import parse
from vettore.files.encodings import SAMPLE_BYTES, encoding_of, text_of
from vettore.files.sniff import DELIMITER_NAMES, Layout, guess
from vettore.study.table import Table, cell_texts

MOST_ROWS_SHOWN = 60
ENCODINGS = ("utf-8", "utf-8-sig", "utf-16", "cp1252", "latin-1")


class ReadDifferently(QDialog):
    """Asks how a text is to be read; ``table`` and ``layout_of`` hold the answer."""

    def __init__(self, data: bytes, path: str, layout: Layout, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Read {Path(path).name} differently")
        self.resize(1080, 640)
        self._data, self._path = data, path
        self._layout = layout
        self.table: Table | None = None
        self._filling = True
        self.raw = QPlainTextEdit()
        self.raw.setReadOnly(True)
        self.raw.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.raw.setAccessibleName("Raw text")
        self.cells = QTableWidget()
        self.cells.setAccessibleName("The table as it is read")
        self.cells.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.problem = label("", "bad", wrap=True)
        form = self._build_form()
        sides = QHBoxLayout()
        for title, widget in (("Raw text", self.raw), ("Read as", self.cells)):
            column = QVBoxLayout()
            column.addWidget(section(title))
            column.addWidget(widget)
            sides.addLayout(column, 1)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        self.buttons.button(QDialogButtonBox.StandardButton.Ok).setText("Read it like this")
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        box = QHBoxLayout(self)
        left = QVBoxLayout()
        left.addLayout(form)
        left.addWidget(self.problem)
        left.addStretch()
        left.addWidget(self.buttons)
        box.addLayout(left)
        box.addLayout(sides, 1)
        self._filling = False
        self._show_raw()
        self._read()

    def _build_form(self) -> QFormLayout:
        layout = self._layout
        self.delimiter, self.mark, self.encoding = QComboBox(), QComboBox(), QComboBox()
        for sign, name in DELIMITER_NAMES.items():
            self.delimiter.addItem(name, sign)
        self.delimiter.setCurrentIndex(self.delimiter.findData(layout.delimiter))
        self.mark.addItem("point", ".")
        self.mark.addItem("comma", ",")
        self.mark.setCurrentIndex(self.mark.findData(layout.decimal_mark))
        self.encoding.addItems(dict.fromkeys((layout.encoding, *ENCODINGS)))
        self.first, self.names, self.units = QSpinBox(), QSpinBox(), QSpinBox()
        lines = max(len(self._head().splitlines()), 1)
        self.first.setRange(1, lines)
        self.first.setValue(layout.first_row + 1)
        for spin, line in ((self.names, layout.names_line), (self.units, layout.units_line)):
            spin.setRange(0, lines)
            spin.setSpecialValueText("none")
            spin.setValue(0 if line is None else line + 1)
        self.comment = QLineEdit(layout.comment_mark)
        form = QFormLayout()
        rows = (
            ("cells between", self.delimiter),
            ("decimal mark", self.mark),
            ("encoding", self.encoding),
            ("names in line", self.names),
            ("units in line", self.units),
            ("first row in line", self.first),
            ("comment mark", self.comment),
        )
        for words, widget in rows:
            widget.setAccessibleName(words)
            form.addRow(label(words, "label"), widget)
            signals = ("currentIndexChanged", "valueChanged", "textChanged")
            next(getattr(widget, name) for name in signals if hasattr(widget, name)).connect(self._read)
        return form

    def _head(self) -> str:
        return text_of(self._data[:SAMPLE_BYTES], self._layout.encoding)

    def wanted(self) -> Layout:
        """Return the layout that is set."""
        encoding = self.encoding.currentText()
        return replace(
            self._layout,
            encoding=encoding,
            delimiter=self.delimiter.currentData(),
            decimal_mark=self.mark.currentData(),
            columns=1,
            first_row=self.first.value() - 1,
            names_line=self.names.value() - 1 if self.names.value() else None,
            units_line=self.units.value() - 1 if self.units.value() else None,
            comment_mark=self.comment.text().strip(),
        )

    def _show_raw(self) -> None:
        text = text_of(self._data[:SAMPLE_BYTES], self.encoding.currentText())
        lines = text.replace("\r\n", "\n").replace("\r", "\n").split("\n")
        self.raw.setFont(sans(11))
        self.raw.setPlainText("\n".join(f"{i:>4}  {line}" for i, line in enumerate(lines[:400], 1)))
        self.raw.moveCursor(QTextCursor.MoveOperation.Start)

    def _read(self) -> None:
        if self._filling:
            return
        self._show_raw()
        ok = self.buttons.button(QDialogButtonBox.StandardButton.Ok)
        wanted = self.wanted()
        try:
            self.table, _ = parse(self._data, Path(self._path).name, "", lambda _guess, _head: wanted)
        except (VettoreError, UnicodeError) as error:
            self.table = None
            self.problem.setText(str(error))
            ok.setEnabled(False)
            self.cells.setRowCount(0)
            return
        self.problem.setText("")
        ok.setEnabled(True)
        self._show_table(self.table)

    def _show_table(self, table: Table) -> None:
        self.cells.setColumnCount(len(table.columns))
        self.cells.setRowCount(min(table.rows, MOST_ROWS_SHOWN))
        self.cells.setHorizontalHeaderLabels([f"{c.name} ({c.unit})" if c.unit else c.name for c in table.columns])
        for place, column in enumerate(table.columns):
            for row, text in enumerate(cell_texts(column)[:MOST_ROWS_SHOWN]):
                item = QTableWidgetItem(text)
                if column.texts is None:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.cells.setItem(row, place, item)


def guessed_layout(data: bytes, name: str) -> Layout:
    """Return how a text would be read without being told. Raises FileError when it is no table."""
    encoding = encoding_of(data, name)
    return guess(text_of(data[: 2 * SAMPLE_BYTES], encoding), encoding, name)
