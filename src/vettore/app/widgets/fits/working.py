"""The working of a fit: sums, design matrix, normal equations and solution, or the path of the search, replayed."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QCloseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QApplication, QDialog, QHBoxLayout, QSlider, QVBoxLayout, QWidget

from vettore.app.painting import painting
from vettore.app.strip.echo import Echo
from vettore.app.style import colour
from vettore.app.widgets.parts import Column, button, label
from vettore.app.widgets.value_table import ValueTable
from vettore.core.rounding import NumberStyle
from vettore.core.typesetting.typeset import Box, Row, TextBox
from vettore.report.working import Step, working_steps, working_text
from vettore.study.fitting.fits import DerivedFit

# Milliseconds that a step of the replay stays.
STEP_MS = 420


class Brackets(QWidget):
    """A table between the tall brackets of a matrix."""

    def __init__(self, table: QWidget) -> None:
        super().__init__()
        self._table = table
        box = QHBoxLayout(self)
        box.setContentsMargins(14, 2, 14, 2)
        box.addWidget(table)

    def paintEvent(self, _event: QPaintEvent) -> None:
        with painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(QPen(colour("ink"), 1.4))
            # The line under the table offers to copy it.
            area = QRectF(self._table.geometry()).adjusted(-6, 0, 6, -26)
            for x, way in ((area.left(), 5.0), (area.right(), -5.0)):
                path = QPainterPath()
                path.moveTo(x + way, area.top())
                path.lineTo(x, area.top())
                path.lineTo(x, area.bottom())
                path.lineTo(x + way, area.bottom())
                painter.drawPath(path)


def drawer_of(fit: DerivedFit, style: NumberStyle, parent: QWidget, still: bool) -> WorkingDrawer:
    """Return the drawer of a fit; a ``still`` one has the steps of the search, and no replay that runs by itself."""
    left, terms = fit.equation
    equation = Row((left, TextBox(" = "), *terms))
    steps = working_steps(fit, style)
    return WorkingDrawer(fit.result.formula, equation, steps, parent, len(fit.result.path), still)


class WorkingDrawer(QDialog):
    """Shows how the numbers came about; every table can be copied. ``replayed`` tells a step of the path, −1 its end."""

    replayed = Signal(int)

    def __init__(
        self,
        title: str,
        equation: Box | None,
        steps: Sequence[Step],
        parent: QWidget,
        path: int = 0,
        still: bool = False,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("The working")
        self.setObjectName("panel")
        self.resize(760, 620)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self._title, self.steps = title, steps
        box = QVBoxLayout(self)
        box.setContentsMargins(18, 14, 18, 14)
        box.addWidget(label("How these numbers came about", "head"))
        if equation is not None:
            echo = Echo()
            echo.show_box(equation, title)
            box.addWidget(echo)
        self.tables: list[ValueTable] = []
        shown = Column("The working, step by step", (0, 0, 10, 0))
        for number, step in enumerate(self.steps, 1):
            shown.add(self._shown(number, step))
        shown.column.addStretch()
        box.addWidget(shown, 1)
        row = QHBoxLayout()
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.play = button(
            "Replay on the plot", self.turn_replay, "", "Run the curve through the steps of the search"
        )
        if path:
            self.slider.setRange(0, path - 1)
            self.slider.setValue(self.slider.maximum())
            self.slider.setAccessibleName("Step of the search")
            self.slider.valueChanged.connect(self._step)
            if not still:
                row.addWidget(self.play)
            row.addWidget(self.slider, 1)
        self._clock = QTimer(self)
        self._clock.timeout.connect(self._advance)
        row.addStretch()
        row.addWidget(button("Copy all", self.copy))
        row.addWidget(button("Close", self.close, "primary"))
        box.addLayout(row)

    def _shown(self, number: int, step: Step) -> QWidget:
        part = QWidget()
        box = QVBoxLayout(part)
        box.setContentsMargins(0, 4, 0, 8)
        box.addWidget(label(f"{number}   {step.title}", "value", wrap=True))
        if step.words:
            box.addWidget(label(step.words, "sentence", wrap=True))
        for text in step.boxes:
            echo = Echo(14.0)
            echo.show_box(text)
            box.addWidget(echo)
        if step.rows:
            table = ValueTable()
            table.show_rows(step.headings, step.rows, step.full)
            self.tables.append(table)
            line = QHBoxLayout()
            line.setContentsMargins(18, 0, 0, 0)
            line.addWidget(Brackets(table) if step.matrix and not step.headings else table)
            line.addStretch()
            box.addLayout(line)
        return part

    def copy(self) -> None:
        """Put the working on the clipboard."""
        QApplication.clipboard().setText(working_text(self._title, self.steps))

    def turn_replay(self) -> None:
        """Begin the replay, or stop it."""
        if self._clock.isActive():
            self._end()
            return
        self.play.setText("Stop")
        self.slider.setValue(0)
        self._step(0)
        self._clock.start(STEP_MS)

    def _advance(self) -> None:
        if self.slider.value() >= self.slider.maximum():
            self._end()
        else:
            self.slider.setValue(self.slider.value() + 1)

    def _step(self, place: int) -> None:
        self.replayed.emit(place)

    def _end(self) -> None:
        self._clock.stop()
        self.play.setText("Replay on the plot")
        self.replayed.emit(-1)

    def closeEvent(self, event: QCloseEvent) -> None:
        self._clock.stop()
        self.replayed.emit(-1)
        super().closeEvent(event)
