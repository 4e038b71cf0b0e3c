"""The pages of the report as they will be printed."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QImage, QPixmap
from PySide6.QtWidgets import QLabel

from vettore.app.widgets.parts import Column, clear, label
from vettore.report.press import PRESS

# Width of a page in points (A4), and the room left beside it in the preview.
PAGE_WIDTH, BESIDE = 595, 56
SMALLEST_SCALE, LARGEST_SCALE = 0.6, 1.8
# At fewer pixels for a point letters lose their left edges; such pages are drawn so many times finer first.
SMALL_TYPE, FINER = 1.6, 2


@dataclass(frozen=True)
class Printed:
    """Pictures of pages, and of each chapter the page on which it begins, counted from 0."""

    pages: tuple[QImage, ...]
    chapters: tuple[int, ...] = ()

    def of_chapter(self, place: int) -> range:
        """Return the pages of a chapter, down to that on which the next begins."""
        ends = (*self.chapters[1:], len(self.pages))
        return range(self.chapters[place], max(ends[place], self.chapters[place] + 1))


class Preview(Column):
    """Shows pictures of pages, in the width that the stage has for them."""

    def __init__(self) -> None:
        super().__init__("Preview of the report", (20, 16, 20, 16))
        self.printed = Printed(())
        self._sheets: list[QLabel] = []
        self.column.setAlignment(Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop)

    def scale_for(self, width: int) -> float:
        """Return the pixels for a point of the page in a stage of a width."""
        fitting = (width - BESIDE) / PAGE_WIDTH
        return min(max(fitting, SMALLEST_SCALE), LARGEST_SCALE) * self.devicePixelRatioF()

    def chapter_in_view(self) -> tuple[int, int] | None:
        """Return the place of the chapter that is seen, and the page of it, from 0; None where there are no chapters."""
        seen = 0
        self.column.activate()
        middle = self.verticalScrollBar().value() + self.viewport().height() // 2
        for number, sheet in enumerate(self._sheets):
            if sheet.y() <= middle:
                seen = number
        begun = [place for place, first in enumerate(self.printed.chapters) if first <= seen]
        return (begun[-1], seen - self.printed.chapters[begun[-1]]) if begun else None

    def show_chapter(self, place: int, alone: Printed, only: int | None = None) -> None:
        """Show other pages of one chapter in the place of those that it had, or ``only`` another in the place of one."""
        if place >= len(self.printed.chapters):
            return
        old = self.printed.of_chapter(place)
        if only is not None:
            old = old[only : only + 1]
        pages = (*self.printed.pages[: old.start], *alone.pages, *self.printed.pages[old.stop :])
        more = len(alone.pages) - len(old)
        chapters = tuple(
            first + (more if number > place else 0) for number, first in enumerate(self.printed.chapters)
        )
        self.show_printed(Printed(pages, chapters))

    def show_printed(self, printed: Printed) -> None:
        """Show pages under each other. Those that are there are painted anew, so that what is seen stays in view."""
        shown = dict(enumerate(self.printed.pages, 1)) if self._sheets else {}
        if not self._sheets:
            clear(self.column)
        for sheet in self._sheets[len(printed.pages) :]:
            self.column.removeWidget(sheet)
            sheet.deleteLater()
        del self._sheets[len(printed.pages) :]
        while len(self._sheets) < len(printed.pages):
            sheet = QLabel()
            sheet.setObjectName("page")
            self.column.addWidget(sheet, alignment=Qt.AlignmentFlag.AlignHCenter)
            self._sheets.append(sheet)
        for number, (sheet, image) in enumerate(zip(self._sheets, printed.pages, strict=True), 1):
            # A page that stays is not painted again.
            if shown.get(number) is not image:
                image.setDevicePixelRatio(self.devicePixelRatioF())
                sheet.setPixmap(QPixmap.fromImage(image))
            sheet.setAccessibleName(f"Page {number} of {len(printed.pages)}")
        self.printed = printed

    def refuse(self, sentence: str) -> None:
        """Show why there is no page."""
        self.printed = Printed(())
        self._sheets = []
        clear(self.column)
        self.add(label(sentence, "bad", wrap=True))


def printed_of(data: bytes, scale: float) -> Printed:
    """Turn the pages of a PDF into pictures of so many pixels for a point."""
    finer = FINER if scale < SMALL_TYPE else 1
    pictures, chapters = PRESS.pictures(data, scale * finer)
    images = []
    for picture in pictures:
        image = QImage(picture.pixels, picture.width, picture.height, picture.width * 4, QImage.Format.Format_RGB32)
        size = QSize(round(picture.width / finer), round(picture.height / finer))
        images.append(
            image.scaled(size, mode=Qt.TransformationMode.SmoothTransformation) if finer > 1 else image.copy()
        )
    return Printed(tuple(images), chapters)
