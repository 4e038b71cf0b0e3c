"""The window: top bar, rail, choices, stage, findings, status line."""

from __future__ import annotations

import sys
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QAction
from PySide6.QtWidgets import (
    QApplication,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QMainWindow,
    QSizePolicy,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from vettore.app.file_actions import FileActions, open_study_file, read_file_as_before
from vettore.app.guide import INDEX
from vettore.app.keeping import Keeper
from vettore.app.looks import Looks
from vettore.app.memory import give_back
from vettore.app.menus import Menus
from vettore.app.pages.listed import PAGES
from vettore.app.pages.page import Doors, Page
from vettore.app.places import places
from vettore.app.saving import Saving
from vettore.app.session import Session, What
from vettore.app.style import dress
from vettore.app.widgets.parts import first_by_tab, help_of, label
from vettore.app.widgets.rail import Rail
from vettore.app.widgets.tray import Tray
from vettore.app.widgets.whole import Whole
from vettore.core.remarks import counted
from vettore.files import STUDY_SUFFIX as SUFFIX
from vettore.look.theme import LAMP, PAPER, SIZES
from vettore.study import edits
from vettore.study.study import Study

SAID_FOR = 8000
# After so many rows came in, memory that reading them took is given back, this many milliseconds later.
MANY_ROWS = 100_000
GIVE_BACK_AFTER = 1500


class Pages(dict[str, Page]):
    """Pages by name, each made when it is first asked for, so that the first window is painted soon."""

    def __init__(self, make: Callable[[str], Page]) -> None:
        super().__init__()
        self._make = make

    def __missing__(self, name: str) -> Page:
        self[name] = page = self._make(name)
        return page


class Window(FileActions, QMainWindow):
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
        self.keeper = Keeper(self)
        self.saving = Saving(self)
        self.looks = Looks(self)
        self._build_frame()
        self.menus = Menus(self)
        self.setMenuWidget(self.menus)
        self._forget_said = QTimer(self)
        self._forget_said.setSingleShot(True)
        self._forget_said.timeout.connect(self._show_status)
        self.session.changed.connect(self._heed)
        self.session.said.connect(self._hear)
        self.session.pointed_changed.connect(lambda _row: self._show_status())
        self.session.start(Study())
        self.show_page("Data")

    def _build_frame(self) -> None:
        self.rail = Rail(PAGES)
        self.rail.chosen.connect(self.show_page)
        self.tray = Tray(self.session)
        self._choices, self._stages, self._findings = QStackedWidget(), QStackedWidget(), QStackedWidget()
        left = QWidget()
        left.setObjectName("choices")
        left.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(self.tray, 4)
        column.addWidget(self._choices, 8)
        right = QWidget()
        right.setObjectName("findings")
        right.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        QVBoxLayout(right).addWidget(self._findings)
        right.layout().setContentsMargins(0, 0, 0, 0)
        self._left, self._right = left, right
        self._status = label("", "muted")
        line = QWidget()
        line.setObjectName("statusline")
        line.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        line.setFixedHeight(25)
        box = QHBoxLayout(line)
        box.setContentsMargins(SIZES.rail + 12, 0, 12, 0)
        box.addWidget(self._status, 1)
        self._stages.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        body = QWidget()
        grid = QGridLayout(body)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(0)
        for place, widget in enumerate((self.rail, left, self._stages, right)):
            grid.addWidget(widget, 0, place)
        grid.addWidget(line, 1, 0, 1, 4)
        grid.setColumnStretch(2, 1)
        grid.setRowStretch(0, 1)
        self.setCentralWidget(Whole(body))

    def add_action(self, menu, words: str, keys, action) -> QAction:
        """Add a line to a menu, with its keys."""
        one = QAction(words, self)
        one.setShortcut(keys)
        one.triggered.connect(lambda _checked=False: action())
        menu.addAction(one)
        self.addAction(one)
        return one

    # What the user asks for

    def show_page(self, name: str) -> None:
        """Bring a page into view."""
        page = self.pages[name]
        if self.page is not None and self.page is not page:
            self.page.leave()
        self.page = page
        self.rail.show_page(name)
        self._choices.setCurrentWidget(page.choices)
        self._stages.setCurrentWidget(page.stage)
        self._findings.setCurrentWidget(page.findings)
        self.tray.setVisible(page.shows_tray)
        self.tray.set_folded(not page.few_choices)
        few = page.choices.sizeHint().height() if page.few_choices else 16777215
        self._choices.setMaximumHeight(few)
        page.enter()
        if page.first is not None:
            page.first.setFocus(Qt.FocusReason.OtherFocusReason)
        self._show_status()

    def open_tray(self) -> None:
        """Open the list of series and curves, where it is folded."""
        if self.tray.fold.isVisible():
            self.tray.open()
        else:
            self.tray.list.search_field.setFocus()

    def next_part(self, step: int = 1) -> None:
        """Give the keyboard to the first widget of the next part: rail, series, choices, stage, findings, and again."""
        if self.page is None:
            return
        parts = [self.rail, self.tray, self.page.choices, self.page.stage, self.page.findings]
        here = QApplication.focusWidget()
        now = next((place for place, part in enumerate(parts) if here is not None and part.isAncestorOf(here)), 0)
        for further in range(1, len(parts) + 1):
            part = parts[(now + step * further) % len(parts)]
            first = first_by_tab(part)
            if first is not None:
                first.setFocus(Qt.FocusReason.TabFocusReason)
                return

    def find(self) -> None:
        """Open the finder."""
        from vettore.app.finder import Finder, things_of

        self.finder = Finder(things_of(self), self)
        self.finder.open()

    def show_keys(self) -> None:
        """Show all keys."""
        from vettore.app.finder import KeySheet, actions_of

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
        if self.saving.may_leave():
            self.session.start(Study())
            self.show_page("Data")

    def ask_open(self) -> None:
        """Ask for files and open them."""
        start = str(self.session.path.parent if self.session.path else Path.home())
        from vettore.files.readers import ENDINGS

        endings = " ".join(f"*.{ending}" for ending in ENDINGS)
        words = f"Studies and tables (*{SUFFIX} {endings});;All files (*)"
        chosen, _ = QFileDialog.getOpenFileNames(self, "Open", start, words)
        if chosen:
            self.open_paths([Path(one) for one in chosen])

    def open_paths(self, paths: list[Path]) -> None:
        """Open a study, or bring text files in as series, in the background."""
        studies = [path for path in paths if path.suffix.casefold() == SUFFIX]
        if studies and not self.saving.may_leave():
            return
        for path in studies[:1]:
            self.session.background.run(
                "open",
                lambda path=path: open_study_file(path),
                lambda study, path=path: self.start(study, path),
                self.refuse,
            )
        from vettore.files.refusals import shown_name, shown_path

        store = self.places.remembered
        for number, path in enumerate(one for one in paths if one not in studies):
            self.session.say(f"Reading {shown_name(path)} … Escape gives it up.")
            self.session.background.run(
                f"read {number} {shown_path(path)}",
                lambda path=path: read_file_as_before(path, store),
                lambda offers, path=path: self._bring_in(offers, path),
                self.refuse,
            )

    def show_demo(self) -> None:
        """Open the demo study, after asking about unsaved work."""
        if self.saving.may_leave():
            from vettore.demo.study import demo_study

            self.session.background.run("demo", demo_study, self.start, self.refuse)

    def start(self, study: Study, path: Path | None = None) -> None:
        """Show a study."""
        self.session.start(study, path)
        if path is not None:
            self.keeper.note_recent()
            self.session.say(self.saving.opened_in_words())
        else:
            self._show_status()

    def _heed(self, what: What) -> None:
        # Which fit is chosen is part of the study: it is the one that the report shows.
        if What.STUDY in what or What.CHOICE in what:
            self.show_title()

    def show_help(self) -> None:
        """Show the guide at the place that is about what has the keyboard, or else about the page."""
        self.show_help_page(help_of(QApplication.focusWidget()) or (self.page.help_page if self.page else INDEX))

    def show_help_page(self, name: str) -> None:
        """Show a page of the guide, or a heading of it."""
        from vettore.app.help import HelpWindow

        if self._help is None:
            self._help = HelpWindow(self)
        self._help.show_page(name)

    # What Qt tells

    def keyPressEvent(self, event) -> None:
        # What the widget with the keyboard leaves: Escape closes the topmost thing, then lets the choice of rows go.
        if event.key() == Qt.Key.Key_Escape and self.page is not None:
            if not self._give_up_reading() and not self.page.close_topmost():
                self.session.choose_rows(())
            return
        super().keyPressEvent(event)

    def _give_up_reading(self) -> bool:
        """Give up the files that are being read in a process of their own; whether there were some."""
        box = sys.modules.get("vettore.files.box")
        return box is not None and box.give_up() > 0

    def dragEnterEvent(self, event) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event) -> None:
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        event.acceptProposedAction()
        self.open_paths(paths)

    def closeEvent(self, event) -> None:
        if not self.saving.may_leave():
            event.ignore()
            return
        self.session.background.stop()
        self.session.let_go()
        self.keeper.end()
        event.accept()

    def resizeEvent(self, event) -> None:
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
            open_file=self.ask_open,
            read_differently=self.read_differently,
            show_page=self.show_page,
            open_paths=self.open_paths,
            show_demo=self.show_demo,
            recent=self.keeper.recent,
            show_help=self.show_help_page,
        )
        page = entry.make(self.session, doors)
        self._choices.addWidget(page.choices)
        self._stages.addWidget(page.stage)
        self._findings.addWidget(page.findings)
        return page

    def _bring_in(self, offers, path: Path) -> None:
        study = self.session.study
        for offer in offers:
            study = edits.add_series(study, offer.table, offer.name)
        self.session.do(f"bring in {path.name}", study)
        self.session.choose_newest()
        rows = sum(offer.table.rows for offer in offers)
        if rows > MANY_ROWS:
            QTimer.singleShot(GIVE_BACK_AFTER, give_back)
        tables = f" in {len(offers)} tables" if len(offers) > 1 else ""
        self.session.say(f"{path.name}: {counted(rows, 'row')} came in{tables}.")
        if self.page is not None and self.page.name == "Report":
            self.show_page("Data")

    def take_theme(self, lamp: bool) -> None:
        """Change between paper and lamp."""
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        dress(app, LAMP if lamp else PAPER)
        for page in self.pages.values():
            page.redraw()
        self.tray.rebuild()
        self.update()

    def refuse(self, sentence: str) -> None:
        """Say what could not be done."""
        self.session.say(sentence, "bad")

    def _hear(self, kind: str, text: str) -> None:
        if kind == "status":
            self._show_status()
            return
        self._status.setText(text)
        self._mark_status(kind or "muted")
        self._forget_said.start(SAID_FOR * (3 if kind == "bad" else 1))

    def _show_status(self) -> None:
        if self._forget_said.isActive() and self._status.property("kind") == "bad":
            return
        self._mark_status("muted")
        self._status.setText("        ".join(self.page.status()) if self.page else "")

    def _mark_status(self, kind: str) -> None:
        if self._status.property("kind") != kind:
            self._status.setProperty("kind", kind)
            self._status.style().unpolish(self._status)
            self._status.style().polish(self._status)

    def show_title(self) -> None:
        """Show the title, whether it is saved, and what can be undone."""
        self.menus.tell(self.session)
