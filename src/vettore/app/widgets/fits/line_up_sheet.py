"""All models of the line-up, large, over the stage: with formulas and figures, and a filter by words."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QResizeEvent
from PySide6.QtWidgets import QGridLayout, QLineEdit, QVBoxLayout, QWidget

from vettore.app.widgets.fits.line_up import Candidate, Thumbnail
from vettore.app.widgets.parts import Column, Elided, button, clear, ground, label
from vettore.core.arrays import Array
from vettore.core.models.synonyms import synonyms_of
from vettore.core.remarks import counted
from vettore.core.rounding import NumberStyle
from vettore.study.fitting.line_up import Key

CARD, PICTURE_HEIGHT, LEAST_ABREAST = 196, 150, 2


class LargeThumbnail(Thumbnail):
    """A thumbnail with room for its curve."""

    def sizeHint(self) -> QSize:
        return QSize(CARD - 16, PICTURE_HEIGHT)


class LineUpSheet(QWidget):
    """Shows candidates as cards; ``chosen`` tells which one is to be fitted, ``closed`` that none is."""

    chosen = Signal(object)
    closed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("All models of the line-up")
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        head, line = ground("strip", (18, 10, 14, 10))
        self.filter = QLineEdit()
        self.filter.setPlaceholderText("filter by a word: peak, growth, exp …")
        self.filter.setAccessibleName("Filter the models by a word in name or formula")
        self.filter.setClearButtonEnabled(True)
        self.filter.textChanged.connect(self._arrange)
        self.filter.returnPressed.connect(self._take_first)
        self.count = label("", "muted")
        line.addWidget(self.filter, 1)
        line.addWidget(self.count)
        line.addWidget(button("Back to the fit", self.closed.emit, "", "Leave the sheet (Esc)"))
        scroll = Column("Models", (14, 12, 8, 12))
        holder = QWidget()
        self._grid = QGridLayout(holder)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setSpacing(10)
        scroll.add(holder)
        scroll.column.addStretch()
        box.addWidget(head)
        box.addWidget(scroll, 1)
        self.cards: dict[Key, QWidget] = {}
        self._words: dict[Key, str] = {}

    def show_candidates(
        self, candidates: list[Candidate], points: tuple[Array, Array], chosen: Key, style: NumberStyle
    ) -> None:
        """Show models in the order given."""
        clear(self._grid)
        self.cards, self._words = {}, {}
        for candidate in candidates:
            self.cards[candidate.key] = self._card(candidate, points, chosen, style)
            self._words[candidate.key] = " ".join(
                (candidate.name, candidate.formula, candidate.family, *synonyms_of(str(candidate.key)))
            ).casefold()
        self._arrange()

    def _card(self, candidate: Candidate, points: tuple[Array, Array], chosen: Key, style: NumberStyle) -> QWidget:
        card = QWidget(self)
        box = QVBoxLayout(card)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(2)
        thumbnail = LargeThumbnail(candidate, points, style)
        thumbnail.setChecked(candidate.key == chosen)
        thumbnail.clicked.connect(lambda _checked=False: self.chosen.emit(candidate.key))
        formula, figures = Elided("muted"), Elided("muted")
        formula.setText(candidate.formula)
        figures.setText(candidate.figures or candidate.refusal)
        for widget in (thumbnail, formula, figures):
            box.addWidget(widget)
        return card

    def _shown(self) -> list[Key]:
        words = self.filter.text().casefold().split()
        return [key for key in self.cards if all(word in self._words[key] for word in words)]

    def _arrange(self) -> None:
        """Put the cards that have all words of the filter side by side."""
        shown = self._shown()
        abreast = max(LEAST_ABREAST, (self.width() - 30) // CARD)
        for card in self.cards.values():
            self._grid.removeWidget(card)
            card.hide()
        for place, key in enumerate(shown):
            self._grid.addWidget(self.cards[key], place // abreast, place % abreast)
            self.cards[key].show()
        for column in range(8):
            self._grid.setColumnStretch(column, 1 if column < abreast else 0)
        models = counted(len(shown), "model")
        self.count.setText(models if len(shown) == len(self.cards) else f"{len(shown)} of {len(self.cards)} models")

    def _take_first(self) -> None:
        shown = self._shown()
        if shown:
            self.chosen.emit(shown[0])

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._arrange()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.closed.emit()
        else:
            super().keyPressEvent(event)
