"""The working of a fit: sums, design matrix, normal equations and solution, or the path of the iterations."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QFont
from PySide6.QtWidgets import QApplication, QDialog, QHBoxLayout, QPlainTextEdit, QVBoxLayout, QWidget

from vettore.app.style import sans
from vettore.app.widgets.parts import button, label
from vettore.core.rounding import NumberStyle
from vettore.report.working import working_text
from vettore.study.derive import DerivedFit


class WorkingDrawer(QDialog):
    """Shows how the numbers came about; everything can be copied."""

    def __init__(self, fit: DerivedFit, style: NumberStyle, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("The working")
        self.setObjectName("panel")
        self.resize(760, 620)
        box = QVBoxLayout(self)
        box.setContentsMargins(18, 14, 18, 14)
        box.addWidget(label("How these numbers came about", "head"))
        self.text = QPlainTextEdit(working_text(fit, style))
        self.text.setReadOnly(True)
        self.text.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        font = QFont("monospace")
        font.setStyleHint(QFont.StyleHint.Monospace)
        font.setPointSizeF(sans().pointSizeF())
        self.text.setFont(font)
        self.text.setAccessibleName("The working, step by step")
        box.addWidget(self.text, 1)
        row = QHBoxLayout()
        row.addStretch()
        row.addWidget(button("Copy all", self.copy))
        row.addWidget(button("Close", self.close, "primary"))
        box.addLayout(row)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)

    def copy(self) -> None:
        """Put the working on the clipboard."""
        QApplication.clipboard().setText(self.text.toPlainText())
