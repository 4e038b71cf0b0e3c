"""The left column of the Equations page: the column that runs, those that are measured, schemes, what is kept."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QCheckBox, QComboBox, QPushButton, QVBoxLayout, QWidget

from vettore.app.pages.equations.present import EquationsView
from vettore.app.widgets.fits.line_up import Candidate, LineUp
from vettore.app.widgets.parts import (
    Column,
    about,
    button,
    clear,
    fields,
    label,
    plain_tip,
    rule,
    section,
    tab_through,
)
from vettore.core.rounding import NumberStyle

# Schemes that are made room for at once.
EXPECTED = 6
# Pixels of the name of a column.
NAME_WIDTH = 150


class EquationsChoices(Column):
    """Draws the choices of a view; signals say what was chosen."""

    over_chosen = Signal(str)
    column_turned = Signal(str, bool)
    scheme_chosen = Signal(str)
    write_asked = Signal()
    kept_chosen = Signal(str)
    another_asked = Signal()
    removal_asked = Signal()
    states_turned = Signal(bool)

    def __init__(self) -> None:
        super().__init__("Which equations", (10, 8, 8, 10))
        self.over = QComboBox()
        self.over.setAccessibleName("Column that runs")
        self.over.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.over.setMinimumContentsLength(6)
        self.over.activated.connect(lambda _index: self.over_chosen.emit(self.over.currentText()))
        self._columns = QWidget()
        self._column_box = QVBoxLayout(self._columns)
        self._column_box.setContentsMargins(0, 0, 0, 0)
        self._column_box.setSpacing(2)
        self.ticks: dict[str, QCheckBox] = {}
        self._columns_shown: tuple[str, ...] = ()
        self.schemes = LineUp(EXPECTED)
        self.schemes.chosen.connect(self.scheme_chosen.emit)
        self.trying = label("", "muted", wrap=True)
        self.write = button(
            "Write equations …", self.write_asked.emit, "", "Rates, reactions, what columns show (Ctrl+E)"
        )
        QShortcut(QKeySequence("Ctrl+E"), self.write, self.write_asked.emit)
        self._kept = QWidget()
        self._kept_box = QVBoxLayout(self._kept)
        self._kept_box.setContentsMargins(0, 0, 0, 0)
        self._kept_box.setSpacing(2)
        self._kept_shown: object = None
        self._kept_title = section("Kept")
        self.another = button(
            "Another beside it", self.another_asked.emit, "link", "Keep this one, and go on with a copy"
        )
        self.remove = button("Remove these equations", self.removal_asked.emit, "link", "Take them out of the study")
        self.states = QCheckBox("draw unseen states")
        self.states.toggled.connect(self.states_turned.emit)
        self.add(rule(), section("Columns"), fields(("over", self.over)), self._columns)
        self.add(section("Schemes"), self.trying, self.schemes, self.write, self.states)
        self.add(self._kept_title, self._kept, self.another, self.remove)
        self.column.addStretch()
        about("equations.md#choose-a-scheme", self.schemes, self.trying)
        about("equations.md#write-equations", self.write)

    def draw(self, view: EquationsView, trying: str, style: NumberStyle) -> None:
        """Show a view; ``trying`` says which schemes are still looked at."""
        self.setEnabled(view.series is not None)
        if [self.over.itemText(place) for place in range(self.over.count())] != list(view.numbers_of):
            self.over.clear()
            self.over.addItems(list(view.numbers_of))
        self.over.setCurrentIndex(self.over.findText(view.over))
        self._draw_columns(view)
        self.trying.setText(trying)
        self.trying.setVisible(bool(trying))
        cards = [
            Candidate(card.key, card.name, card.curve, card.share, card.refusal, card.equal) for card in view.cards
        ]
        chosen = view.recipe.scheme if view.recipe is not None else ""
        self.schemes.show_candidates(cards, view.card_points, chosen, style)
        has_kept = bool(view.kept)
        self._draw_kept(view.kept if len(view.kept) > 1 else ())
        for part in (self._kept_title, self.another, self.remove):
            part.setVisible(has_kept)
        has_unseen = view.system is not None and bool(view.system.unseen)
        self.states.setVisible(has_unseen)
        self.states.blockSignals(True)
        self.states.setChecked(view.recipe is not None and view.recipe.shows_states)
        self.states.blockSignals(False)

    def _draw_columns(self, view: EquationsView) -> None:
        names = tuple(name for name, _ in view.columns)
        if names != self._columns_shown:
            self._columns_shown = names
            clear(self._column_box)
            self.ticks = {}
            for name in names:
                shown = self.fontMetrics().elidedText(name, Qt.TextElideMode.ElideMiddle, NAME_WIDTH)
                tick = self.ticks[name] = QCheckBox(shown)
                tick.setToolTip(plain_tip(f"Whether schemes are tried for {name}"))
                tick.setAccessibleName(name)
                tick.clicked.connect(lambda is_on, name=name: self.column_turned.emit(name, is_on))
                self._column_box.addWidget(tick)
            tab_through(self.over, self.ticks.values())
        for name, is_on in view.columns:
            self.ticks[name].setChecked(is_on)

    def _draw_kept(self, kept: tuple[tuple[str, str, bool], ...]) -> None:
        if kept == self._kept_shown:
            return
        self._kept_shown = kept
        clear(self._kept_box)
        lines: list[QPushButton] = []
        for place, (identity, name, is_chosen) in enumerate(kept, 1):
            line = button(f"{place}. {name}", lambda identity=identity: self.kept_chosen.emit(identity), "choice")
            line.setCheckable(True)
            line.setChecked(is_chosen)
            self._kept_box.addWidget(line)
            tab_through(self.states if place == 1 else lines[-1], [line])
            lines.append(line)
