"""The Report page: the page as it will be printed, live; what it holds, and how it is sent."""

from __future__ import annotations

import threading
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QImage, QPixmap
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QGridLayout,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QStackedWidget,
    QWidget,
)

from vettore.app.pages.again.worker import WorkAgain
from vettore.app.pages.figure.editor import FigureEditor
from vettore.app.pages.page import Doors, Page
from vettore.app.session import Session
from vettore.app.widgets.parts import Column, Invitation, button, clear, label, rule, section
from vettore.report.document import report_document
from vettore.report.renderers.listed import FORMATS, Format
from vettore.report.renderers.pdf import pdf
from vettore.report.save import save_report
from vettore.report.sections.listed import SECTIONS
from vettore.study import edits

# Width of a page in points (A4), and the room left beside it in the preview.
PAGE_WIDTH = 595
BESIDE = 56
SMALLEST_SCALE, LARGEST_SCALE = 0.6, 1.8
# Milliseconds of a pause after which the pages are written again.
PAUSE = 200
# What the stage shows.
EMPTY, REPORT, FIGURE, AGAIN = 0, 1, 2, 3
# In the list of fits: all of them.
ALL = "*"
MARKS = {"point": ".", "comma": ","}


_rendering = threading.Lock()


class NoteField(QPlainTextEdit):
    """A field of several lines that says when the user has left it."""

    finished = Signal()

    def focusOutEvent(self, event) -> None:
        super().focusOutEvent(event)
        self.finished.emit()


class ReportPage(Page):
    """What is reported, how it looks, where it goes."""

    name = "Report"
    help_page = "report.md"
    shows_tray = False

    def __init__(self, session: Session, doors: Doors) -> None:
        super().__init__(session, doors)
        self.pages = 0
        self._filling = False
        self.editor = FigureEditor(session)
        self.editor.closed.connect(self.close_figure)
        self.again = WorkAgain(session, lambda: self.again.ask_file())
        self.again.opened.connect(lambda: self._show_part(AGAIN))
        self.again.closed.connect(self.close_figure)
        self._build_choices()
        self._build_stage()
        self._build_findings()

    def _build_choices(self) -> None:
        choices = Column("What the report holds", (10, 14, 2, 12))
        # All sections without a bar to scroll, which would cut their names, in a window 700 high.
        choices.column.setSpacing(6)
        self.title = QLineEdit()
        self.title.setAccessibleName("Title of the report")
        self.title.setPlaceholderText("Title")
        self.title.editingFinished.connect(lambda: self._change(title=self.title.text().strip()))
        self.note = NoteField()
        self.note.finished.connect(lambda: self._change(note=self.note.toPlainText().strip()))
        self.note.setAccessibleName("Note under the title")
        self.note.setPlaceholderText("A note under the title …")
        self.note.setFixedHeight(58)
        self.note.setTabChangesFocus(True)
        self.curve = QComboBox()
        self.curve.setAccessibleName("The fit that is reported")
        self.curve.activated.connect(self._choose_curve)
        choices.add(section("Title"), self.title, section("Note"), self.note)
        choices.add(section("About"), self.curve, rule(), section("In this report"))
        self.boxes: dict[str, QCheckBox] = {}
        for entry in SECTIONS:
            if entry.sheets:
                continue
            box = QCheckBox(entry.name)
            box.clicked.connect(lambda checked, key=entry.key: self._turn(key, checked))
            self.boxes[entry.key] = box
            choices.add(box)
        choices.column.addStretch()
        self.choices = QStackedWidget()
        self.choices.addWidget(choices)
        self.choices.addWidget(self.editor.choices)

    def _build_stage(self) -> None:
        self.preview = Column("Preview of the report", (20, 16, 20, 16))
        self.preview.column.setAlignment(Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop)
        self.refusal = Invitation(
            "The report is about what the study holds. Bring in data first.",
            "Go to Data",
            lambda: self.doors.show_page("Data"),
        )
        stage = QStackedWidget()
        stage.setObjectName("canvas")
        stage.addWidget(self.refusal)
        stage.addWidget(self.preview)
        stage.addWidget(self.editor.canvas)
        stage.addWidget(self.again.panel)
        self.stage = stage

    def _build_findings(self) -> None:
        findings = Column("Send the report")
        self.change_figure = button("Change the figure …", self.open_figure, "", "Words, axes, colours, marks, size")
        self.change_figure.setProperty("help", "report.md#change-the-figure")
        findings.add(section("Send it"))
        for known in FORMATS:
            row = QWidget()
            grid = QGridLayout(row)
            grid.setContentsMargins(0, 2, 0, 2)
            grid.addWidget(label(known.name, "value"), 0, 0)
            grid.addWidget(label(known.use, "muted"), 1, 0)
            words = f"Save the report as {known.name}"
            save = button("Save …", lambda known=known: self.ask_and_save(known), tip=words)
            save.setAccessibleName(words)
            grid.addWidget(save, 0, 1, 2, 1, Qt.AlignmentFlag.AlignRight)
            findings.add(row)
        self.paper, self.mark = QComboBox(), QComboBox()
        self.paper.addItems(["A4", "Letter"])
        self.paper.setAccessibleName("Paper")
        self.paper.activated.connect(lambda _place: self._change(paper=self.paper.currentText()))
        self.mark.addItems(list(MARKS))
        self.mark.setAccessibleName("Decimal mark")
        self.mark.activated.connect(lambda _place: self._change(decimal_mark=MARKS[self.mark.currentText()]))
        looks = QWidget()
        grid = QGridLayout(looks)
        grid.setContentsMargins(0, 0, 0, 0)
        for row, (words, widget) in enumerate((("paper", self.paper), ("decimal mark", self.mark))):
            grid.addWidget(label(words, "label"), row, 0)
            grid.addWidget(widget, row, 1)
        self.attach = QCheckBox("take the study along")
        self.attach.setToolTip(
            "Put the study itself into the PDF or the web page, so that whoever reads it can open it"
        )
        self.attach.clicked.connect(lambda checked: self._change(attach=checked))
        findings.add(rule(), section("Looks"), looks, self.attach, self.change_figure)
        self.new_file = button(
            "Choose the new file …", self.again.ask_file, "", "Do all that the study keeps again on another file"
        )
        self.new_file.setProperty("help", "report.md#the-same-work-on-a-new-file")
        findings.add(rule(), section("The same work, new data"), self.new_file)
        findings.column.addStretch()
        self.findings = QStackedWidget()
        self.findings.addWidget(findings)
        self.findings.addWidget(self.editor.findings)

    def refresh(self) -> None:
        """Fill in the choices and draw the pages again."""
        study, recipe = self.session.study, self.session.study.report
        reported = study.reported_curve
        some = bool(study.series or study.functions or study.polynomials)
        if self.figure_is_open and any(curve.id == self.editor.fit for curve in study.curves):
            self.editor.refresh()
            return
        if self.stage.currentIndex() != AGAIN:
            self._show_part(REPORT if some else EMPTY)
        self.change_figure.setEnabled(reported is not None)
        self.new_file.setEnabled(bool(study.series))
        self._filling = True
        self.title.setText(recipe.title)
        # A long title is seen from its beginning.
        self.title.setCursorPosition(0)
        if self.note.toPlainText() != recipe.note:
            self.note.setPlainText(recipe.note)
        for name, box in self.boxes.items():
            box.setChecked(name not in recipe.left_out)
        self.paper.setCurrentText(recipe.paper)
        self.mark.setCurrentText(next(word for word, mark in MARKS.items() if mark == recipe.decimal_mark))
        self.attach.setChecked(recipe.attach)
        self.curve.clear()
        for curve in study.curves:
            self.curve.addItem(f"{study.find_series(curve.series).name} · {curve.name}", curve.id)
        self.curve.addItem("All fits, and all else" if study.curves else "All that the study holds", ALL)
        whole = recipe.fits == "all" or not reported
        self.curve.setCurrentIndex(self.curve.findData(ALL if whole or reported is None else reported.id))
        self._filling = False
        if some:
            # One PDF for a pause in what the user does, not one for each key and tick.
            self.session.background.when_calm("preview", PAUSE, self._draw)

    @property
    def figure_is_open(self) -> bool:
        """Whether a figure is open in the place of the pages."""
        return self.stage.currentIndex() == FIGURE

    def open_figure(self) -> None:
        """Open the figure of the reported fit in the place of the pages."""
        reported = self.session.study.reported_curve
        if reported is not None:
            self._show_part(FIGURE)
            self.editor.open(reported.id)

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
        study = self.session.study
        fitting = (self.stage.width() - BESIDE) / PAGE_WIDTH
        scale = min(max(fitting, SMALLEST_SCALE), LARGEST_SCALE) * self.stage.devicePixelRatioF()

        def work() -> list[QImage]:
            return _render(pdf(report_document(study)), scale)

        self.session.background.run("preview", work, self._show_pages, self._show_refusal)

    def _show_pages(self, images: list[QImage]) -> None:
        self.pages = len(images)
        clear(self.preview.column)
        for number, image in enumerate(images, 1):
            image.setDevicePixelRatio(self.stage.devicePixelRatioF())
            page = QLabel()
            page.setPixmap(QPixmap.fromImage(image))
            page.setObjectName("page")
            page.setAccessibleName(f"Page {number} of {len(images)}")
            self.preview.column.addWidget(page, alignment=Qt.AlignmentFlag.AlignHCenter)
        self.session.say("", "status")

    def ask_and_save_first(self) -> None:
        """Ask for a name and save the report in the first of its formats."""
        self.ask_and_save(FORMATS[0])

    def _show_refusal(self, sentence: str) -> None:
        clear(self.preview.column)
        self.preview.add(label(sentence, "bad", wrap=True))

    def _choose_curve(self, place: int) -> None:
        identity = self.curve.itemData(place)
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


def _render(data: bytes, scale: float) -> list[QImage]:
    """Turn the pages of a PDF into pictures."""
    import pypdfium2

    # PDFium serves one thread at a time, and what is left open would be closed by whichever thread collects it.
    with _rendering:
        document = pypdfium2.PdfDocument(data)
        images = []
        for number in range(len(document)):
            page = document[number]
            bitmap = page.render(scale=scale)
            pixels = bitmap.to_numpy()
            height, width, _ = pixels.shape
            images.append(QImage(pixels.tobytes(), width, height, width * 3, QImage.Format.Format_BGR888).copy())
            del pixels
            bitmap.close()
            page.close()
        document.close()
    return images
