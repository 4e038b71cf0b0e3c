"""What a window without data offers: open or drop files, the demo study, practice data, the studies of the last days."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import datetime
from pathlib import Path

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QIcon, QResizeEvent
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QSizePolicy, QToolButton, QVBoxLayout, QWidget

from vettore.app.shell.guide import TASKS, places_on
from vettore.app.shell.recent import Recent
from vettore.app.widgets.parts import Column, button, clear, label, plain_tip, section
from vettore.words.dates import day_words

SENTENCE = "Bring in measured data to look at."
DROP = "Drop files anywhere on this window: tables, spreadsheets, instrument files, studies."
PICTURE, CARD_WIDTH, IN_A_ROW, MOST_CARDS = QSize(150, 94), 176, 3, 6
MOST_WIDTH, GAP, ROOM = 600, 10, 40


class Card(QToolButton):
    """A study with its picture, its name and when it was last written."""

    def __init__(self, recent: Recent, when: str) -> None:
        super().__init__()
        self.setProperty("kind", "card")
        self.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
        self.setIcon(QIcon(str(recent.picture)))
        self.setIconSize(PICTURE if recent.picture.exists() else QSize(1, 1))
        self.setFixedWidth(CARD_WIDTH)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        name = recent.path.stem
        shown = self.fontMetrics().elidedText(name, Qt.TextElideMode.ElideMiddle, CARD_WIDTH - 24)
        self.setText(f"{shown}\n{when}")
        self.setAccessibleName(f"Study {name}, {when}")
        self.setToolTip(plain_tip(str(recent.path)))


class FirstSteps(Column):
    """The tasks of the guide, each a click away from how it is done."""

    def __init__(self, show_help: Callable[[str], object]) -> None:
        super().__init__("First steps")
        self.add(section("What people come for"))
        for place in places_on(TASKS):
            if place.level == 2:
                words = place.heading.partition(". ")[2] or place.heading
                line = button(words, lambda link=place.link: show_help(link), "link", "Show how in the guide")
                self.column.addWidget(line, alignment=Qt.AlignmentFlag.AlignLeft)
        self.add(label("F1 tells about wherever you are. Ctrl+K finds anything by its words.", "muted", wrap=True))
        self.column.addStretch()


class Welcome(QWidget):
    """``chosen`` tells the path of the study that was clicked."""

    chosen = Signal(Path)

    def __init__(
        self, open_file: Callable[[], object], demo: Callable[[], object], practice: Callable[[], object]
    ) -> None:
        super().__init__()
        # What has the keyboard in a window without data.
        self.first: QWidget | None = None
        outer = QHBoxLayout(self)
        inner = QWidget()
        inner.setMaximumWidth(MOST_WIDTH)
        inner.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        outer.addStretch(1)
        outer.addWidget(inner, 8)
        outer.addStretch(1)
        box = QVBoxLayout(inner)
        box.addStretch(2)
        for words, kind in ((SENTENCE, "head"), (DROP, "muted")):
            line = label(words, kind, wrap=True)
            line.setAlignment(Qt.AlignmentFlag.AlignCenter)
            box.addWidget(line)
        box.addSpacing(8)
        row = QHBoxLayout()
        row.addStretch()
        for words, action, kind, tip in (
            ("Open a file …", open_file, "primary", "Tables, spreadsheets, studies (Ctrl+O)"),
            (
                "Look at the demo study",
                demo,
                "",
                "A week at a made-up field station: probes, fits, readings, a report",
            ),
            ("Make practice data …", practice, "", "Points of a formula you know, with noise, to try things on"),
        ):
            offer = button(words, action, kind, tip)
            self.first = self.first or offer
            row.addWidget(offer)
        row.addStretch()
        box.addLayout(row)
        box.addSpacing(22)
        self._title = section("Recent studies")
        box.addWidget(self._title)
        self._cards = QGridLayout()
        self._cards.setSpacing(GAP)
        self.cards: list[Card] = []
        self._cards.setAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop)
        box.addLayout(self._cards)
        box.addStretch(3)

    def show_recent(self, recent: Sequence[Recent]) -> None:
        """Show the studies that were open last."""
        clear(self._cards)
        self._title.setVisible(bool(recent))
        self.cards = []
        for item in recent[:MOST_CARDS]:
            card = Card(item, day_words(datetime.fromtimestamp(item.path.stat().st_mtime), datetime.now()))
            card.clicked.connect(lambda _checked=False, path=item.path: self.chosen.emit(path))
            self.cards.append(card)
        self._lay_out()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._lay_out()

    def _lay_out(self) -> None:
        """Put as many cards beside each other as there is room for."""
        in_a_row = max(1, min(IN_A_ROW, (self.width() - ROOM) // (CARD_WIDTH + GAP)))
        for place, card in enumerate(self.cards):
            self._cards.addWidget(card, place // in_a_row, place % in_a_row)
