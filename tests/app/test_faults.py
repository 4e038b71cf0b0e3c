"""What goes wrong inside the program never ends it: it is told, can be copied, and the edit that brought it is taken back."""

import sys

import numpy as np
import pytest
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QImage, QPainter, QPen
from PySide6.QtWidgets import QApplication, QWidget

from vettore.app import faults
from vettore.app.painting import _told, painting
from vettore.app.stage.items import draw_line, seen_parts
from vettore.demo.study import demo_study
from vettore.study import edits


@pytest.fixture
def watched(window, monkeypatch, capsys):
    """A window that tells of its faults, which would fail the test otherwise."""
    monkeypatch.setattr(sys, "excepthook", sys.excepthook)
    monkeypatch.setattr(faults, "_watching", [])
    faults.watch_faults(window)
    return window


def test_an_edit_that_cannot_be_shown_is_taken_back_and_told(watched, settled, monkeypatch):
    """The study is what it was; the sentence says so, and the trace goes to the clipboard without a number of the user's."""
    watched.start(demo_study())
    watched.show_page("Data")
    settled()
    session, before = watched.session, watched.session.study

    def broken():
        if session.study.title == "cursed":
            raise ZeroDivisionError("over the table")

    monkeypatch.setattr(watched.page, "refresh", broken)
    session.do("curse it", edits.set_title(session.study, "cursed"))
    assert session.study is before
    assert "ZeroDivisionError" in watched._status.text()
    assert "The last edit was taken back" in watched._status.text()
    QApplication.clipboard().clear()
    watched._status.copy_happened.click()
    copied = QApplication.clipboard().text()
    assert copied.startswith("Vettore ")
    assert copied.endswith("ZeroDivisionError: over the table\n")
    session.do("rename", edits.set_title(session.study, "fine"))
    assert session.study.title == "fine"


def test_a_fault_beside_any_edit_takes_nothing_back(watched, settled):
    """It is told that the study has not changed, and it has not."""
    watched.start(demo_study())
    study = watched.session.study
    sys.excepthook(ValueError, ValueError("in passing"), None)
    assert watched.session.study is study
    assert "Your study has not changed." in watched._status.text()


class Raising(QWidget):
    frames = 0

    def paintEvent(self, _event):
        with painting(self) as painter:
            painter.setPen(Qt.GlobalColor.red)
            with painting(painter):
                painter.translate(5, 5)
                Raising.frames += 1
                raise RuntimeError("cannot be drawn")
            assert painter.transform().isIdentity()
            painter.drawPoint(1, 1)


def test_what_cannot_be_drawn_is_left_out_and_told_once(qtbot, monkeypatch):
    """The painter is put back and put away, what comes after is drawn, and the next frames say nothing."""
    told = []
    monkeypatch.setattr(sys, "excepthook", lambda *fault: told.append(fault))
    _told.clear()
    widget = Raising()
    qtbot.addWidget(widget)
    widget.resize(20, 20)
    picture = widget.grab().toImage()
    widget.grab()
    assert Raising.frames >= 2
    assert len(told) == 1
    assert picture.pixelColor(1, 1) == Qt.GlobalColor.red


def test_a_line_costs_no_more_than_its_pixels():
    """However far it swings: what is kept of it lies in view, is the same line there, and is bounded by the room."""
    rng = np.random.default_rng(2)
    x = np.linspace(-50, 150, 800)
    for reach in (1.0, 1e3, 1e12, 1e300):
        y = 50 + reach * rng.normal(size=800)
        start, end, goes_on = seen_parts(x, y, (0.0, 100.0, 0.0, 100.0))
        both = np.concatenate([start, end])
        assert len(both) > 50
        assert both.min() >= -1e-6
        assert both.max() <= 100 + 1e-6
        assert np.array_equal(end[:-1][goes_on[:-1]], start[1:][goes_on[:-1]])
    # A line that is seen whole is kept whole, a gap stays one, and a point alone is no line.
    start, end, goes_on = seen_parts(np.array([1.0, 2, 3, np.nan, 5, 6]), np.ones(6), (0, 10, 0, 10))
    assert start[:, 0].tolist() == [1, 2, 5]
    assert end[:, 0].tolist() == [2, 3, 6]
    assert goes_on.tolist() == [True, False, False]
    # One that crosses the room from far outside keeps its slope.
    start, end, _ = seen_parts(np.array([-1e6, 1e6]), np.array([-1e6 + 3, 1e6 + 3]), (0, 10, 0, 10))
    assert start[0] == pytest.approx([0, 3], abs=1e-6)
    assert end[0] == pytest.approx([7, 10], abs=1e-6)


def test_a_dashed_line_that_swings_is_drawn_without_its_dashes():
    """Hundreds of thousands of dashes would take minutes; nobody could tell them apart."""
    area = QRectF(0, 0, 400, 300)
    image = QImage(400, 300, QImage.Format.Format_ARGB32)
    image.fill(Qt.GlobalColor.white)
    pen = QPen(Qt.GlobalColor.black, 2.0)
    pen.setDashPattern([4, 3])
    painter = QPainter(image)
    x = np.arange(0, 400, 1.5)
    draw_line(painter, x, 150 + 1e6 * np.sin(x * 1.7), area, pen)
    assert pen.style() == Qt.PenStyle.SolidLine
    straight = QPen(Qt.GlobalColor.black, 2.0)
    straight.setDashPattern([4, 3])
    draw_line(painter, np.array([0.0, 400.0]), np.array([10.0, 10.0]), area, straight)
    assert straight.style() != Qt.PenStyle.SolidLine
    painter.end()
    assert image.pixelColor(QPointF(200, 150).toPoint()) != Qt.GlobalColor.white
