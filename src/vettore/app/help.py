"""The guide in a window of its own; the pages are the Markdown files of docs/guide."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt, QUrl
from PySide6.QtWidgets import QTextBrowser, QVBoxLayout, QWidget

PACKAGE = Path(__file__).parents[1]
# In an installed package the guide lies beside it, in a checkout under docs.
FOLDERS = (PACKAGE / "guide", PACKAGE.parents[1] / "docs" / "guide")


def guide_folder() -> Path:
    """Return where the guide is."""
    return next((folder for folder in FOLDERS if folder.is_dir()), FOLDERS[-1])


class HelpWindow(QWidget):
    """Shows a page of the guide; links lead to the others."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setWindowTitle("Vettore guide")
        self.resize(640, 720)
        self.text = QTextBrowser()
        self.text.setAccessibleName("Guide")
        self.text.document().setDocumentMargin(20)
        self.text.setSearchPaths([str(guide_folder())])
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self.text)

    def show_page(self, name: str) -> None:
        """Show a page and come to the front."""
        self.text.setSource(QUrl.fromLocalFile(str(guide_folder() / name)))
        self.show()
        self.raise_()
        self.activateWindow()
