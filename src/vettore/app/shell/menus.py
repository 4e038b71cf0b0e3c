"""The bar at the top of the window: its menus, the title of the study, and whether it is kept."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtWidgets import QGridLayout, QMenu, QMenuBar, QWidget

from vettore.app.pages.listed import PAGES
from vettore.app.session import Session
from vettore.app.shell.data_menu import DataMenu
from vettore.app.shell.guide import INDEX, TASKS
from vettore.app.widgets.parts import label

if TYPE_CHECKING:
    from vettore.app.window import Window

KEYS = QKeySequence.StandardKey
NONE = QKeySequence()


class Menus(QWidget):
    """Fills the menus of a window; what they do is the window's affair."""

    def __init__(self, window: Window) -> None:
        super().__init__()
        self.setObjectName("topbar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        bar = QMenuBar()
        names = ("&Study", "&Edit", "&Data", "&View", "&Help")
        study, edit, data, view, help_menu = (bar.addMenu(name) for name in names)
        self._fill_study(window, study)
        self.undo = window.add_action(edit, "Undo", KEYS.Undo, window.undo)
        self.redo = window.add_action(edit, "Redo", QKeySequence("Ctrl+Shift+Z"), window.session.redo)
        DataMenu(window, data)
        self._fill_view(window, view)
        window.add_action(help_menu, "Find anything …", QKeySequence("Ctrl+K"), window.find)
        window.add_action(help_menu, "Keys", QKeySequence("Ctrl+F1"), window.show_keys)
        window.add_action(help_menu, "Help for this place", KEYS.HelpContents, window.show_help)
        window.add_action(help_menu, "Ten tasks", NONE, lambda: window.show_help_page(TASKS))
        window.add_action(help_menu, "Guide", NONE, lambda: window.show_help_page(INDEX))
        box = QGridLayout(self)
        box.setContentsMargins(4, 0, 14, 0)
        self.title, self.kept = label("", "label"), label("", "muted")
        self.title.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.kept.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        for place, widget in enumerate((bar, self.title, self.kept)):
            box.addWidget(widget, 0, place)
            box.setColumnStretch(place, 1)

    def tell(self, session: Session) -> None:
        """Say the title of the study, whether it is kept, and what can be undone.

        Undo is never out of use: it also takes back what is no edit yet.
        """
        history = session.history
        self.title.setText(session.study.title)
        self.kept.setText("changes not saved" if history.unsaved else "")
        if session.path is not None and not history.unsaved:
            self.kept.setText("all changes saved")
        self.undo.setText(f"Undo: {history.undo_label}" if history.undo_label else "Undo")
        self.redo.setText(f"Redo: {history.redo_label}" if history.redo_label else "Redo")
        self.redo.setEnabled(bool(history.redo_label))

    @staticmethod
    def _fill_study(window: Window, menu: QMenu) -> None:
        window.add_action(menu, "New study", KEYS.New, window.new_study)
        window.add_action(menu, "Open …", KEYS.Open, window.files.ask_open)
        recent = menu.addMenu("Recent studies")
        recent.aboutToShow.connect(lambda: window.keeper.list_recent(recent))
        window.add_action(menu, "Demo study", NONE, window.files.show_demo)
        menu.addSeparator()
        window.add_action(menu, "Save", KEYS.Save, window.saving.save)
        window.add_action(menu, "Save as …", KEYS.SaveAs, window.saving.ask_save_as)
        window.add_action(menu, "Save the report …", KEYS.Print, window.save_report)
        menu.addSeparator()
        window.add_action(menu, "Quit", KEYS.Quit, window.close)

    @staticmethod
    def _fill_view(window: Window, menu: QMenu) -> None:
        for number, entry in enumerate(PAGES, 1):
            turn = QKeySequence(f"Ctrl+{number}")
            window.add_action(menu, entry.name, turn, lambda name=entry.name: window.show_page(name))
        menu.addSeparator()
        window.add_action(menu, "Series and curves", QKeySequence("Ctrl+T"), window.open_tray)
        window.add_action(menu, "Next part of the window", QKeySequence("F6"), window.next_part)
        window.add_action(menu, "Part of the window before", QKeySequence("Shift+F6"), lambda: window.next_part(-1))
        window.add_action(menu, "Copy the plot as a picture", QKeySequence("Ctrl+Shift+C"), window.files.copy_picture)
        window.add_action(menu, "Save the plot …", NONE, window.files.save_picture)
        menu.addSeparator()
        window.looks.fill(menu)
