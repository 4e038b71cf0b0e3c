"""A figure opened in place: canvas, choices and findings over one recipe of the study; every change is a step to undo."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QMimeData, QObject, Signal
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QApplication, QFileDialog

from vettore.app.pages.figure.canvas import FigureCanvas, ShownFigure
from vettore.app.pages.figure.choices import FigureChoices
from vettore.app.pages.figure.findings import FigureFindings
from vettore.app.pages.figure.making import (
    dragged,
    limits_typed,
    size_typed,
    style_text,
    text_typed,
    with_note,
    with_style,
)
from vettore.app.session import Session
from vettore.core.errors import VettoreError
from vettore.files.whole import write_whole
from vettore.report.document import style_of
from vettore.report.figures.listed import figure_names, study_figure
from vettore.study.figures import figure_of, set_figure, usual_figure, with_look
from vettore.study.kinds.figure import SIZES, FigureRecipe

STYLES = "Style of a figure (*.json)"


class FigureEditor(QObject):
    """What is open is the figure ``of`` a part of the study; ``closed`` says that the report is wanted again."""

    closed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.of = ""
        self.canvas, self.choices, self.findings = FigureCanvas(), FigureChoices(), FigureFindings()
        canvas, choices, findings = self.canvas, self.choices, self.findings
        canvas.moved.connect(lambda what, x, y: self._with_plot(lambda r, plot: dragged(r, what, plot, x, y)))
        canvas.noted.connect(lambda x, y, text: self._with_plot(lambda r, plot: with_note(r, plot, x, y, text)))
        canvas.typed.connect(lambda what, text: self._change(lambda r: text_typed(r, what, text)))
        canvas.axis_asked.connect(self._ask_axis)
        choices.chosen.connect(self._choose)
        choices.size_typed.connect(lambda name, text: self._change(lambda r: size_typed(r, name, text)))
        choices.limits_typed.connect(lambda axis, a, b: self._change(lambda r: limits_typed(r, axis, a, b)))
        choices.preset_chosen.connect(self._take_preset)
        choices.beside_turned.connect(self._turn_beside)
        choices.figure_chosen.connect(self.open)
        findings.done.connect(self.closed)
        findings.save_asked.connect(self._ask_and_save)
        findings.copy_asked.connect(self._copy)
        findings.all_asked.connect(self._use_for_all)
        findings.usual_asked.connect(lambda: self._change(lambda r: usual_figure(self.session.study, r.of)))
        findings.keep_asked.connect(self._keep_style)
        findings.take_asked.connect(self._take_style)

    @property
    def recipe(self) -> FigureRecipe:
        """What was decided on the open figure."""
        return figure_of(self.session.study, self.of)

    def open(self, of: str) -> None:
        """Open the figure of a part of the study."""
        self.of = of
        self.canvas.show_figure(None, {})
        self.findings.show_trouble("")
        self.refresh()

    def refresh(self) -> None:
        """Show what the study says of the figure, and draw it again in the background."""
        study, recipe = self.session.study, self.recipe
        others = tuple(
            (curve.id, f"{curve.name} · {study.find_series(curve.series).name}")
            for curve in study.curves
            if curve.id != self.of
        )
        style = style_of(study)
        self.choices.show_figures(figure_names(study), self.of)
        self.choices.draw(recipe, others, style)
        words = {"title": recipe.title, "x title": recipe.x_title, "y title": recipe.y_title}
        words |= {f"note {number}": note.text for number, note in enumerate(recipe.notes)}

        def work() -> ShownFigure:
            figure = study_figure(study, recipe.of, style, recipe)
            picture, places, plotted = figure.with_places()
            size = (recipe.width, recipe.height)
            return ShownFigure(QImage.fromData(picture), size, places, plotted, figure.fields)

        def show(shown: ShownFigure) -> None:
            self.choices.show_fields(shown.fields)
            self.findings.show_fields(shown.fields)
            self.canvas.show_figure(shown, words)
            self.session.say("", "status")

        self.session.background.run("figure", work, show, self.findings.show_trouble)

    def _choose(self, name: str, value: object) -> None:
        more: dict[str, object] = {"legend_at": None} if name == "legend" else {}
        self._change(lambda recipe: recipe.changed(**{name: value}, **more))

    def _take_preset(self, name: str) -> None:
        if name in SIZES:
            width, height = SIZES[name]
            self._change(lambda recipe: recipe.changed(width=width, height=height))

    def _turn_beside(self, fit: str, on: bool) -> None:
        self._change(
            lambda recipe: recipe.changed(
                beside=(*(known for known in recipe.beside if known != fit), *([fit] if on else []))
            )
        )

    def _with_plot(self, change: Callable[..., FigureRecipe]) -> None:
        shown = self.canvas.shown
        if shown is not None:
            self._change(lambda recipe: change(recipe, shown.plotted))

    def _change(self, change: Callable[[FigureRecipe], FigureRecipe]) -> None:
        """Make a change of the recipe a step of the study; what cannot be is said beside the figure."""
        known = self.recipe
        try:
            changed = change(known)
        except VettoreError as error:
            self.findings.show_trouble(str(error))
            return
        self.findings.show_trouble("")
        if changed != known:
            self.session.do("change the figure", set_figure(self.session.study, changed))

    def _use_for_all(self) -> None:
        self.session.do("give all figures this look", with_look(self.session.study, self.recipe))

    def _ask_axis(self, axis: str) -> None:
        field = self.choices.limits[axis][0]
        self.choices.ensureWidgetVisible(field)
        field.setFocus()
        field.selectAll()

    def _ask_and_save(self, ending: str) -> None:
        start = (self.session.path or Path.home() / "figure").with_suffix(f".{ending}")
        chosen, _ = QFileDialog.getSaveFileName(self.canvas, "Save the figure", str(start), f"(*.{ending})")
        if chosen:
            path = Path(chosen)
            self.save(path if path.suffix else path.with_suffix(f".{ending}"))

    def save(self, path: Path) -> None:
        """Save the figure in the background, with its data if that is ticked, and say so."""
        study, recipe, data = self.session.study, self.recipe, self.findings.data.isChecked()
        self.session.background.run(
            "save figure",
            lambda: study_figure(study, recipe.of, style_of(study), recipe).save(path, data),
            lambda _nothing: self.session.say(f"The figure was saved as {path.name}."),
            lambda sentence: self.session.say(sentence, "bad"),
        )

    def _copy(self) -> None:
        study, recipe = self.session.study, self.recipe

        def work() -> tuple[bytes, bytes]:
            figure = study_figure(study, recipe.of, style_of(study), recipe)
            return figure("png"), figure("svg", letters=True)

        def place(pair: tuple[bytes, bytes]) -> None:
            picture, svg = pair
            data = QMimeData()
            data.setImageData(QImage.fromData(picture))
            data.setData("image/svg+xml", svg)
            QApplication.clipboard().setMimeData(data)
            self.session.say("The figure is on the clipboard, as a picture and as SVG.")

        self.session.background.run("copy figure", work, place, self.findings.show_trouble)

    def _keep_style(self) -> None:
        chosen, _ = QFileDialog.getSaveFileName(self.canvas, "Keep the look", "figure-style.json", STYLES)
        if chosen:
            try:
                write_whole(Path(chosen), style_text(self.recipe).encode("utf-8"))
            except VettoreError as error:
                self.findings.show_trouble(str(error))

    def _take_style(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(self.canvas, "Take a look", "", STYLES)
        if not chosen:
            return
        try:
            text = Path(chosen).read_text(encoding="utf-8")
        except (OSError, UnicodeDecodeError) as error:
            self.findings.show_trouble(f"{Path(chosen).name} could not be read: {error}.")
            return
        self._change(lambda recipe: with_style(recipe, text))
