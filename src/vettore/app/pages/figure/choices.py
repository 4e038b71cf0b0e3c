"""The left column while a figure is open: its size, axes, what is drawn, colours and marks."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QCheckBox, QColorDialog, QComboBox, QGridLayout, QLineEdit, QPushButton, QWidget

from vettore.app.widgets.parts import Column, about, fields, plain_tip, rule, section
from vettore.core.rounding import NumberStyle
from vettore.study.kinds.figure import SIZES, FigureRecipe

SCALES = {"as suits": "auto", "straight": "linear", "logarithmic": "log", "reciprocal": "reciprocal"}
LEGENDS = {
    "none": "none",
    "upper left": "upper left",
    "upper right": "upper right",
    "lower left": "lower left",
    "lower right": "lower right",
}
PALETTES = {"colours": "house", "greys": "grey"}
MARKS = {"discs": "disc", "squares": "square", "triangles": "triangle", "diamonds": "diamond", "crosses": "plus"}
OWN_SIZE = "own size"


class ColourButton(QPushButton):
    """Shows a colour and asks for another; none is that of the palette."""

    chosen = Signal(str)

    def __init__(self, name: str) -> None:
        super().__init__()
        self._colour = ""
        self._name = name
        self.clicked.connect(self._ask)

    def show_colour(self, colour: str) -> None:
        """Show a colour, "" for that of the palette."""
        self._colour = colour
        self.setText(colour or "of the palette")
        self.setAccessibleName(f"{self._name}: {self.text()}")

    def _ask(self) -> None:
        chosen = QColorDialog.getColor(QColor(self._colour or "#333C42"), self, self._name)
        if chosen.isValid():
            self.chosen.emit(chosen.name().upper())


class FigureChoices(Column):
    """Draws the choices of a recipe; signals say what was chosen or typed."""

    chosen = Signal(str, object)
    size_typed = Signal(str, str)
    limits_typed = Signal(str, str, str)
    preset_chosen = Signal(str)
    beside_turned = Signal(str, bool)
    figure_chosen = Signal(str)

    def __init__(self) -> None:
        super().__init__("How the figure looks", (10, 8, 8, 10))
        self.boxes: dict[str, QCheckBox] = {}
        self.combos: dict[str, tuple[QComboBox, dict[str, str]]] = {}
        self.fields: dict[str, QLineEdit] = {}
        self.limits: dict[str, tuple[QLineEdit, QLineEdit]] = {}
        self.beside: dict[str, QCheckBox] = {}
        # What is shown for the fields of a recipe that the open figure has.
        self._for_fields: list[tuple[frozenset[str], tuple[QWidget, ...]]] = []
        self.which = QComboBox()
        self.which.setAccessibleName("Which figure of the study")
        self.which.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.which.setMinimumContentsLength(8)
        self.which.activated.connect(lambda _place: self.figure_chosen.emit(self.which.currentData()))
        self.add(section("The figure of"), self.which)
        self.preset = QComboBox()
        self.preset.addItems([*SIZES, OWN_SIZE])
        self.preset.setAccessibleName("What the figure is for")
        self.preset.activated.connect(lambda _place: self.preset_chosen.emit(self.preset.currentText()))
        sizes = [(words, self._size(name, text)) for words, name, text in self._sizes()]
        self.add(section("Size"), fields(("for", self.preset), *sizes))
        for axis in "xy":
            self._add_axis(axis)
        self._add_drawn()
        self._add_look()
        self._beside_title = section("Beside it")
        self.add(self._beside_title)
        self.column.addStretch()
        about("report.md#change-the-figure", *self.fields.values())

    @staticmethod
    def _sizes() -> tuple[tuple[str, str, str], ...]:
        return (
            ("width (mm)", "width", "Width of the figure in millimetres"),
            ("height (mm)", "height", "Height of the figure in millimetres"),
            ("type (pt)", "type_size", "Size of type in points"),
        )

    def _add_axis(self, axis: str) -> None:
        scale = self._combo(f"{axis}_scale", SCALES, f"Scale of the axis of {axis}")
        low, high = self._ends(axis, f"the axis of {axis}", "data")
        every = self._size(f"{axis}_every", f"Distance of the figures on the axis of {axis}")
        every.setPlaceholderText("as suits")
        heading = section(f"Axis of {axis}")
        rows = fields(("scale", scale), ("from", low), ("to", high), ("every", every))
        self.add(heading, rows)
        self._show_with((heading, rows), f"{axis}_limits")
        self._show_rows(rows, (f"{axis}_scale", "", "", f"{axis}_every"))

    def _ends(self, name: str, what: str, blank: str) -> tuple[QLineEdit, QLineEdit]:
        """Return fields for where something begins and ends along an axis."""
        low, high = QLineEdit(), QLineEdit()
        for field, end in ((low, "begins"), (high, "ends")):
            field.setAccessibleName(f"Where {what} {end}")
            field.setPlaceholderText(blank)
            field.editingFinished.connect(lambda: self._take_limits(name))
        self.limits[name] = (low, high)
        return low, high

    def _show_with(self, widgets: tuple[QWidget, ...], *names: str) -> None:
        """Show widgets for figures that have any of some fields of the recipe."""
        self._for_fields.append((frozenset(names), widgets))

    def _show_rows(self, rows: QWidget, names: tuple[str, ...]) -> None:
        """Show each row of labelled widgets for figures that have a field; those without a name are always shown."""
        grid = rows.layout()
        assert isinstance(grid, QGridLayout)
        for row, name in enumerate(names):
            items = [grid.itemAtPosition(row, column) for column in (0, 1)]
            if name:
                self._show_with(tuple(item.widget() for item in items if item is not None), name)

    def _add_drawn(self) -> None:
        self.add(section("Drawn"))
        for name, words, tip in (
            ("residuals", "residuals below", ""),
            ("band", "band of the curve", ""),
            ("parts", "each peak", "Each peak as a light area over the background, with its number"),
            ("error_bars", "± of y", ""),
            ("grid", "lines of the grid", ""),
            ("readings", "kept numbers", ""),
            ("relief", "relief beside the map", ""),
            ("common", "common axes", "Plots of the same quantities have the same limits"),
        ):
            box = QCheckBox(words)
            box.clicked.connect(lambda checked, name=name: self.chosen.emit(name, checked))
            self.boxes[name] = box
            self.add(box)
            box.setToolTip(tip)
            self._show_with((box,), name)
        legend = self._combo("legend", LEGENDS, "Corner of the legend")
        panel = self.fields["panel"] = QLineEdit()
        panel.setAccessibleName("Letter of the panel")
        panel.setPlaceholderText("none")
        panel.setMaxLength(4)
        panel.editingFinished.connect(lambda: self.chosen.emit("panel", panel.text().strip()))
        low, high = self._ends("inset", "the part of x in the inset", "none")
        rows = fields(("legend", legend), ("panel", panel), ("inset from", low), ("to", high))
        self.add(rows)
        self._show_rows(rows, ("legend", "panel", "inset", "inset"))

    def _add_look(self) -> None:
        palette = self._combo("palette", PALETTES, "Colours")
        marks = self._combo("mark", MARKS, "Shape of the marks")
        self.points, self.curve = ColourButton("Colour of the points"), ColourButton("Colour of the curve")
        self.points.chosen.connect(lambda colour: self.chosen.emit("points_colour", colour))
        self.curve.chosen.connect(lambda colour: self.chosen.emit("curve_colour", colour))
        self.serif = self.boxes["serif"] = QCheckBox("type with serifs")
        self.serif.clicked.connect(lambda checked: self.chosen.emit("serif", checked))
        rows = fields(
            ("colours", palette),
            ("points", self.points),
            ("curve", self.curve),
            ("marks", marks),
            ("size of marks", self._size("mark_size", "Size of marks, 1 is usual")),
            ("lines", self._size("line_width", "Width of lines, 1 is usual")),
        )
        self._show_rows(rows, ("palette", "points_colour", "curve_colour", "mark", "mark_size", "line_width"))
        self.add(section("Look"), rows, self.serif, rule())

    def _combo(self, name: str, words: dict[str, str], text: str) -> QComboBox:
        combo = QComboBox()
        combo.addItems(list(words))
        combo.setAccessibleName(text)
        combo.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        combo.setMinimumContentsLength(5)
        combo.activated.connect(lambda _place: self.chosen.emit(name, words[combo.currentText()]))
        self.combos[name] = (combo, words)
        return combo

    def _size(self, name: str, text: str) -> QLineEdit:
        field = self.fields[name] = QLineEdit()
        field.setAccessibleName(text)
        field.editingFinished.connect(lambda: field.isModified() and self.size_typed.emit(name, field.text()))
        return field

    def _take_limits(self, axis: str) -> None:
        low, high = self.limits[axis]
        if low.isModified() or high.isModified():
            self.limits_typed.emit(axis, low.text(), high.text())

    def show_figures(self, figures: tuple[tuple[str, str], ...], of: str) -> None:
        """List what has a figure, and which is open."""
        if [(self.which.itemData(row), self.which.itemText(row)) for row in range(self.which.count())] != [*figures]:
            self.which.clear()
            for row, (identity, name) in enumerate(figures):
                self.which.addItem(name, identity)
                self.which.setItemData(row, name, Qt.ItemDataRole.ToolTipRole)
        self.which.setCurrentIndex(self.which.findData(of))

    def show_fields(self, names: frozenset[str]) -> None:
        """Show the choices that do something for the open figure."""
        for needed, widgets in self._for_fields:
            for widget in widgets:
                widget.setVisible(not needed.isdisjoint(names))
        for widget in (*([self._beside_title] if self.beside else []), *self.beside.values()):
            widget.setVisible("beside" in names)

    def draw(self, recipe: FigureRecipe, others: tuple[tuple[str, str], ...], style: NumberStyle) -> None:
        """Show what a recipe says; ``others`` are the ids and names of fits that may stand beside it."""
        size = (recipe.width, recipe.height)
        self.preset.setCurrentText(next((name for name, known in SIZES.items() if known == size), OWN_SIZE))
        for name, (combo, words) in self.combos.items():
            value = getattr(recipe, name)
            combo.setCurrentText(next(word for word, known in words.items() if known == value))
        for name, box in self.boxes.items():
            box.setChecked(getattr(recipe, name))
        for name, field in self.fields.items():
            value = getattr(recipe, name)
            field.setText("" if value is None else value if isinstance(value, str) else style.short(value, 5))
        for name, ends in self.limits.items():
            values = recipe.inset or (None, None) if name == "inset" else getattr(recipe, f"{name}_limits")
            for field, value in zip(ends, values, strict=True):
                field.setText("" if value is None else style.short(value, 8))
        self.points.show_colour(recipe.points_colour)
        self.curve.show_colour(recipe.curve_colour)
        self._draw_beside(recipe, others)

    def _draw_beside(self, recipe: FigureRecipe, others: tuple[tuple[str, str], ...]) -> None:
        self._beside_title.setVisible(bool(others))
        if [*self.beside] != [identity for identity, _ in others]:
            for box in self.beside.values():
                box.hide()
                box.deleteLater()
            self.beside = {}
            for identity, name in others:
                box = self.beside[identity] = QCheckBox()
                box.setToolTip(plain_tip(name))
                box.clicked.connect(lambda on, identity=identity: self.beside_turned.emit(identity, on))
                self.column.insertWidget(self.column.count() - 1, box)
        for identity, name in others:
            box = self.beside[identity]
            box.setText(box.fontMetrics().elidedText(name, Qt.TextElideMode.ElideMiddle, 150))
            box.setAccessibleName(f"{name}, beside it")
            box.setChecked(identity in recipe.beside)
