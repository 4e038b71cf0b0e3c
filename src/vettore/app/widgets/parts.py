"""Small parts: labels by kind, rules, pairs of label and value, empty-page invitations."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

from PySide6.QtCore import Qt
from PySide6.QtGui import QPaintEvent, QResizeEvent
from PySide6.QtGui import Qt as RichText
from PySide6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLayout,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from vettore.app.painting import painting


def label(text: str = "", kind: str = "sentence", wrap: bool = False) -> QLabel:
    """Return a label in one of the kinds of the style sheet."""
    widget = QLabel(text)
    widget.setProperty("kind", kind)
    widget.setTextFormat(Qt.TextFormat.PlainText)
    widget.setWordWrap(wrap)
    if wrap:
        _needs_height(widget, True)
    return widget


def plain_tip(text: str) -> str:
    """Return a tip that is shown as it is written: names of the user's are text, whatever signs they have."""
    return RichText.convertFromPlainText(text) if RichText.mightBeRichText(text) else text


def _needs_height(widget: QLabel, wraps: bool) -> None:
    """Insist on the height of all lines, which for a wrapped text follows from its width."""
    policy = widget.sizePolicy()
    policy.setVerticalPolicy(QSizePolicy.Policy.Minimum if wraps else QSizePolicy.Policy.Preferred)
    policy.setHeightForWidth(wraps)
    widget.setSizePolicy(policy)


# Shorter values stay on one line.
LONGEST_UNWRAPPED = 22


class Elided(QLabel):
    """A label that gives way: it ends in … where there is no room, and tells all as its tip."""

    def __init__(self, kind: str) -> None:
        super().__init__()
        self.setProperty("kind", kind)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    def setText(self, text: str) -> None:
        super().setText(text)
        self.setToolTip(plain_tip(text))

    def paintEvent(self, _event: QPaintEvent) -> None:
        with painting(self) as painter:
            painter.setPen(self.palette().color(self.foregroundRole()))
            shown = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, self.width())
            painter.drawText(self.rect(), self.alignment(), shown)


def about(link: str, *widgets: QWidget) -> None:
    """Say which place of the guide widgets are about, as "fit.md#read-values"."""
    for widget in widgets:
        widget.setProperty("help", link)


def help_of(widget: QWidget | None) -> str:
    """Return the place of the guide that a widget, or what it stands in, is about; nothing when none is said."""
    while widget is not None:
        link = widget.property("help")
        if link:
            return str(link)
        widget = widget.parentWidget()
    return ""


def section(text: str) -> QLabel:
    """Return the heading of a section."""
    return label(text.upper(), "section")


def rule() -> QFrame:
    """Return a thin horizontal line."""
    line = QFrame()
    line.setProperty("kind", "rule")
    return line


def button(text: str, action: Callable[[], object], kind: str = "", tip: str = "") -> QPushButton:
    """Return a button, spoken of by its text; ``kind`` is "", "primary" or "link"."""
    widget = QPushButton(text)
    if kind:
        widget.setProperty("kind", kind)
    widget.clicked.connect(lambda _checked=False: action())
    widget.setToolTip(plain_tip(tip))
    widget.setCursor(Qt.CursorShape.PointingHandCursor)
    return widget


def fields(*lines: tuple[str, QWidget]) -> QWidget:
    """Return widgets under each other, each behind its label."""
    holder = QWidget()
    grid = QGridLayout(holder)
    grid.setContentsMargins(0, 0, 0, 0)
    grid.setVerticalSpacing(4)
    for row, (words, widget) in enumerate(lines):
        grid.addWidget(label(words, "label"), row, 0)
        grid.addWidget(widget, row, 1)
    grid.setColumnMinimumWidth(0, 76)
    grid.setColumnStretch(1, 1)
    return holder


def clear(layout: QLayout) -> None:
    """Remove everything from a layout."""
    while layout.count():
        item = layout.takeAt(0)
        widget = item.widget()
        if widget is not None:
            widget.hide()
            widget.setParent(None)
            widget.deleteLater()
        elif item.layout() is not None:
            clear(item.layout())


def ground(name: str, margins: tuple[int, int, int, int]) -> tuple[QWidget, QHBoxLayout]:
    """Return a row on the panel's ground with its layout; ``name`` is strip (above the stage) or bar (below it)."""
    widget = QWidget()
    widget.setObjectName(name)
    widget.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
    row = QHBoxLayout(widget)
    row.setContentsMargins(*margins)
    return widget, row


def tab_through(first: QWidget, others: Iterable[QWidget]) -> None:
    """Let Tab go from one widget to others made later, in their order."""
    for other in others:
        QWidget.setTabOrder(first, other)
        first = other


def first_by_tab(part: QWidget) -> QWidget | None:
    """Return the first widget inside a part that Tab would reach, in the order in which they were made."""
    for widget in part.findChildren(QWidget):
        if widget.isVisible() and widget.isEnabled() and widget.focusPolicy() & Qt.FocusPolicy.TabFocus:
            return widget
    return None


class Pairs(QWidget):
    """Lines of a label on the left and a value on the right."""

    def __init__(self) -> None:
        super().__init__()
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(10)
        self._grid.setVerticalSpacing(5)
        self._grid.setColumnStretch(0, 2)
        self._grid.setColumnStretch(1, 1)
        self._lines: list[tuple[QLabel, QLabel]] = []

    def show_pairs(self, pairs: Sequence[tuple[str, str]]) -> None:
        """Replace the lines; labels that are there are used again."""
        for line, pair in zip(self._lines, pairs, strict=False):
            _fill(line, *pair)
        for name, text in pairs[len(self._lines) :]:
            self.add_pair(name, text)
        while len(self._lines) > len(pairs):
            for widget in self._lines.pop():
                widget.hide()
                widget.setParent(None)
                widget.deleteLater()

    def add_pair(self, name: str, text: str) -> None:
        """Add a line at the end."""
        row, line = len(self._lines), (label("", "label"), label("", "value"))
        line[1].setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop)
        line[1].setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._grid.addWidget(line[0], row, 0, Qt.AlignmentFlag.AlignTop)
        self._grid.addWidget(line[1], row, 1)
        self._lines.append(line)
        _fill(line, name, text)


def _fill(line: tuple[QLabel, QLabel], name: str, text: str) -> None:
    """Write a label and its value; a long value wraps, the label wherever it must."""
    long = len(text) > LONGEST_UNWRAPPED
    for widget, words, wraps in ((line[0], unbroken(name), True), (line[1], unbroken(text), long)):
        if widget.text() != words:
            widget.setText(words)
        if widget.wordWrap() != wraps:
            widget.setWordWrap(wraps)
        _needs_height(widget, wraps)


def unbroken(text: str) -> str:
    """Return a text in which no line breaks inside a unit such as mg/L, nor between a value and its ±."""
    return text.replace("/", "/\u2060").replace(" ± ", "\u00a0±\u00a0")


class Column(QScrollArea):
    """A panel whose contents run from top to bottom and scroll when they must."""

    def __init__(self, name: str, margins: tuple[int, int, int, int] = (14, 16, 14, 12)) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        inner = QWidget()
        self.column = QVBoxLayout(inner)
        self.column.setContentsMargins(*margins)
        self.column.setSpacing(8)
        self.setWidget(inner)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        # One word as long as a line must not make the column wider than what is seen of it.
        self.widget().setFixedWidth(self.viewport().width())

    def add(self, *widgets: QWidget) -> None:
        """Add parts at the end."""
        for widget in widgets:
            self.column.addWidget(widget)


class Invitation(QWidget):
    """What an empty page says: the next step in one sentence, and a button for it."""

    def __init__(self, sentence: str, words: str, action: Callable[[], object]) -> None:
        super().__init__()
        box = QVBoxLayout(self)
        box.addStretch(2)
        text = label(sentence, "head", wrap=True)
        text.setAlignment(Qt.AlignmentFlag.AlignCenter)
        box.addWidget(text)
        box.addSpacing(10)
        box.addWidget(button(words, action, "primary"), alignment=Qt.AlignmentFlag.AlignHCenter)
        box.addStretch(3)
