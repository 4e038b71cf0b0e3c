"""The line-up with what can be asked of it: its order, what is pinned or hidden, a comparison, the degrees."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from vettore.app.widgets.fits.line_up import IN_VIEW, LineUp
from vettore.app.widgets.parts import Column, button, section

FEWEST, MOST = 2, 4


class LineUpPanel(QWidget):
    """Signals tell what was asked; ``show_state`` keeps the links true."""

    order_turned = Signal()
    comparison_asked = Signal()
    degrees_asked = Signal()
    hidden_asked = Signal()
    more_asked = Signal()

    def __init__(self) -> None:
        super().__init__()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(4)
        head = QHBoxLayout()
        head.addWidget(self._title())
        head.addStretch()
        self.order = button(
            "best first", self.order_turned.emit, "link", "Order by weight or by number of coefficients"
        )
        head.addWidget(self.order)
        box.addLayout(head)
        self.line_up = LineUp(IN_VIEW, pins=True)
        scroll = Column("Line-up", (0, 0, 6, 0))
        scroll.add(self.line_up)
        scroll.column.addStretch()
        box.addWidget(scroll, 1)
        links = QHBoxLayout()
        links.setSpacing(0)
        self.compare = button("Compare", self.comparison_asked.emit, "link")
        self.more = button("", self.more_asked.emit, "link", "See all models, large, with formulas and figures")
        self.degrees = button("Degrees", self.degrees_asked.emit, "link", "Which degree of a polynomial, and why")
        self.hidden = button("", self.hidden_asked.emit, "link", "Show the models that were hidden")
        for link in (self.more, self.compare, self.degrees, self.hidden):
            links.addWidget(link)
        links.addStretch()
        box.addLayout(links)
        self.show_state(0, 0)

    @staticmethod
    def _title() -> QLabel:
        title = section("Line-up")
        title.setToolTip("The models that suit these points. Bars: share of the evidence (AICc weight)")
        return title

    def show_state(self, pinned: int, hidden: int, more: int = 0) -> None:
        """Say how many models are pinned and hidden, and how many more there are."""
        self.more.setText(f"{more} more")
        self.more.setVisible(more > 0)
        self.compare.setText(f"Compare {pinned}" if pinned else "Compare")
        self.compare.setEnabled(FEWEST <= pinned <= MOST)
        self.compare.setVisible(pinned > 0)
        few = "Pin two to four models to see them large, side by side"
        self.compare.setToolTip("See the pinned models large, side by side" if pinned >= FEWEST else few)
        self.hidden.setText(f"{hidden} hidden")
        self.hidden.setVisible(hidden > 0)
