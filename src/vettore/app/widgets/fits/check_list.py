"""The checks of a fit: a mark for the verdict, the sentence, the figure under it, and the rows that it names."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from vettore.app.painting import painting
from vettore.app.session import Session
from vettore.app.style import colour
from vettore.app.widgets.fits.check_picture import CheckPicture
from vettore.app.widgets.parts import button, clear, label, rule, section, tab_through
from vettore.core.fitting.after.check_pictures import has_picture, picture
from vettore.core.fitting.after.checks import Check, Kind, Verdict
from vettore.study.fitting.fits import DerivedFit
from vettore.words.checks import check_figure, check_sentence, gravest_first

# Above and below the heading, as other sections have it.
HEADING_ROOM = 6


class Mark(QWidget):
    """A tick for good, a triangle for a look, a triangle with a stroke for bad."""

    def __init__(self, verdict: Verdict) -> None:
        super().__init__()
        self._verdict = verdict
        self.setFixedSize(18, 18)
        self.setAccessibleName(verdict.value)

    def sizeHint(self) -> QSize:
        return QSize(18, 18)

    def paintEvent(self, _event: QPaintEvent) -> None:
        with painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            pen = QPen(colour(self._verdict.value), 2.0)
            pen.setCapStyle(Qt.PenCapStyle.RoundCap)
            pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
            painter.setPen(pen)
            if self._verdict is Verdict.GOOD:
                path = QPainterPath(QPointF(3, 9.5))
                path.lineTo(7, 13.5)
                path.lineTo(15, 4)
            else:
                path = QPainterPath(QPointF(9, 3))
                path.lineTo(15.5, 14.5)
                path.lineTo(2.5, 14.5)
                path.closeSubpath()
                if self._verdict is Verdict.BAD:
                    painter.drawLine(QPointF(9, 7.5), QPointF(9, 10))
                    painter.drawPoint(QPointF(9, 12.2))
            painter.drawPath(path)


class CheckRow(QWidget):
    """One check; a click on it, or Enter, opens the picture that it rests on."""

    def __init__(
        self,
        check: Check,
        fit: DerivedFit,
        session: Session,
        without: Callable[[list[int]], None],
        take_better: Callable[[], None],
    ) -> None:
        super().__init__()
        self._check, self._fit, self._session = check, fit, session
        self.picture: CheckPicture | None = None
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 2, 0, 2)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(2)
        grid.setColumnStretch(1, 1)
        grid.addWidget(Mark(check.verdict), 0, 0, Qt.AlignmentFlag.AlignTop)
        sentence = check_sentence(check, fit.result)
        figure = check_figure(check, fit.result, session.style)
        grid.addWidget(label(sentence, "sentence", wrap=True), 0, 1)
        if figure:
            grid.addWidget(label(figure, "muted", wrap=True), 1, 1)
        self._grid = grid
        self.shows = has_picture(check.kind, fit.result)
        if self.shows:
            self.setCursor(Qt.CursorShape.PointingHandCursor)
            self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
            self.setToolTip("Click for the picture that this rests on")
        self.setAccessibleName(f"{check.verdict.value}: {sentence} {figure}")
        if check.rows:
            rows = [int(fit.rows[i]) for i in check.rows]
            links = QHBoxLayout()
            words = "Show it" if len(rows) == 1 else "Show them"
            links.addWidget(button(words, lambda: session.choose_rows(rows), "link", "Choose on the plot"))
            asks = "What without it?" if len(rows) == 1 else "What without them?"
            self.without = button(asks, lambda: without(rows), "link", "See the fit without, before deciding")
            links.addWidget(self.without)
            links.addStretch()
            grid.addLayout(links, 2, 1)
        if check.kind is Kind.CONVERGENCE and fit.result.better is not None:
            self.better = button("Take the better fit", take_better, "link", "Begin at that answer")
            grid.addWidget(self.better, 2, 1, Qt.AlignmentFlag.AlignLeft)

    @property
    def kind(self) -> Kind:
        """What was tested."""
        return self._check.kind

    def turn(self) -> None:
        """Open the picture, or close it."""
        if self.picture is not None:
            self.picture.setParent(None)
            self.picture.deleteLater()
            self.picture = None
            return
        answer = picture(self._check.kind, self._fit.result)
        if answer is not None:
            self.picture = CheckPicture(answer, self._check.rows, self._session.style)
            self.picture.clicked.connect(lambda place: self._session.choose_rows([int(self._fit.rows[place])]))
            self._grid.addWidget(self.picture, 3, 0, 1, 2)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.shows and event.button() == Qt.MouseButton.LeftButton:
            self.turn()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self.shows and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.turn()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if self.hasFocus():
            with painting(self) as painter:
                painter.setRenderHint(QPainter.RenderHint.Antialiasing)
                painter.setPen(QPen(colour("accent"), 1.2))
                painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)


class CheckList(QWidget):
    """All checks of the shown fit, the ones that ask for a look first; ``without`` shows the fit without rows."""

    def __init__(
        self, session: Session, without: Callable[[list[int]], None], take_better: Callable[[], None]
    ) -> None:
        super().__init__()
        self._session, self._without, self._take_better = session, without, take_better
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(0, 0, 0, 0)
        self._box.setSpacing(1)
        self.sentences: list[str] = []
        self.rows: list[CheckRow] = []

    def show_checks(self, checks: Sequence[Check], fit: DerivedFit) -> None:
        """Show the checks of a fit; pictures that are open stay open."""
        open_kinds = {row.kind for row in self.rows if row.picture is not None}
        clear(self._box)
        self.setVisible(bool(checks))
        ordered = gravest_first(checks)
        self.sentences = [check_sentence(check, fit.result) for check in ordered]
        self._box.addWidget(rule())
        self._box.addSpacing(HEADING_ROOM)
        self._box.addWidget(section("Checks"))
        self._box.addSpacing(HEADING_ROOM)
        self.rows = [CheckRow(check, fit, self._session, self._without, self._take_better) for check in ordered]
        for row in self.rows:
            self._box.addWidget(row)
            if row.kind in open_kinds:
                row.turn()
        tab_through(self.rows[0] if self.rows else self, self.rows[1:])
