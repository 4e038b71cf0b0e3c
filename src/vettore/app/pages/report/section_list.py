"""The sections of the report as a list: ticked, dragged into another order, titled in place."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent
from PySide6.QtWidgets import QApplication, QListWidget, QListWidgetItem

from vettore.report.sections.listed import arranged
from vettore.study.kinds.report import ReportRecipe

KEY = Qt.ItemDataRole.UserRole
ROW = 22
HOW = "Drag, or Ctrl and ↑ ↓: another place in the report. Twice a click, or F2: another title."


class SectionList(QListWidget):
    """Tells what the user does: ``turned`` a section on or off, ``moved`` to a new order, ``titled`` one anew."""

    turned = Signal(str, bool)
    moved = Signal(tuple)
    titled = Signal(str, str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("sections")
        self.setAccessibleName("Sections of the report")
        self.setAccessibleDescription(HOW)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._recipe = ReportRecipe()
        self._order: tuple[str, ...] = ()
        self.itemChanged.connect(self._tell_change)
        # The section under the hand, and where it was taken.
        self._held, self._taken = "", 0

    @property
    def keys(self) -> tuple[str, ...]:
        """The sections in their order."""
        return tuple(str(self.item(row).data(KEY)) for row in range(self.count()))

    @property
    def chosen(self) -> str:
        """The section that is chosen, or nothing."""
        item = self.currentItem()
        return "" if item is None else str(item.data(KEY))

    def item_of(self, key: str) -> QListWidgetItem:
        """Return the line of a section."""
        return self.item(self.keys.index(key))

    def show_recipe(self, recipe: ReportRecipe) -> None:
        """Show the sections as a report has them; the chosen one stays chosen."""
        chosen, self._recipe = self.chosen, recipe
        self.blockSignals(True)
        entries = [entry for entry in arranged(recipe.order) if not entry.sheets]
        self._order = tuple(entry.key for entry in entries)
        if self.keys != self._order:
            self.clear()
            for entry in entries:
                item = QListWidgetItem()
                item.setData(KEY, entry.key)
                item.setSizeHint(QSize(0, ROW))
                item.setToolTip(HOW)
                item.setFlags(
                    Qt.ItemFlag.ItemIsEnabled
                    | Qt.ItemFlag.ItemIsSelectable
                    | Qt.ItemFlag.ItemIsUserCheckable
                    | Qt.ItemFlag.ItemIsEditable
                )
                self.addItem(item)
        titles = dict(recipe.titles)
        for row, entry in enumerate(entries):
            self.item(row).setText(titles.get(entry.key, entry.name))
            on = entry.key not in recipe.left_out
            self.item(row).setCheckState(Qt.CheckState.Checked if on else Qt.CheckState.Unchecked)
        if chosen in self.keys:
            self.setCurrentRow(self.keys.index(chosen))
        self.blockSignals(False)
        self.setFixedHeight(ROW * self.count() + 4)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        super().mousePressEvent(event)
        item = self.itemAt(event.position().toPoint())
        self._held = str(item.data(KEY)) if item is not None else ""
        self._taken = int(event.position().y())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Let the section follow the hand."""
        at = int(event.position().y())
        if not self._held or not event.buttons() & Qt.MouseButton.LeftButton:
            super().mouseMoveEvent(event)
        elif abs(at - self._taken) > QApplication.startDragDistance() // 2:
            row, to = self.keys.index(self._held), min(max(at // ROW, 0), self.count() - 1)
            if row != to:
                self.blockSignals(True)
                self.insertItem(to, self.takeItem(row))
                self.setCurrentRow(to)
                self.blockSignals(False)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        held, self._held = self._held, ""
        if held and self.keys != self._order:
            self.moved.emit(self.keys)
        else:
            super().mouseReleaseEvent(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        by = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()))
        row = self.currentRow()
        if by is None or not event.modifiers() & Qt.KeyboardModifier.ControlModifier or row < 0:
            super().keyPressEvent(event)
        elif 0 <= row + by < self.count():
            keys = list(self.keys)
            keys.insert(row + by, keys.pop(row))
            self.moved.emit(tuple(keys))

    def _tell_change(self, item: QListWidgetItem) -> None:
        key = str(item.data(KEY))
        on = item.checkState() == Qt.CheckState.Checked
        if on == (key in self._recipe.left_out):
            self.turned.emit(key, on)
            return
        name = next(entry.name for entry in arranged(()) if entry.key == key)
        title = " ".join(item.text().split())
        self.titled.emit(key, "" if title == name else title)
