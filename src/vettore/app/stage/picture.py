"""A plot as a picture: on the clipboard, or saved as PNG, SVG or PDF."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QMarginsF, QPointF, QRectF, QSizeF
from PySide6.QtGui import QImage, QPageSize, QPainter, QPdfWriter
from PySide6.QtWidgets import QApplication, QFileDialog, QGraphicsView

from vettore.core.errors import Fault, VettoreError

# Pixels of a saved picture per pixel on screen.
PICTURE_SCALE = 3
KINDS = "Picture (*.png);;Drawing (*.svg);;PDF (*.pdf)"


def copy_picture(plot: QGraphicsView) -> str:
    """Put what is shown on the clipboard; return what was done."""
    QApplication.clipboard().setPixmap(plot.grab())
    return "The plot is on the clipboard."


def ask_picture(plot: QGraphicsView) -> str:
    """Ask for a name and save what is shown there; return what was done, or nothing. Raises VettoreError."""
    chosen, _ = QFileDialog.getSaveFileName(plot.window(), "Save the plot", str(Path.home() / "plot.png"), KINDS)
    if not chosen:
        return ""
    save_picture(plot, Path(chosen))
    return f"The plot was saved as {Path(chosen).name}."


def save_picture(plot: QGraphicsView, path: Path) -> None:
    """Save what is shown, by the ending of the name. Raises VettoreError."""
    size = plot.size()
    kind = path.suffix.casefold()
    if kind == ".png":
        target = QImage(size * PICTURE_SCALE, QImage.Format.Format_ARGB32)
        target.setDevicePixelRatio(PICTURE_SCALE)
    elif kind == ".svg":
        from PySide6.QtSvg import QSvgGenerator

        target = QSvgGenerator()
        target.setFileName(str(path))
        target.setSize(size)
        target.setViewBox(plot.rect())
    elif kind == ".pdf":
        target = QPdfWriter(str(path))
        target.setResolution(96)
        target.setPageSize(QPageSize(QSizeF(size) * 0.75, QPageSize.Unit.Point))
        target.setPageMargins(QMarginsF())
    else:
        raise VettoreError(f"“{path.name}”: a picture ends in .png, .svg or .pdf.", Fault.FILE_KIND)
    painter = QPainter()
    if not painter.begin(target):
        raise VettoreError(f"“{path.name}” could not be saved in {path.parent}.", Fault.CANNOT_WRITE)
    try:
        plot.render(painter, QRectF(QPointF(), QSizeF(size)), plot.rect())
    finally:
        painter.end()
    if kind == ".png" and not target.save(str(path)):
        raise VettoreError(f"“{path.name}” could not be saved in {path.parent}.", Fault.CANNOT_WRITE)
