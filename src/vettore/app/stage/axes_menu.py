"""The plot's own menu and the form of an axis: what of the data is seen, and on which scale."""

from __future__ import annotations

from typing import Protocol

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLineEdit, QMenu, QWidget

from vettore.app.stage.framing import Framing
from vettore.app.widgets.parts import button
from vettore.app.widgets.popup import Form
from vettore.core.errors import VettoreError
from vettore.core.rounding import NumberStyle, read_number

NAMES = ("x", "y")
WIDTH = 270
# Digits of the limits that are offered.
DIGITS = 6


class Framed(Protocol):
    """A plot as far as what is seen of its data can be changed."""

    framing: Framing

    def go_home(self) -> None:
        """Show all of the data."""

    def go_back(self) -> None:
        """Show what was seen before."""

    def zoom_once(self) -> None:
        """Let the next drag draw a box to zoom into."""

    def ask_limits(self, axis: int) -> None:
        """Ask for the limits of an axis."""

    def set_limits(self, axis: int, low: float, high: float) -> None:
        """Show so much of an axis."""

    def set_log(self, x: bool, y: bool) -> None:
        """Make the axes logarithmic, or linear."""

    def copy(self) -> None:
        """Copy the plot as a picture."""

    def save(self) -> None:
        """Save the plot as a picture."""


def axes_menu(plot: Framed, parent: QWidget) -> QMenu:
    """Return what a right click on a plot offers."""
    menu = QMenu(parent)
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    lines = (
        ("Show all of the data\tHome", plot.go_home),
        ("The view before\tBackspace", plot.go_back),
        ("Zoom into a box", plot.zoom_once),
        None,
        ("Limits of x …", lambda: plot.ask_limits(0)),
        ("Limits of y …", lambda: plot.ask_limits(1)),
    )
    for line in lines:
        if line is None:
            menu.addSeparator()
        else:
            menu.addAction(line[0]).triggered.connect(lambda _checked=False, action=line[1]: action())
    for axis, name in enumerate(NAMES):
        turn = menu.addAction(f"Logarithmic {name}")
        turn.setCheckable(True)
        turn.setChecked(plot.framing.log[axis])
        turn.triggered.connect(lambda on, axis=axis: turn_log(plot, axis, on))
    menu.addSeparator()
    menu.addAction("Copy as a picture").triggered.connect(lambda _checked=False: plot.copy())
    menu.addAction("Save as a picture …").triggered.connect(lambda _checked=False: plot.save())
    return menu


def turn_log(plot: Framed, axis: int, on: bool) -> None:
    """Make one axis of a plot logarithmic or linear."""
    log = list(plot.framing.log)
    log[axis] = on
    plot.set_log(*log)


class AxisPopup(Form):
    """From, to, and the scale of one axis."""

    def __init__(self, plot: Framed, parent: QWidget, axis: int, title: str, style: NumberStyle) -> None:
        limits = plot.framing.limits()[axis]
        self.low, self.high = (QLineEdit(style.number(limit, DIGITS)) for limit in limits)
        fields = (("from", self.low), ("to", self.high))
        spoken = ((words, f"{NAMES[axis]} {words}", field) for words, field in fields)
        super().__init__(title, spoken, WIDTH, parent)
        self._plot, self._axis, self._style = plot, axis, style
        self.log = QCheckBox("logarithmic")
        self.log.setChecked(plot.framing.log[axis])
        self.log.toggled.connect(self._turn)
        self.box.addWidget(self.log)
        self.box.addWidget(self.problem)
        line = QHBoxLayout()
        line.addWidget(button("Apply", self.apply, "primary"))
        line.addWidget(button("All of the data", self._all, "", "Show every row again (Home)"))
        self.box.addLayout(line)

    def show_at(self, place: QPoint) -> None:
        """Open beside a place of the screen, inside it."""
        self.adjustSize()
        screen = (QGuiApplication.screenAt(place) or QGuiApplication.primaryScreen()).availableGeometry()
        x = min(place.x(), screen.right() - self.width())
        y = place.y() - self.height() if place.y() + self.height() > screen.bottom() else place.y()
        self.move(max(x, screen.left()), max(y, screen.top()))
        self.show()
        self.low.setFocus()
        self.low.selectAll()

    def apply(self) -> None:
        """Take what was typed, or say what is wrong with it."""
        numbers = []
        for field in (self.low, self.high):
            number = read_number(field.text())
            if number is None:
                self.say(f"“{field.text().strip()}” is not a number.")
                return
            numbers.append(number)
        try:
            self._plot.set_limits(self._axis, *numbers)
        except VettoreError as error:
            self.say(str(error))
            return
        self.close()

    def _turn(self, on: bool) -> None:
        turn_log(self._plot, self._axis, on)
        limits = self._plot.framing.limits()[self._axis]
        for field, limit in zip((self.low, self.high), limits, strict=True):
            field.setText(self._style.number(limit, DIGITS))

    def _all(self) -> None:
        self._plot.go_home()
        self.close()
