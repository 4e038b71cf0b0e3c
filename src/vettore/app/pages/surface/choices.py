"""The left column of the Surface page: which columns are sites, how to fill between them, grid, colours and contours."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLineEdit, QPushButton, QWidget

from vettore.app.pages.surface.present import ALIKE, SPANS, FitChoice, MethodChoice, SurfaceView
from vettore.app.widgets.parts import Column, about, button, clear, fields, label, rule, section
from vettore.core.rounding import NumberStyle
from vettore.words.surfaces import METHOD_WORDS

ONE_RAMP, PARTED = "low to high", "two sides of a level"


class MethodLine(QPushButton):
    """A way to fill between sites with its left-out error; the best one carries a tick."""

    def __init__(self, method: MethodChoice) -> None:
        super().__init__()
        self.setProperty("kind", "choice")
        self.setCheckable(True)
        self.setToolTip(method.tip)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        line = QHBoxLayout(self)
        line.setContentsMargins(9, 4, 7, 4)
        self._words, self._error = label(method.words), label("", "value")
        for part in (self._words, self._error):
            part.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        line.addWidget(self._words)
        line.addStretch()
        line.addWidget(self._error)
        self.setMinimumHeight(line.sizeHint().height() + 4)
        self.draw(method)

    def draw(self, method: MethodChoice) -> None:
        """Show whether it is chosen, and its error."""
        self.setChecked(method.chosen)
        self._error.setText(f"✓ {method.error}" if method.best else method.error)
        text = f", left-out error {method.error}" if method.error else ""
        self.setAccessibleName(f"{method.words}{text}{', the smallest' if method.best else ''}")


class SurfaceChoices(Column):
    """Draws the choices of a view; signals say what was chosen or typed."""

    columns_chosen = Signal(str, str, str)
    matrix_asked = Signal()
    method_chosen = Signal(str)
    fit_chosen = Signal(str, bool)
    models_asked = Signal()
    shape_typed = Signal(str, str)
    scaling_chosen = Signal(str)
    colours_typed = Signal(object, str, str, str)
    level_typed = Signal(str)

    def __init__(self) -> None:
        super().__init__("How to fill between sites", (10, 8, 8, 10))
        self._columns = tuple(self._combo(f"Column for {axis}") for axis in "xyz")
        places = QGridLayout()
        places.setContentsMargins(0, 0, 0, 0)
        for row, (axis, combo) in enumerate(zip("xyz", self._columns, strict=True)):
            places.addWidget(label(axis, "label"), row, 0)
            places.addWidget(combo, row, 1)
            combo.activated.connect(lambda _index: self._take_columns())
        places.setColumnStretch(1, 1)
        holder = QWidget()
        holder.setLayout(places)
        self.matrix = button(
            "Take it as a grid",
            self.matrix_asked.emit,
            "",
            "x along the top, y down the side: make it columns of x, y, z",
        )
        self._error_words = label("", "muted")
        self._error_words.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.methods: dict[str, MethodLine] = {}
        self._methods = QWidget()
        self._method_box = QGridLayout(self._methods)
        self._method_box.setContentsMargins(0, 0, 0, 0)
        self._method_box.setSpacing(2)
        for row, (key, (words, tip)) in enumerate(METHOD_WORDS.items()):
            line = self.methods[key] = MethodLine(MethodChoice(key, words, tip, "", False, False))
            line.clicked.connect(lambda _checked=False, key=key: self.method_chosen.emit(key))
            self._method_box.addWidget(line, row, 0)
        self.add(rule(), section("Sites"), holder, self.matrix, section("Between sites"))
        self.add(self._error_words, self._methods)
        self._fits = QWidget()
        self._fit_box = QGridLayout(self._fits)
        self._fit_box.setContentsMargins(0, 0, 0, 0)
        self._fit_box.setSpacing(2)
        self._fits_shown: tuple[FitChoice, ...] = ()
        self.fits: dict[str, MethodLine] = {}
        self.try_models = button(
            "Try surface models",
            self.models_asked.emit,
            "",
            "Fit planes, hills, waves and products; no starts are needed",
        )
        self.add(section("Fitted surfaces"), self._fits, self.try_models)
        about("surface.md#fit-a-surface", self._fits, self.try_models)
        self._add_grid()
        self._add_colours()
        self.column.addStretch()
        about("surface.md#fill-between-sites", self._methods, holder)

    def _add_grid(self) -> None:
        self.across, self.along = self._field("Grid places across"), self._field("Grid places along")
        self.scaling = self._combo("How distances across and along compare")
        self.scaling.addItems([SPANS, ALIKE])
        self.scaling.setToolTip("x and y brought to their spans, or a unit of x as long as one of y")
        self.scaling.activated.connect(lambda _index: self.scaling_chosen.emit(self.scaling.currentText()))
        for field in (self.across, self.along):
            field.returnPressed.connect(lambda: self.shape_typed.emit(self.across.text(), self.along.text()))
        self.add(section("Grid"), fields(("across", self.across), ("along", self.along), ("distances", self.scaling)))

    def _add_colours(self) -> None:
        self.ramp = self._combo("Colours")
        self.ramp.addItems([ONE_RAMP, PARTED])
        self.parted = self._field("Level at which the colours part")
        self.step = self._field("Distance of contours")
        self.low, self.high = (
            self._field("Lowest height that colours tell"),
            self._field("Highest height that colours tell"),
        )
        self.level = self._field("Level z whose contour stands out")
        for field, hint in (
            (self.step, "as suits"),
            (self.low, "lowest"),
            (self.high, "highest"),
            (self.level, "none"),
        ):
            field.setPlaceholderText(hint)
        self.ramp.activated.connect(lambda _index: self._take_colours())
        for field in (self.parted, self.step, self.low, self.high):
            field.returnPressed.connect(self._take_colours)
        self.level.returnPressed.connect(lambda: self.level_typed.emit(self.level.text().strip()))
        self.level.setToolTip("The contour where z has this value; areas and volumes are told above and below it")
        self._parted_line = fields(("part at", self.parted))
        self.add(section("Colours and contours"), fields(("colours", self.ramp)), self._parted_line)
        self.add(
            fields(("from", self.low), ("to", self.high), ("contours every", self.step), ("level z =", self.level))
        )

    def _combo(self, name: str) -> QComboBox:
        combo = QComboBox()
        combo.setAccessibleName(name)
        combo.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        combo.setMinimumContentsLength(6)
        return combo

    def _field(self, name: str) -> QLineEdit:
        field = QLineEdit()
        field.setAccessibleName(name)
        return field

    def _draw_fits(self, fits: tuple[FitChoice, ...]) -> None:
        if fits == self._fits_shown:
            return
        self._fits_shown = fits
        clear(self._fit_box)
        self.fits = {}
        for row, fit in enumerate(fits):
            tip = "A fit of the study" if fit.kept else "Add this fit to the study and show its surface"
            line = self.fits[fit.key] = MethodLine(
                MethodChoice(fit.key, fit.words, tip, fit.error, fit.chosen, False)
            )
            line.clicked.connect(lambda _checked=False, fit=fit: self.fit_chosen.emit(fit.key, fit.kept))
            self._fit_box.addWidget(line, row, 0)

    def _take_columns(self) -> None:
        self.columns_chosen.emit(*(combo.currentText() for combo in self._columns))

    def _take_colours(self) -> None:
        parted = self.parted.text().strip() if self.ramp.currentText() == PARTED else None
        self.colours_typed.emit(parted, self.step.text().strip(), self.low.text().strip(), self.high.text().strip())

    def draw(self, view: SurfaceView, style: NumberStyle) -> None:
        """Show a view."""
        self.setEnabled(view.series is not None)
        self.matrix.setVisible(view.offers_matrix)
        for combo, chosen in zip(self._columns, view.chosen, strict=True):
            if [combo.itemText(place) for place in range(combo.count())] != list(view.columns):
                combo.clear()
                combo.addItems(list(view.columns))
            combo.setCurrentIndex(combo.findText(chosen))
        self._error_words.setText(view.error_words)
        for method in view.methods:
            self.methods[method.key].draw(method)
        self._draw_fits(view.fits)
        recipe = view.recipe
        if recipe is None:
            return
        self.scaling.setCurrentText(ALIKE if recipe.scaling == "alike" else SPANS)
        self.ramp.setCurrentText(ONE_RAMP if recipe.parted_at is None else PARTED)
        self._parted_line.setVisible(recipe.parted_at is not None)
        texts: tuple[tuple[QLineEdit, float | None], ...] = (
            (self.parted, recipe.parted_at),
            (self.step, recipe.step),
            (self.low, recipe.clip[0]),
            (self.high, recipe.clip[1]),
            (self.level, recipe.level),
        )
        for field, value in texts:
            if not field.hasFocus():
                field.setText("" if value is None else style.short(value, 10))
        for field, count in ((self.across, recipe.shape[0]), (self.along, recipe.shape[1])):
            if not field.hasFocus():
                field.setText(str(count))
