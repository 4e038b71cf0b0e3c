"""The left of the Data page: ways to bring data in, and what dragging on the plot does."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from PySide6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QVBoxLayout, QWidget

from vettore.app.stage.hand_box import Hand
from vettore.app.widgets.parts import button, label, rule, section


class DataChoices(QWidget):
    """``doing`` are what the buttons do by their names: open, paste, columns, practice."""

    def __init__(self, doing: Mapping[str, Callable[[], object]]) -> None:
        super().__init__()
        box = QVBoxLayout(self)
        box.setContentsMargins(12, 8, 12, 12)
        box.addWidget(rule())
        box.addWidget(section("Bring in"))
        box.addWidget(button("Open a file …", doing["open"], "primary", "Tables, spreadsheets, studies (Ctrl+O)"))
        box.addWidget(
            button("Paste from clipboard", doing["paste"], tip="Two columns from a spreadsheet, a web table …")
        )
        box.addWidget(button("Type columns", doing["columns"]))
        box.addWidget(button("Make practice data …", doing["practice"]))
        box.addWidget(label("or drop files anywhere on the window", "muted", wrap=True))
        self.dragging = QWidget()
        box.addWidget(self.dragging)
        box.addStretch()
        box = QVBoxLayout(self.dragging)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(rule())
        self.hand = QComboBox()
        self.hand.addItems([str(hand) for hand in Hand])
        self.hand.setAccessibleName("What dragging on the plot does")
        box.addWidget(section("Dragging on the plot"))
        box.addWidget(self.hand)
        self.log_x, self.log_y = QCheckBox("log x"), QCheckBox("log y")
        self.join, self.cross = QCheckBox("join"), QCheckBox("cross")
        self.join.setToolTip("Join the points by a line in the order of x")
        self.cross.setToolTip("A reading cross with the values under the pointer")
        grid = QGridLayout()
        for place, item in enumerate((self.log_x, self.log_y, self.join, self.cross)):
            grid.addWidget(item, place // 2, place % 2)
        box.addLayout(grid)

    def show_log(self, log_x: bool, log_y: bool) -> None:
        """Follow the scales of the axes."""
        self.log_x.setChecked(log_x)
        self.log_y.setChecked(log_y)
