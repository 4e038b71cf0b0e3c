"""The Report page: the page as it will be printed, live; what it holds, and how it is sent."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QStackedWidget

from vettore.app.pages.again.worker import WorkAgain
from vettore.app.pages.figure.editor import FigureEditor
from vettore.app.pages.page import Doors, Page
from vettore.app.pages.report.choices import ReportChoices
from vettore.app.pages.report.present import ALL, present
from vettore.app.pages.report.preview import Preview, Printed, printed_of
from vettore.app.pages.report.sending import Sending
from vettore.app.session import Session
from vettore.app.widgets.parts import Invitation
from vettore.report.document import report_document
from vettore.report.press import PRESS
from vettore.report.renderers.listed import FORMATS, Format
from vettore.report.renderers.pdf import pdf
from vettore.report.renderers.printing import print_with
from vettore.report.save import save_report
from vettore.report.sections.listed import SECTIONS
from vettore.study import edits
from vettore.study.figures import with_figures

# Milliseconds of a pause after which the pages are written again.
PAUSE = 200
# A report of so many pages is printed at once; of a longer one the chapter that is seen comes first, all of it after a rest.
SOON_PRINTED, REST = 5, 1500
# What the stage shows.
EMPTY, REPORT, FIGURE, AGAIN = 0, 1, 2, 3


class ReportPage(Page):
    """What is reported, how it looks, where it goes."""

    name = "Report"
    help_page = "report.md"
    shows_tray = False

    def __init__(self, session: Session, doors: Doors) -> None:
        super().__init__(session, doors)
        # Beside other threads nothing is printed in this process.
        print_with(PRESS.print)
        self.pages = 0
        # While fields are filled in, what they tell is nobody's decision.
        self._filling = False
        self.report_choices, self.preview, self.sending = ReportChoices(), Preview(), Sending()
        self.curve, self.change_figure = self.report_choices.curve, self.sending.change_figure
        self.editor = FigureEditor(session)
        self.again = WorkAgain(session, lambda: self.again.ask_file())
        self.refusal = Invitation(
            "The report is about what the study holds. Bring in data first.",
            "Go to Data",
            lambda: doors.show_page("Data"),
        )
        self.choices, self.stage, self.findings = QStackedWidget(), QStackedWidget(), QStackedWidget()
        self.stage.setObjectName("canvas")
        for stack, parts in (
            (self.choices, (self.report_choices, self.editor.choices)),
            (self.stage, (self.refusal, self.preview, self.editor.canvas, self.again.panel)),
            (self.findings, (self.sending, self.editor.findings)),
        ):
            for part in parts:
                stack.addWidget(part)
        self._listen()

    def _listen(self) -> None:
        self.report_choices.changed.connect(lambda fields: self._change(**fields))
        self.report_choices.chosen.connect(self._choose_subject)
        self.report_choices.turned.connect(self._turn)
        self.sending.changed.connect(lambda fields: self._change(**fields))
        self.sending.saved.connect(self.ask_and_save)
        self.sending.figure_asked.connect(self.open_figure)
        self.sending.file_asked.connect(self.again.ask_file)
        self.editor.closed.connect(self.close_figure)
        self.again.opened.connect(lambda: self._show_part(AGAIN))
        self.again.closed.connect(self.close_figure)

    def refresh(self) -> None:
        """Fill in the choices and draw the pages again."""
        study = self.session.study
        if self.figure_is_open and self.editor.of in with_figures(study):
            self.editor.refresh()
            return
        view = present(study)
        if self.stage.currentIndex() != AGAIN:
            self._show_part(REPORT if view.some else EMPTY)
        self._filling = True
        self.report_choices.show_view(view)
        self.sending.show_view(view)
        self._filling = False
        if view.some:
            # One PDF for a pause in what the user does, not one for each key and tick.
            self.session.background.when_calm("preview", PAUSE, self._draw)

    @property
    def figure_is_open(self) -> bool:
        """Whether a figure is open in the place of the pages."""
        return self.stage.currentIndex() == FIGURE

    def open_figure(self) -> None:
        """Open the figure of the reported fit, or else the first of the study, in the place of the pages."""
        study = self.session.study
        there, reported = with_figures(study), study.reported_curve
        if there:
            self._show_part(FIGURE)
            self.editor.open(there[0] if reported is None else reported.id)

    def close_figure(self) -> None:
        """Show the pages again."""
        self._show_part(REPORT)
        self.refresh()

    def _show_part(self, part: int) -> None:
        self.stage.setCurrentIndex(part)
        for column in (self.choices, self.findings):
            column.setCurrentIndex(1 if part == FIGURE else 0)
        self.session.say("", "status")

    def close_topmost(self) -> bool:
        """Close a field on the figure, or else the figure."""
        if self.stage.currentIndex() == AGAIN:
            self.close_figure()
            return True
        if not self.figure_is_open:
            return False
        if not self.editor.canvas.close_field():
            self.close_figure()
        return True

    def status(self) -> list[str]:
        """Say how long the report is."""
        pages = "1 page" if self.pages == 1 else f"{self.pages} pages"
        if self.figure_is_open:
            recipe = self.editor.recipe
            return [f"figure of {recipe.width:g} × {recipe.height:g} mm"]
        return [pages, "figures follow the study"] if self.pages else []

    def ask_and_save(self, known: Format) -> None:
        """Ask where the report goes and save it there."""
        ending = known.endings[0]
        start = self.session.path.with_suffix(ending) if self.session.path else Path.home() / f"report{ending}"
        words = f"{known.name} (*{ending})"
        chosen, _ = QFileDialog.getSaveFileName(self.stage, "Save the report", str(start), words)
        if chosen:
            path = Path(chosen)
            self.save(path if path.suffix else path.with_suffix(ending))

    def ask_and_save_first(self) -> None:
        """Ask for a name and save the report in the first of its formats."""
        self.ask_and_save(FORMATS[0])

    def save(self, path: Path) -> None:
        """Save the report in the background and say so."""
        study = self.session.study
        self.session.background.run(
            "save report",
            lambda: save_report(study, path),
            lambda _nothing: self.session.say(f"The report was saved as {path.name}."),
            lambda sentence: self.session.say(sentence, "bad"),
        )

    def _draw(self) -> None:
        study, scale = self.session.study, self.preview.scale_for(self.stage.width())
        seen = self.preview.chapter_in_view() if study.report.fits == "all" and study.curves else None
        if self.pages <= SOON_PRINTED or seen is None:
            self._print_all()
            return
        (place, number), before = seen, self.preview.printed
        # What is looked at first; all of it once the hands rest.

        def work() -> tuple[Printed, int | None]:
            document = report_document(study)
            if len(document.chapters) != len(before.chapters):
                return Printed(()), None
            only = None

            def choose(count: int) -> Iterable[int]:
                nonlocal only
                # The other pages are painted later, unless the chapter has become longer or shorter.
                only = number if count == len(before.of_chapter(place)) else None
                return range(count) if only is None else (only,)

            return printed_of(pdf(document.alone(place), choose), scale), only

        def show(pair: tuple[Printed, int | None]) -> None:
            if pair[0].pages and self.preview.printed.chapters == before.chapters:
                self.preview.show_chapter(place, *pair)

        self.session.background.run("preview page", work, show, self.preview.refuse)
        self.session.background.when_calm("preview", REST, self._print_all)

    def _print_all(self) -> None:
        study, scale = self.session.study, self.preview.scale_for(self.stage.width())
        self.session.background.run(
            "preview",
            lambda: printed_of(pdf(report_document(study)), scale),
            self._show_pages,
            self.preview.refuse,
        )

    def _show_pages(self, printed: Printed) -> None:
        self.pages = len(printed.pages)
        self.preview.show_printed(printed)
        self.session.say("", "status")

    def _choose_subject(self, identity: str) -> None:
        if self._filling or not identity:
            return
        self._change(fits="all" if identity == ALL and self.session.study.curves else "one")
        if identity != ALL:
            self.session.show_curve(identity)

    def _turn(self, key: str, checked: bool) -> None:
        left_out = set(self.session.study.report.left_out) ^ {key}
        assert (key not in left_out) == checked
        self._change(left_out=tuple(entry.key for entry in SECTIONS if entry.key in left_out))

    def _change(self, **values: object) -> None:
        recipe = self.session.study.report
        changed = recipe.changed(**values)
        if changed != recipe and not self._filling:
            self.session.do("change the report", edits.set_report(self.session.study, changed))
