"""The window: top bar, rail, choices, stage, findings, status line."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QKeySequence, QResizeEvent
from PySide6.QtWidgets import (
    QApplication,
    QMainWindow,
    QMenu,
    QSizePolicy,
    QStackedWidget,
    QWidget,
)

from vettore.app.pages.listed import PAGES
from vettore.app.pages.page import Doors, Page
from vettore.app.places import places
from vettore.app.restyle import catch_up, put_off
from vettore.app.session import Session, What
from vettore.app.shell.file_actions import FileActions
from vettore.app.shell.frame import arranged, focus_next, panel
from vettore.app.shell.guide import INDEX
from vettore.app.shell.keeping import Keeper
from vettore.app.shell.looks import Looks
from vettore.app.shell.menus import Menus
from vettore.app.shell.saving import Saving
from vettore.app.shell.status import StatusLine
from vettore.app.shell.warming import warm_later
from vettore.app.style import dress
from vettore.app.widgets.parts import help_of
from vettore.app.widgets.rail import Rail
from vettore.app.widgets.tray import Tray
from vettore.app.widgets.whole import Whole
from vettore.look.theme import LAMP, PAPER, SIZES
from vettore.study.study import Study


class Pages(dict[str, Page]):
    """Pages by name, each made when it is first asked for, so that the first window is painted soon."""

    def __init__(self, make: Callable[[str], Page]) -> None:
        super().__init__()
        self._make = make
        # Those that have not been dressed since the theme changed.
        self._behind: set[str] = set()

    def __missing__(self, name: str) -> Page:
        self[name] = page = self._make(name)
        page.polish()
        return page

    def put_off(self, shown: Page | None) -> None:
        """Leave all pages but the one that is shown out of the change of theme that follows."""
        for name, page in self.items():
            if page is not shown:
                put_off((page.choices, page.stage, page.findings))
                self._behind.add(name)

    def dressed(self, name: str) -> Page:
        """Return a page that is about to be shown, dressed now if it was left out."""
        page = self[name]
        if name in self._behind:
            self._behind.remove(name)
            catch_up((page.choices, page.stage, page.findings))
        return page


class Window(QMainWindow):
    """One study in one window."""

    def __init__(self) -> None:
        super().__init__()
        self.setWindowTitle("Vettore")
        self.setAcceptDrops(True)
        room = self.screen().availableSize()
        self.setMinimumSize(min(1024, room.width()), min(700, room.height()))
        self.resize(1280, 800)
        self.session = Session(self)
        self.pages: dict[str, Page] = Pages(self._make_page)
        self.page: Page | None = None
        self._help: QWidget | None = None
        self.places = places()
        self.files = FileActions(self)
        self.keeper = Keeper(self)
        self.saving = Saving(self)
        self.looks = Looks(self)
        self._build_frame()
        self.menus = Menus(self, self.files, self.keeper, self.saving, self.looks)
        self.setMenuWidget(self.menus)
        self.session.changed.connect(self._heed)
        self._status.listen(self.session)
        self.session.start(Study())
        self.show_page("Data")
        warm_later(self.session.background)

    def _build_frame(self) -> None:
        self.rail = Rail(PAGES)
        self.rail.chosen.connect(self.show_page)
        self.tray = Tray(self.session)
        self._choices, self._stages, self._findings = QStackedWidget(), QStackedWidget(), QStackedWidget()
        self._left = panel("choices", (self.tray, 4), (self._choices, 8))
        self._right = panel("findings", (self._findings, 0))
        self._status = StatusLine(lambda: self.page.status() if self.page is not None else [])
        self._stages.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        body = arranged(self.rail, self._left, self._stages, self._right, self._status)
        self.setCentralWidget(Whole(body))

    @property
    def widget(self) -> QWidget:
        """The window as Qt knows it: the parent of dialogs."""
        return self

    def add_action(
        self, menu: QMenu, words: str, keys: QKeySequence | QKeySequence.StandardKey, action: Callable[[], object]
    ) -> QAction:
        """Add a line to a menu, with its keys."""
        item = QAction(words, self)
        item.setShortcut(keys)
        item.triggered.connect(lambda _checked=False: action())
        menu.addAction(item)
        self.addAction(item)
        return item

    # What the user asks for

    def show_page(self, name: str) -> None:
        """Bring a page into view."""
        page = self.pages.dressed(name)
        if self.page is not None and self.page is not page:
            self.page.leave()
        self.page = page
        self.rail.show_page(name)
        self._choices.setCurrentWidget(page.choices)
        self._stages.setCurrentWidget(page.stage)
        self._findings.setCurrentWidget(page.findings)
        self.tray.setVisible(page.shows_tray)
        self.tray.set_folded(not page.few_choices)
        self._choices.setMaximumHeight(page.choices.sizeHint().height() if page.few_choices else 16777215)
        page.enter()
        if page.first is not None:
            page.first.setFocus(Qt.FocusReason.OtherFocusReason)
        self._status.show_status()

    def open_tray(self) -> None:
        """Open the list of series and curves, where it is folded."""
        if self.tray.fold.isVisible():
            self.tray.open()
        else:
            self.tray.list.search_field.setFocus()

    def next_part(self, step: int = 1) -> None:
        """Give the keyboard to the first widget of the next part: rail, series, choices, stage, findings, and again."""
        if self.page is not None:
            focus_next([self.rail, self.tray, self.page.choices, self.page.stage, self.page.findings], step)

    def find(self) -> None:
        """Open the finder."""
        from vettore.app.shell.finder import Finder, things_of

        self.finder = Finder(things_of(self), self)
        self.finder.open()

    def show_keys(self) -> None:
        """Show all keys."""
        from vettore.app.shell.finder import KeySheet, actions_of

        self.keys = KeySheet(actions_of(self, possible=False), self)
        self.keys.show()

    def undo(self) -> None:
        """Take back what was last done by hand on the page, or else the last edit."""
        if self.page is None or not self.page.take_back():
            self.session.undo()

    def save_report(self) -> None:
        """Show the report, and ask where it is to be saved."""
        from vettore.app.pages.report.page import ReportPage

        self.show_page("Report")
        assert isinstance(self.page, ReportPage)
        self.page.ask_and_save_first()

    def new_study(self) -> None:
        """Begin an empty study, after asking about unsaved work."""
        if self.may_leave():
            self.session.start(Study())
            self.show_page("Data")

    def open_paths(self, paths: list[Path]) -> None:
        """Open a study, or bring files in as series."""
        self.files.open_paths(paths)

    def start(self, study: Study, path: Path | None = None) -> None:
        """Show a study."""
        self.session.start(study, path)
        if path is not None:
            self.note_recent()
            self.session.say(self.saving.opened_in_words())
        else:
            self._status.show_status()

    def open_beside(self, path: Path) -> QWidget:
        """Open a study in a window of its own."""
        other = Window()
        other.looks.begin()
        other.keeper.start_journal()
        other.show()
        other.open_paths([path])
        return other

    def may_leave(self) -> bool:
        """Ask about unsaved work; whether the study may be left."""
        return self.saving.may_leave()

    def note_recent(self) -> None:
        """Note the study among the recent ones."""
        self.keeper.note_recent()

    def _heed(self, what: What) -> None:
        # Which fit is chosen is part of the study: it is the one that the report shows.
        if What.STUDY in what or What.CHOICE in what:
            self.show_title()

    def show_help(self) -> None:
        """Show the guide at the place that is about what has the keyboard, or else about the page."""
        self.show_help_page(help_of(QApplication.focusWidget()) or (self.page.help_page if self.page else INDEX))

    def show_help_page(self, name: str) -> None:
        """Show a page of the guide, or a heading of it."""
        from vettore.app.shell.help import HelpWindow

        if self._help is None:
            self._help = HelpWindow(self)
        self._help.show_page(name)

    # What Qt tells

    def keyPressEvent(self, event: QKeyEvent) -> None:
        # What the widget with the keyboard leaves: Escape closes the topmost thing, then lets the choice of rows go.
        if event.key() == Qt.Key.Key_Escape and self.page is not None:
            if not self.files.give_up_reading() and not self.page.close_topmost():
                self.session.choose_rows(())
            return
        super().keyPressEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        event.acceptProposedAction()
        self.open_paths(paths)

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self.may_leave():
            event.ignore()
            return
        self.session.follower.stop()
        self.session.background.stop()
        self.session.let_go()
        self.keeper.end()
        event.accept()

    def resizeEvent(self, event: QResizeEvent) -> None:
        narrow = event.size().width() < SIZES.narrow_window
        self.rail.setFixedWidth(SIZES.narrow_rail if narrow else SIZES.rail)
        self._left.setFixedWidth(SIZES.narrow_choices if narrow else SIZES.choices)
        self._right.setFixedWidth(SIZES.narrow_findings if narrow else SIZES.findings)
        super().resizeEvent(event)
        if self.page is not None:
            self.page.fit_window()

    # Inside

    def _make_page(self, name: str) -> Page:
        entry = next(entry for entry in PAGES if entry.name == name)
        doors = Doors(
            open_file=self.files.ask_open,
            read_differently=self.files.read_differently,
            show_page=self.show_page,
            open_paths=self.open_paths,
            show_demo=self.files.show_demo,
            recent=self.keeper.recent,
            show_help=self.show_help_page,
        )
        page = entry.make(self.session, doors)
        self._choices.addWidget(page.choices)
        self._stages.addWidget(page.stage)
        self._findings.addWidget(page.findings)
        return page

    def take_theme(self, lamp: bool) -> None:
        """Change between paper and lamp."""
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        self.pages.put_off(self.page)
        dress(app, LAMP if lamp else PAPER)
        for page in self.pages.values():
            page.redraw()
        self.tray.rebuild()
        self.update()

    def refuse(self, sentence: str) -> None:
        """Say what could not be done."""
        self.session.say(sentence, "bad")

    def show_title(self) -> None:
        """Show the title, whether it is saved, and what can be undone."""
        self.menus.tell(self.session)
