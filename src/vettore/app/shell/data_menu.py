"""The Data menu: what can be made of a series and of its rows, and what has to be asked for it."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtGui import QKeySequence
from PySide6.QtWidgets import QInputDialog, QMenu

from vettore.app.pages.data.page import DataPage
from vettore.app.shell.file_actions import FileActions
from vettore.app.shell.shell import Shell
from vettore.core.errors import VettoreError
from vettore.core.rounding import read_number
from vettore.study import edits
from vettore.study.series import ErrorKind, ErrorOfY


class DataMenu:
    """Fills the menu of a window and does what it offers."""

    def __init__(self, shell: Shell, files: FileActions, menu: QMenu) -> None:
        self._shell, self.session, self._files = shell, shell.session, files
        self._add_all(menu)

    def _page(self) -> DataPage:
        self._shell.show_page("Data")
        page = self._shell.pages["Data"]
        assert isinstance(page, DataPage)
        return page

    def _add_all(self, menu: QMenu) -> None:
        add, page, none = self._shell.add_action, self._page, QKeySequence()
        add(menu, "Paste as a series", QKeySequence("Ctrl+Shift+V"), lambda: page().bringing.paste())
        add(menu, "Type columns", none, lambda: page().bringing.type_columns())
        add(menu, "Make practice data …", none, lambda: page().practice.open())
        add(menu, "Read the file again", QKeySequence("F5"), self._files.read_again)
        menu.addSeparator()
        add(menu, "Put a row in", QKeySequence("Ctrl+I"), lambda: page().hands.insert_rows())
        add(menu, "Delete rows", QKeySequence("Ctrl+Delete"), lambda: page().hands.delete_rows())
        add(menu, "Fill a sequence …", none, lambda: self._fill_sequence(page()))
        menu.addSeparator()
        add(menu, "Numbers of each row across columns", none, lambda: page().making.across())
        add(menu, "Average repeats", none, lambda: page().making.averages())
        add(menu, "Keep every n-th row …", none, lambda: self._ask_whole("Keep every", 2, page().making.thinned))
        add(menu, "Moving median …", none, lambda: self._ask_whole("Rows in the window", 5, page().making.median))
        menu.addSeparator()
        add(menu, "± of y …", none, self._ask_error)
        add(menu, "Rename the series …", none, self._ask_name)
        add(menu, "Duplicate the series", none, self._duplicate)
        add(menu, "Export the series …", none, self._files.export_series)

    def _ask_whole(self, words: str, value: int, then: Callable[[int], object]) -> None:
        number, ok = QInputDialog.getInt(self._shell.widget, "Make a new series", words, value, 2, 100_000)
        if ok:
            then(number)

    def _fill_sequence(self, page: DataPage) -> None:
        words = "start, step, count — or: start … end, count (add “log” for a logarithmic one)"
        text, ok = QInputDialog.getText(self._shell.widget, "Fill a sequence", words, text="0, 5, 13")
        if not ok:
            return
        logarithmic = "log" in text
        plain = text.replace("log", "")
        to_end = "…" in plain or "..." in plain
        parts = [read_number(part) for part in plain.replace("...", "…").replace("…", ",").split(",")]
        if len(parts) != 3 or any(part is None for part in parts):
            self._shell.refuse(f"“{text}” is not a sequence: write three numbers, such as 0, 5, 13 or 0 … 60, 13.")
            return
        start, second, count = (float(part) for part in parts if part is not None)
        page.hands.fill_sequence(
            start, None if to_end else second, second if to_end else None, int(count), logarithmic
        )

    def _ask_error(self) -> None:
        """Ask for the ± of y: a number, a percentage, or the column with that role."""
        series = self.session.series
        if series is None:
            return
        now = {"constant": f"{series.error_of_y.value:g}", "percent": f"{series.error_of_y.value:g} %"}
        words = "A number, a percentage such as 2 %, or nothing for the column whose role is ± of y"
        text, ok = QInputDialog.getText(self._shell.widget, "± of y", words, text=now.get(series.error_of_y.kind, ""))
        if not ok:
            return
        value = read_number(text.replace("%", ""))
        kind = ErrorKind.COLUMN if not text.strip() else ErrorKind.PERCENT if "%" in text else ErrorKind.CONSTANT
        if kind is not ErrorKind.COLUMN and value is None:
            self._shell.refuse(f"“{text}” is neither a number nor a percentage.")
            return
        try:
            study = edits.set_error_of_y(self.session.study, series.id, ErrorOfY(kind, value or 0.0))
        except VettoreError as error:
            self._shell.refuse(str(error))
            return
        self.session.do("set the ± of y", study)

    def _ask_name(self) -> None:
        series = self.session.series
        if series is not None:
            name, ok = QInputDialog.getText(self._shell.widget, "Rename the series", "Name", text=series.name)
            if ok and name.strip():
                self.session.do(
                    f"rename {series.name}", edits.rename_series(self.session.study, series.id, name.strip())
                )

    def _duplicate(self) -> None:
        series = self.session.series
        if series is not None:
            self.session.do(f"duplicate {series.name}", edits.duplicate_series(self.session.study, series.id))
            self.session.choose_newest()
