"""How a fit weighs its rows: the origin, the ± of y, the loss, and the span of x."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from vettore.app.widgets.fits.noise_choice import NoiseChoice, positive_in
from vettore.app.widgets.parts import button, label, section
from vettore.core.fitting.after.checks import Check, Kind, Outcome, Verdict
from vettore.core.fitting.noises.counts import looks_counted
from vettore.core.fitting.noises.listed import NOISES
from vettore.core.rounding import NumberStyle
from vettore.study.kinds.fits import AnyFit
from vettore.study.kinds.polynomial_fit import PolynomialFit
from vettore.study.series import ErrorKind, ErrorOfY, Role, Series
from vettore.words.fits import LOSS_WORDS, how_in_words

RELATIVE, KNOWN = "± of y are relative", "± of y are known"
EQUAL, CONSTANT, PERCENT = "equal weights", "± of y is …", "± of y in % is …"


class HowFitted(QWidget):
    """Choices that the page turns into edits."""

    origin_turned = Signal(bool)
    # The ± of y to weigh by, or None for equal weights.
    weights_chosen = Signal(object)
    # Whether the ± of y are known as they are, or are weights beside each other only.
    known_turned = Signal(bool)
    x_errors_turned = Signal(bool)
    loss_chosen = Signal(str)
    noise_chosen = Signal(str, object)
    # Whether a span is to be dragged on the plot; False uses all x again.
    span_asked = Signal(bool)

    def __init__(self) -> None:
        super().__init__()
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(3)
        head = QHBoxLayout()
        head.setSpacing(0)
        head.addWidget(section("How it is fitted"))
        head.addStretch()
        self.turn = button("change", self._turn, "link", "Weights, outliers, origin, a span of x")
        head.addWidget(self.turn)
        self.sentence = label("", "sentence", wrap=True)
        self.use_column = button("", lambda: self.weights_chosen.emit(ErrorOfY()), "link", "Weigh the rows by it")
        self.use_column.hide()
        self.use_x = button(
            "use the ± of x, too",
            lambda: self.x_errors_turned.emit(True),
            "link",
            "Take the distances of the rows in x and in y, each in its ±",
        )
        self.use_x.hide()
        self.use_counts = button(
            "take y for counts",
            lambda: self.noise_chosen.emit("poisson", None),
            "link",
            "Whole numbers that scatter by their square root: fitted by the likelihood of counts",
        )
        self.use_counts.hide()
        self.use_growing = button(
            "let the scatter grow with y",
            lambda: self.noise_chosen.emit("growing", None),
            "link",
            "Weigh the rows by a scatter σ = a + b·|y|, with a and b told by the rows",
        )
        self.use_growing.hide()
        self._controls = QWidget()
        self._controls.hide()
        outer.addLayout(head)
        outer.addWidget(self.sentence)
        outer.addWidget(self.use_column, alignment=Qt.AlignmentFlag.AlignLeft)
        outer.addWidget(self.use_x, alignment=Qt.AlignmentFlag.AlignLeft)
        outer.addWidget(self.use_counts, alignment=Qt.AlignmentFlag.AlignLeft)
        outer.addWidget(self.use_growing, alignment=Qt.AlignmentFlag.AlignLeft)
        outer.addWidget(self._controls)
        self._spanned = False
        self._x_offered = self._counts_offered = self._growing_offered = False
        self._build_controls()

    def _build_controls(self) -> None:
        """Make the choices that open in place of the sentence."""
        box = QVBoxLayout(self._controls)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(5)
        self.origin = QCheckBox("through the origin")
        self.origin.clicked.connect(lambda on: self.origin_turned.emit(on))
        self.weights = QComboBox()
        self.weights.setAccessibleName("How rows are weighed")
        self.weights.activated.connect(self._choose_weights)
        self.error = QLineEdit()
        self.error.setFixedWidth(58)
        self.error.setAccessibleName("Size of the ± of y")
        self.error.returnPressed.connect(self._take_error)
        self.error.hide()
        self.known = QComboBox()
        self.known.addItems([RELATIVE, KNOWN])
        self.known.setAccessibleName("Whether the ± of y are relative or known")
        self.known.setToolTip(
            "Relative: they weigh the rows, and the scatter about the curve sets the ± of the coefficients.\n"
            "Known: they are taken as they are; χ² tells whether the scatter agrees with them."
        )
        self.known.activated.connect(lambda place: self.known_turned.emit(place == 1))
        self.x_errors = QCheckBox("with the ± of x, too")
        self.x_errors.setToolTip(self.use_x.toolTip())
        self.x_errors.clicked.connect(self.x_errors_turned)
        self.loss = QComboBox()
        self.loss.addItems(list(LOSS_WORDS.values()))
        self.loss.setAccessibleName("How outliers are treated")
        self.loss.setToolTip(
            "Ordinary: least squares. Forgiving: Huber’s loss. Strongly forgiving: Tukey’s biweight."
        )
        self.loss.activated.connect(lambda place: self.loss_chosen.emit(list(LOSS_WORDS)[place]))
        self.span = button("Fit only a span of x …", self._ask_span, "link", "Drag over the plot; Esc leaves it")
        line = QHBoxLayout()
        line.setSpacing(4)
        line.addWidget(self.weights, 1)
        line.addWidget(self.error)
        box.addWidget(self.origin)
        self.noise = NoiseChoice()
        self.noise.chosen.connect(self.noise_chosen)
        box.addWidget(self.noise)
        box.addLayout(line)
        box.addWidget(self.known)
        box.addWidget(self.x_errors)
        box.addWidget(self.loss)
        box.addWidget(self.span)

    def _turn(self) -> None:
        """Open the choices in place of the sentence, or go back to it."""
        self.open_choices(not self._controls.isVisible())

    def open_choices(self, opened: bool) -> None:
        """Show the choices, or the sentence."""
        self._controls.setVisible(opened)
        self.sentence.setVisible(not opened)
        self.use_column.setVisible(not opened and bool(self.use_column.text()))
        self.use_x.setVisible(not opened and self._x_offered)
        self.use_counts.setVisible(not opened and self._counts_offered)
        self.use_growing.setVisible(not opened and self._growing_offered)
        self.turn.setText("done" if opened else "change")

    def show_recipe(self, series: Series, recipe: AnyFit, style: NumberStyle) -> None:
        """Show what is decided for a fit of a series."""
        self.sentence.setText(how_in_words(series, recipe, style))
        unused = series.column(Role.Y_ERROR)
        counts = not NOISES[recipe.noise].takes_errors
        offered = unused is not None and not recipe.use_errors and not counts
        x, y = series.values(Role.X), series.values(Role.Y)
        self._counts_offered = (
            not counts
            and not recipe.use_errors
            and x is not None
            and y is not None
            and looks_counted(x[series.in_use], y[series.in_use])
        )
        self.use_counts.setVisible(self._counts_offered and not self._controls.isVisible())
        self.noise.show_noise(recipe.noise, recipe.noise_size, style)
        self.use_column.setText(f"use the ± in {unused.name}" if unused is not None and offered else "")
        self.use_column.setVisible(offered and not self._controls.isVisible())
        self.origin.setChecked(not recipe.intercept)
        self.origin.setVisible(isinstance(recipe, PolynomialFit))
        error = series.error_of_y
        column = series.column(Role.Y_ERROR)
        words = [EQUAL, *([f"by the ± in {column.name}"] if column else []), CONSTANT, PERCENT]
        self.weights.clear()
        self.weights.addItems(words)
        chosen = EQUAL
        if recipe.use_errors and series.sigma is not None:
            kinds = {ErrorKind.CONSTANT: CONSTANT, ErrorKind.PERCENT: PERCENT}
            chosen = kinds.get(error.kind, words[1] if column else EQUAL)
        self.weights.setCurrentText(chosen)
        self.weights.setVisible(not counts)
        self.loss.setVisible(not counts)
        given = NOISES[recipe.noise].column == "covariance" and series.column(Role.COVARIANCE) is not None
        self.known.setVisible(given or (chosen != EQUAL and not counts and recipe.loss == "squares"))
        can = chosen != EQUAL and not counts and recipe.loss == "squares" and series.column(Role.X_ERROR) is not None
        self.x_errors.setVisible(can)
        self.x_errors.setChecked(recipe.use_x_errors)
        self._x_offered = can and not recipe.use_x_errors
        self.use_x.setVisible(self._x_offered and not self._controls.isVisible())
        self.known.setCurrentText(KNOWN if recipe.errors_known else RELATIVE)
        self.error.setVisible(chosen in (CONSTANT, PERCENT) and not counts)
        self.error.setText(style.plain(f"{error.value:g}") if error.value else "")
        self.loss.setCurrentText(LOSS_WORDS.get(recipe.loss, LOSS_WORDS["squares"]))
        self._spanned = recipe.span is not None
        if recipe.span is not None:
            low, high = (style.short(edge, 4) for edge in recipe.span)
            self.span.setText(f"x from {low} to {high} · use all")
        else:
            self.span.setText("Fit only a span of x …")

    def show_checks(self, recipe: AnyFit, checks: Sequence[Check]) -> None:
        """Offer a scatter that grows where the residuals of a fit do."""
        grows = any(
            check.kind is Kind.SPREAD and check.verdict is not Verdict.GOOD and check.outcome is Outcome.GROWS
            for check in checks
        )
        free = NOISES[recipe.noise].takes_errors and not recipe.use_errors and recipe.loss == "squares"
        self._growing_offered = grows and free and not self._counts_offered
        self.use_growing.setVisible(self._growing_offered and not self._controls.isVisible())

    def show_dragging(self) -> None:
        """Say that the span is being dragged."""
        self.span.setText("drag over the plot …")

    def _ask_span(self) -> None:
        self.span_asked.emit(not self._spanned)

    def _choose_weights(self, _place: int) -> None:
        chosen = self.weights.currentText()
        self.error.setVisible(chosen in (CONSTANT, PERCENT))
        if chosen == EQUAL:
            self.weights_chosen.emit(None)
        elif chosen in (CONSTANT, PERCENT):
            self.error.setFocus()
            if self.error.text().strip():
                self._take_error()
        else:
            self.weights_chosen.emit(ErrorOfY())

    def _take_error(self) -> None:
        value = positive_in(self.error, "A ± is a number above zero.")
        if value is not None:
            kind = ErrorKind.CONSTANT if self.weights.currentText() == CONSTANT else ErrorKind.PERCENT
            self.weights_chosen.emit(ErrorOfY(kind, value))
