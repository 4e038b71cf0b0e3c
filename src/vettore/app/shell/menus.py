"""The bar at the top of the window: its menus, the title of the study, and whether it is kept."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtWidgets import QGridLayout, QMenu, QMenuBar, QWidget

from vettore.app.pages.listed import PAGES
from vettore.app.session import Session
from vettore.app.shell.data_menu import DataMenu
from vettore.app.shell.file_actions import FileActions
from vettore.app.shell.guide import INDEX, TASKS
from vettore.app.shell.keeping import Keeper
from vettore.app.shell.looks import Looks
from vettore.app.shell.saving import Saving
from vettore.app.shell.shell import Commanded
from vettore.app.widgets.parts import label

KEYS = QKeySequence.StandardKey
NONE = QKeySequence()


class Menus(QWidget):
    """Fills the menus of a window; what they do is the window's affair."""

    def __init__(self, shell: Commanded, files: FileActions, keeper: Keeper, saving: Saving, looks: Looks) -> None:
        super().__init__()
        self.setObjectName("topbar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        bar = QMenuBar()
        names = ("&Study", "&Edit", "&Data", "&View", "&Help")
        study, edit, data, view, help_menu = (bar.addMenu(name) for name in names)
        self._fill_study(shell, files, keeper, saving, study)
        self.undo = shell.add_action(edit, "Undo", KEYS.Undo, shell.undo)
        self.redo = shell.add_action(edit, "Redo", QKeySequence("Ctrl+Shift+Z"), shell.session.redo)
        DataMenu(shell, files, data)
        self._fill_view(shell, files, looks, view)
        shell.add_action(help_menu, "Find anything …", QKeySequence("Ctrl+K"), shell.find)
        shell.add_action(help_menu, "Keys", QKeySequence("Ctrl+F1"), shell.show_keys)
        shell.add_action(help_menu, "Help for this place", KEYS.HelpContents, shell.show_help)
        shell.add_action(help_menu, "Ten tasks", NONE, lambda: shell.show_help_page(TASKS))
        shell.add_action(help_menu, "Guide", NONE, lambda: shell.show_help_page(INDEX))
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
    def _fill_study(shell: Commanded, files: FileActions, keeper: Keeper, saving: Saving, menu: QMenu) -> None:
        shell.add_action(menu, "New study", KEYS.New, shell.new_study)
        shell.add_action(menu, "Open …", KEYS.Open, files.ask_open)
        recent = menu.addMenu("Recent studies")
        recent.aboutToShow.connect(lambda: keeper.list_recent(recent))
        shell.add_action(menu, "Demo study", NONE, files.show_demo)
        menu.addSeparator()
        shell.add_action(menu, "Save", KEYS.Save, saving.save)
        shell.add_action(menu, "Save as …", KEYS.SaveAs, saving.ask_save_as)
        shell.add_action(menu, "Save the report …", KEYS.Print, shell.save_report)
        menu.addSeparator()
        shell.add_action(menu, "Quit", KEYS.Quit, shell.widget.close)

    @staticmethod
    def _fill_view(shell: Commanded, files: FileActions, looks: Looks, menu: QMenu) -> None:
        for number, entry in enumerate(PAGES, 1):
            turn = QKeySequence(f"Ctrl+{number}")
            shell.add_action(menu, entry.name, turn, lambda name=entry.name: shell.show_page(name))
        menu.addSeparator()
        shell.add_action(menu, "Series and curves", QKeySequence("Ctrl+T"), shell.open_tray)
        shell.add_action(menu, "Next part of the window", QKeySequence("F6"), shell.next_part)
        shell.add_action(menu, "Part of the window before", QKeySequence("Shift+F6"), lambda: shell.next_part(-1))
        shell.add_action(menu, "Copy the plot as a picture", QKeySequence("Ctrl+Shift+C"), files.copy_picture)
        shell.add_action(menu, "Save the plot …", NONE, files.save_picture)
        menu.addSeparator()
        looks.fill(menu)
