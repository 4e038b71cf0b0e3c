"""The pages of the report as they will be printed."""

from __future__ import annotations

import threading

from PySide6.QtCore import Qt
from PySide6.QtGui import QImage, QPixmap
from PySide6.QtWidgets import QLabel

from vettore.app.widgets.parts import Column, clear, label

# Width of a page in points (A4), and the room left beside it in the preview.
PAGE_WIDTH, BESIDE = 595, 56
SMALLEST_SCALE, LARGEST_SCALE = 0.6, 1.8

_rendering = threading.Lock()


class Preview(Column):
    """Shows pictures of pages, in the width that the stage has for them."""

    def __init__(self) -> None:
        super().__init__("Preview of the report", (20, 16, 20, 16))
        self.column.setAlignment(Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop)

    def scale_for(self, width: int) -> float:
        """Return the pixels for a point of the page in a stage of a width."""
        fitting = (width - BESIDE) / PAGE_WIDTH
        return min(max(fitting, SMALLEST_SCALE), LARGEST_SCALE) * self.devicePixelRatioF()

    def show_pages(self, images: list[QImage]) -> None:
        """Show pages under each other."""
        clear(self.column)
        for number, image in enumerate(images, 1):
            image.setDevicePixelRatio(self.devicePixelRatioF())
            page = QLabel()
            page.setPixmap(QPixmap.fromImage(image))
            page.setObjectName("page")
            page.setAccessibleName(f"Page {number} of {len(images)}")
            self.column.addWidget(page, alignment=Qt.AlignmentFlag.AlignHCenter)

    def refuse(self, sentence: str) -> None:
        """Show why there is no page."""
        clear(self.column)
        self.add(label(sentence, "bad", wrap=True))


def pictures_of(data: bytes, scale: float) -> list[QImage]:
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
