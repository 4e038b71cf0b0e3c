"""How peaks are fitted: their shape, what they stand on, how many, whether their widths are one."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QCheckBox, QComboBox, QFormLayout, QHBoxLayout, QInputDialog, QVBoxLayout, QWidget

from vettore.app.widgets.parts import button, label, section
from vettore.study.fitting.fits import DerivedFit
from vettore.study.kinds.fits import AnyFit
from vettore.study.kinds.peaks_fit import PeaksRecipe

SHAPES = {
    "gaussian": "Gaussian",
    "lorentzian": "Lorentzian",
    "mixed": "mixed",
    "voigt": "Voigt",
    "tailed": "with a tail",
    "split": "two half widths",
    "log-normal": "log-normal",
}
GROUNDS = {
    "none": "none",
    "level": "level",
    "slope": "slope",
    "parabola": "parabola",
    "smooth": "smooth",
}
TIPS = {
    "shape": "Mixed: part Lorentzian, part Gaussian. Voigt: a Gaussian broadened by a Lorentzian.\n"
    "With a tail: a Gaussian that decays exponentially, as in a chromatogram.",
    "ground": "What the peaks stand on. Smooth: a curve too stiff for any peak to hide in it.",
}
FOUND, FORMULA = "found", "a formula …"
MOST_LISTED = 12


class PeakChoices(QWidget):
    """Choices that the page turns into edits: ``changed`` tells a field of the recipe, its value, and what it is called."""

    changed = Signal(str, object, str)
    added = Signal()

    def __init__(self) -> None:
        super().__init__()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(3)
        box.addWidget(section("Peaks"))
        form = QFormLayout()
        form.setContentsMargins(0, 0, 0, 0)
        form.setSpacing(3)
        self.shape, self.ground, self.count = QComboBox(), QComboBox(), QComboBox()
        for box_of, words, name, tip in (
            (self.shape, [*SHAPES.values(), FORMULA], "shape", TIPS["shape"]),
            (self.ground, [*GROUNDS.values(), FORMULA], "background", TIPS["ground"]),
            (self.count, [FOUND, *(str(count) for count in range(1, MOST_LISTED + 1))], "how many", ""),
        ):
            box_of.addItems(words)
            box_of.setAccessibleName(f"Peaks: {name}")
            box_of.setToolTip(tip)
            form.addRow(label(name, "muted"), box_of)
        self.shape.activated.connect(lambda place: self._take(self.shape, "shape", list(SHAPES), place))
        self.ground.activated.connect(lambda place: self._take(self.ground, "background", list(GROUNDS), place))
        self.count.activated.connect(self._take_count)
        self.equal = QCheckBox("one width")
        self.equal.clicked.connect(lambda on: self.changed.emit("equal_widths", on, "one width for all peaks"))
        self.equal.setToolTip("All peaks have the same width")
        self.negative = QCheckBox("dips, too")
        self.negative.setToolTip("Look for peaks that point down as well")
        self.negative.clicked.connect(lambda on: self.changed.emit("negative", on, "look for dips, too"))
        turns = QHBoxLayout()
        turns.addWidget(self.equal)
        turns.addWidget(self.negative)
        turns.addStretch()
        box.addLayout(form)
        box.addLayout(turns)
        self.more = button("add a peak", self.added.emit, "link", "Then click on the plot where it stands")
        box.addWidget(self.more, alignment=Qt.AlignmentFlag.AlignLeft)
        self._recipe: PeaksRecipe | None = None
        self.hide()

    def show_recipe(self, recipe: AnyFit) -> None:
        """Show what is decided of peaks; of other fits, nothing."""
        self._recipe = recipe if isinstance(recipe, PeaksRecipe) else None
        self.setVisible(self._recipe is not None)
        if self._recipe is None:
            return
        for box, known, value in (
            (self.shape, SHAPES, self._recipe.shape),
            (self.ground, GROUNDS, self._recipe.background),
        ):
            # A formula stands in the list as it was written.
            box.setItemText(box.count() - 1, FORMULA if value in known else value)
            box.setCurrentText(known.get(value, value))
        self.equal.setChecked(self._recipe.equal_widths)
        self.negative.setChecked(self._recipe.negative)
        self._show_count(None)

    def show_fit(self, fit: DerivedFit) -> None:
        """Say how many were found."""
        if fit.peaks is not None:
            self._show_count(fit.peaks.count)

    def _show_count(self, count: int | None) -> None:
        if self._recipe is None:
            return
        self.count.setItemText(0, FOUND if count is None else f"{count}, found")
        given = self._recipe.count
        if given is not None and given > MOST_LISTED and self.count.findText(str(given)) < 0:
            self.count.addItem(str(given))
        self.count.setCurrentIndex(0 if given is None else self.count.findText(str(given)))
        if given is not None:
            self.count.setItemText(0, FOUND)

    def _take(self, box: QComboBox, field: str, keys: list[str], place: int) -> None:
        if self._recipe is None:
            return
        if place < len(keys):
            if getattr(self._recipe, field) != keys[place]:
                self.changed.emit(field, keys[place], f"{field} of peaks: {box.itemText(place)}")
            return
        now = getattr(self._recipe, field)
        questions = {
            "shape": "A formula of u = (x − m)/w with its top at u = 0, as exp(-abs(u)^3)",
            "background": "A formula of x with coefficients of its own, as B*exp(-k*x)",
        }
        text, taken = QInputDialog.getText(self, "A formula", questions[field], text=now if now not in keys else "")
        if taken and text.strip() and text.strip() != now:
            self.changed.emit(field, text.strip(), f"{field} of peaks by a formula")
        else:
            self.show_recipe(self._recipe)

    def _take_count(self, place: int) -> None:
        count = None if place == 0 else int(self.count.itemText(place))
        if self._recipe is not None and count != self._recipe.count:
            self.changed.emit("count", count, "find the number of peaks" if count is None else f"{count} peaks")
