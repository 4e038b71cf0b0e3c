"""All peaks of a fit with their numbers; pointing at a row lights its peak on the plot, a click chooses it."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFont, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from vettore.app.painting import painting
from vettore.app.session import Session
from vettore.app.style import colour, sans
from vettore.core.peaks.peak import NUMBERS, FittedPeak
from vettore.look.theme import SIZES
from vettore.study.fitting.fits import DerivedFit
from vettore.study.fitting.quantities import unit_of

ROW, HEAD, GAP, MARGIN = 24.0, 36.0, 8.0, 4.0
# What most come for.
BOLD = ("place", "area")


class PeakTable(QWidget):
    """``pointed`` tells the number of the peak under the pointer (0 for none), ``chosen`` that of one clicked."""

    pointed = Signal(int)
    chosen = Signal(int)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.rows: list[tuple[int, tuple[str, ...]]] = []
        self._heads: tuple[tuple[str, str], ...] = ()
        self._peaks: dict[int, FittedPeak] = {}
        self._fit: DerivedFit | None = None
        self._lit, self._over = 0, 0
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Peaks")

    def show_fit(self, fit: DerivedFit) -> None:
        """Show the peaks of a fit; of other fits, nothing."""
        self._fit = fit
        self._peaks = {} if fit.peaks is None else {peak.number: peak for peak in fit.peaks.peaks}
        self._fill()

    def _fill(self) -> None:
        """Write the cells: with the ± of places and areas where there is room."""
        if self._fit is None:
            return
        for names, with_error in (
            (NUMBERS, ("place", "area")),
            (NUMBERS, ("area",)),
            # The strip has the others.
            (("place", "area"), ("place", "area")),
            (("place", "area"), ("area",)),
        ):
            self._heads = (("", ""), *((name, unit_of(self._fit.series, name)) for name in names))
            self.rows = [(number, self._cells(peak, names, with_error)) for number, peak in self._peaks.items()]
            if sum(self._widths()) + 2 * MARGIN <= self.width():
                break
        self.setAccessibleDescription("; ".join(self.words(number) for number in self._peaks))
        self.updateGeometry()
        self.update()

    def _cells(self, peak: FittedPeak, names: tuple[str, ...], with_error: tuple[str, ...]) -> tuple[str, ...]:
        style, cells = self._session.style, [str(peak.number)]
        for name in names:
            number = getattr(peak, name)
            value, error = style.with_error(number.value, number.standard_error)
            known = number.standard_error is not None and name in with_error
            cells.append(f"{value} ± {error}" if known else value)
        return tuple(cells)

    def words(self, number: int) -> str:
        """Return a peak in words, with all its ±."""
        peak, style = self._peaks[number], self._session.style
        assert self._fit is not None
        parts = []
        for name in NUMBERS:
            at = getattr(peak, name)
            parts.append(f"{name} {style.pair(at.value, at.standard_error, unit_of(self._fit.series, name))}")
        return f"peak {number}: {', '.join(parts)}, share {style.fixed(100 * peak.share, 1)} %"

    def light(self, number: int) -> None:
        """Mark the chosen peak."""
        self._lit = number
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(240, int(HEAD + ROW * len(self.rows) + 4))

    def minimumSizeHint(self) -> QSize:
        return QSize(120, self.sizeHint().height())

    def resizeEvent(self, _event: object) -> None:
        self._fill()

    def _fonts(self) -> tuple[QFont, QFont]:
        return sans(SIZES.small), sans(SIZES.small, QFont.Weight.DemiBold)

    def _widths(self) -> list[float]:
        plain, bold = self._fonts()
        out = []
        for place, (name, unit) in enumerate(self._heads):
            heads = [QFontMetricsF(plain).horizontalAdvance(text) for text in (name, unit)]
            cells = [QFontMetricsF(bold).horizontalAdvance(cells[place]) for _, cells in self.rows]
            out.append(max([*heads, *cells], default=0.0) + (GAP if place else 0.0))
        return out

    def paintEvent(self, _event: QPaintEvent) -> None:
        if not self.rows:
            return
        plain, bold = self._fonts()
        widths = self._widths()
        spare = max(self.width() - 2 * MARGIN - sum(widths), 0.0) / max(len(widths) - 1, 1)
        rights, at = [], MARGIN
        for place, width in enumerate(widths):
            at += width + (spare if place else 0.0)
            rights.append(at)
        with painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            for place, (number, cells) in enumerate(self.rows):
                line = QRectF(0, HEAD + ROW * place, self.width(), ROW)
                if number in (self._lit, self._over):
                    painter.setPen(Qt.PenStyle.NoPen)
                    painter.setBrush(colour("accent", 0.14 if number == self._lit else 0.07))
                    painter.drawRoundedRect(line.adjusted(0, 1, 0, -1), 3, 3)
                for column, text in enumerate(cells):
                    painter.setFont(bold if self._heads[column][0] in BOLD else plain)
                    painter.setPen(colour("ink"))
                    self._draw_cell(painter, rights[column], widths[column], line, text)
            painter.setFont(plain)
            painter.setPen(colour("muted"))
            for column, words in enumerate(self._heads):
                for step, text in enumerate(words):
                    line = QRectF(0, step * HEAD / 2.4, self.width(), HEAD / 2)
                    self._draw_cell(painter, rights[column], widths[column], line, text)

    @staticmethod
    def _draw_cell(painter: QPainter, right: float, width: float, line: QRectF, text: str) -> None:
        side = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        painter.drawText(QRectF(right - width - 2, line.top(), width + 2, line.height()), side, text)

    def _number_at(self, point: QPointF) -> int:
        place = int((point.y() - HEAD) // ROW)
        return self.rows[place][0] if point.y() >= HEAD and place < len(self.rows) else 0

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._point(self._number_at(event.position()))

    def leaveEvent(self, _event: QEvent) -> None:
        self._point(0)

    def _point(self, number: int) -> None:
        if number != self._over:
            self._over = number
            self.setToolTip(self.words(number) if number else "")
            self.pointed.emit(number)
            self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        number = self._number_at(event.position())
        if number and event.button() == Qt.MouseButton.LeftButton:
            self.chosen.emit(number)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()), 0)
        numbers = [number for number, _ in self.rows]
        if step and self._lit in numbers:
            self.chosen.emit(numbers[min(max(numbers.index(self._lit) + step, 0), len(numbers) - 1)])
        else:
            super().keyPressEvent(event)
