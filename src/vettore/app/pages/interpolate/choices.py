"""The left of the Interpolate page: the ways to join the points, and what some of them can be told."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QLineEdit, QSlider, QVBoxLayout, QWidget

from vettore.app.widgets.fits.line_up import LineUp
from vettore.app.widgets.parts import Column, about, button, label, rule, section
from vettore.core.interpolation.methods import METHODS
from vettore.core.interpolation.points import Outside
from vettore.core.rounding import NumberStyle, read_number
from vettore.study.kinds.interpolant import InterpolantRecipe

# Steps of the slider over powers of ten of the penalty about the one found from the data.
SLIDER, DECADES = 200, 5.0
# What may lie beyond the points, in the order offered.
BEYOND: dict[Outside, str] = {
    "refuse": "nothing",
    "constant": "the end value",
    "linear": "straight on",
    "continue": "the last piece",
}


class InterpolateChoices(QWidget):
    """Tells what is wished: ``changed`` with words for the edit and the fields of the recipe, ``refused`` with a sentence."""

    chosen = Signal(object)
    pinned = Signal(object)
    changed = Signal(str, dict)
    refused = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        # The penalty that the data ask for, about which the slider moves.
        self._base = 1.0
        box = QVBoxLayout(self)
        box.setContentsMargins(10, 8, 6, 10)
        box.addWidget(rule())
        box.addWidget(section("Ways to join the points"))
        box.addWidget(label("each missed when it is left out", "muted", wrap=True))
        self.methods = LineUp(len(METHODS), pins=True)
        self.methods.setToolTip("Pin a method to draw it beside the chosen one")
        self.methods.chosen.connect(self.chosen)
        self.methods.pinned.connect(self.pinned)
        scroll = Column("Methods", (0, 0, 6, 0))
        scroll.add(self.methods)
        scroll.column.addStretch()
        box.addWidget(scroll, 1)
        self._add_smoothing(box)
        self._add_details(box)
        about("interpolate.md#choose-a-way-to-join-the-points", self.methods)

    def _add_smoothing(self, box: QVBoxLayout) -> None:
        self.smooth = QWidget()
        lines = QVBoxLayout(self.smooth)
        lines.setContentsMargins(0, 0, 0, 0)
        head = QHBoxLayout()
        head.addWidget(label("smoother", "label"))
        head.addStretch()
        head.addWidget(button("by the data", self._let_smoothing, "link", "Let the data choose the smoothing"))
        lines.addLayout(head)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, SLIDER)
        self.slider.setAccessibleName("How smooth the curve is")
        self.slider.sliderReleased.connect(self._smooth_to)
        lines.addWidget(self.slider)
        box.addWidget(self.smooth)

    def _add_details(self, box: QVBoxLayout) -> None:
        """Add slopes at the ends, errors, and what lies beyond."""
        self.use_errors = QCheckBox("use the ± of y")
        self.use_errors.clicked.connect(lambda on: self.changed.emit("use the ± of y", {"use_errors": on}))
        self.ends = QWidget()
        line = QHBoxLayout(self.ends)
        line.setContentsMargins(0, 0, 0, 0)
        self.end_slopes = (QLineEdit(), QLineEdit())
        line.addWidget(label("slopes at the ends", "label"))
        for field, words in zip(self.end_slopes, ("beginning", "end"), strict=True):
            field.setAccessibleName(f"Slope at the {words}")
            field.setFixedWidth(50)
            field.returnPressed.connect(self._take_ends)
            line.addWidget(field)
        self.outside = QComboBox()
        self.outside.addItems(list(BEYOND.values()))
        self.outside.setAccessibleName("What lies beyond the points")
        self.outside.activated.connect(self._go_beyond)
        beyond = QWidget()
        line = QHBoxLayout(beyond)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(label("beyond", "label"))
        line.addWidget(self.outside, 1)
        for widget in (self.ends, self.use_errors, beyond):
            box.addWidget(widget)

    def show_recipe(self, recipe: InterpolantRecipe, has_errors: bool, style: NumberStyle) -> None:
        """Show what is asked of the curve."""
        self.use_errors.setVisible(has_errors)
        self.use_errors.setChecked(recipe.use_errors)
        self.outside.setCurrentIndex(list(BEYOND).index(recipe.outside))
        self.smooth.setVisible(recipe.method == "smoothing")
        self.ends.setVisible(recipe.method == "clamped")
        for field, slope in zip(self.end_slopes, recipe.end_slopes, strict=True):
            field.setText(style.plain(f"{slope:g}"))

    def show_found(self, penalty: float | None) -> None:
        """The data have chosen the smoothing: the slider stands in its middle."""
        self._base = penalty or 1.0
        self.slider.setValue(SLIDER // 2)

    def _smooth_to(self) -> None:
        exponent = (self.slider.value() / SLIDER - 0.5) * 2 * DECADES
        self.changed.emit("smooth by hand", {"penalty": self._base * 10.0**exponent})

    def _let_smoothing(self) -> None:
        self.slider.setValue(SLIDER // 2)
        self.changed.emit("smooth as the data say", {"penalty": None})

    def _take_ends(self) -> None:
        slopes = [read_number(field.text()) for field in self.end_slopes]
        if slopes[0] is None or slopes[1] is None:
            self.refused.emit("A slope at an end is a number; 0 makes the curve run out level.")
            return
        self.changed.emit("slopes at the ends", {"end_slopes": (slopes[0], slopes[1])})

    def _go_beyond(self, place: int) -> None:
        chosen = list(BEYOND)[place]
        self.changed.emit(f"beyond the points: {BEYOND[chosen]}", {"outside": chosen})
