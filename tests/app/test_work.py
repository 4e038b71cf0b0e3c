"""Background work: what is no longer wanted is not done, searches take turns, faults become sentences."""

import threading
import time

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QImage, QPainter

from tests.waiting import wait_for
from vettore.app.stage.stamps import stamp_discs
from vettore.app.work import Background
from vettore.core.errors import DataError, Fault
from vettore.demo.study import demo_study
from vettore.study.derive import is_known

# Its search takes seconds.
HARD = "oxygen = A*exp(-k*time) + B*exp(-l*time) + D*exp(-m*time) + C*sin(w*time)"


@pytest.fixture
def background(qtbot):
    """A background of its own, empty at the end."""
    one = Background()
    yield one
    one.stop()


def test_only_the_newest_job_of_a_key_is_done_and_told(background, qtbot):
    """The first is under way, the second waits and is never begun, the third tells."""
    go_on, begun, told = threading.Event(), [], []

    def job(number):
        begun.append(number)
        go_on.wait()
        return number

    for number in (1, 2, 3):
        background.run("fit", lambda number=number: job(number), told.append, told.append)
        wait_for(lambda: bool(begun))
    assert background.busy
    go_on.set()
    wait_for(lambda: not background.busy)
    assert begun == [1, 3]
    assert told == [3]


def test_what_is_dropped_is_neither_begun_nor_told(background, qtbot):
    """A dropped key leaves nothing waiting."""
    go_on, begun, told = threading.Event(), [], []
    background.run("line-up", lambda: go_on.wait(), told.append, told.append)
    background.run("fit", lambda: begun.append("fit"), told.append, told.append)
    background.drop("fit")
    background.drop("line-up")
    assert not background.busy
    go_on.set()
    background.run("other", lambda: "done", told.append, told.append)
    wait_for(lambda: bool(told))
    assert told == ["done"]
    assert begun == []


def test_searches_take_turns_and_do_not_hold_up_a_file(background, qtbot):
    """No two searches are under way together; a job of another kind is."""
    running, most, others = [], [], []

    def search(name):
        running.append(name)
        most.append(len(running))
        time.sleep(0.03)
        running.remove(name)

    def read():
        others.append(list(running))

    for name in ("fit", "line-up", "tray", "several"):
        background.run(name, lambda name=name: search(name), lambda _told: None, lambda _told: None)
    wait_for(lambda: bool(running))
    background.run("read", read, lambda _told: None, lambda _told: None)
    wait_for(lambda: not background.busy)
    assert most == [1, 1, 1, 1]
    assert len(others) == 1


def test_errors_come_back_as_sentences(background, qtbot, capfd):
    """One of the user's making as it is; a fault of ours says so, with its trace on the terminal."""
    told = []

    def refuse():
        raise DataError("Every row is set aside.", Fault.NOTHING)

    background.run("look", refuse, told.append, told.append)
    background.run("numbers", lambda: 1 / 0, told.append, told.append)
    wait_for(lambda: len(told) == 2)
    assert "Every row is set aside." in told
    assert any("inside Vettore (ZeroDivisionError" in one for one in told)
    assert "ZeroDivisionError" in capfd.readouterr().err


def test_a_stopped_search_is_given_up_by_the_tray_too(window, qtbot, settled, monkeypatch):
    """After Stop nothing searches on behind the scenes; the next edit begins anew."""
    window.start(demo_study())
    window.session.choose(next(one.id for one in window.session.study.series if one.name.startswith("Oxygen")))
    window.show_page("Fit")
    settled()
    page, session = window.pages["Fit"], window.session
    before = len(session.study.curves)
    gate = threading.Event()
    monkeypatch.setattr("vettore.app.pages.fit.page.breathe", lambda *_: gate.wait())
    page.own.setText(f"{HARD} + F*cos(v*time) + G*exp(-((time - h)/u)^2)")
    page.bench.ask()
    wait_for(lambda: page.drawn.searching.isVisible())
    page.stop_search()
    gate.set()
    wait_for(lambda: not session.background.busy)
    assert "stopped" in page.drawn.refusal.text()
    assert len(session.study.curves) == before + 1
    newest = session.study.curves[-1].id
    # Nobody has searched on: the answer is still unknown.
    session.background.stop()
    assert not is_known(session.study, newest)
    session.undo()
    settled()
    assert len(session.study.curves) == before


def test_stamped_discs_stand_where_they_belong(qtbot):
    """The middle of the ink is within an eighth of a pixel of the place asked for, rim and all."""
    for x, y in ((20.0, 20.0), (20.37, 19.62), (21.9, 20.13)):
        image = QImage(41, 41, QImage.Format.Format_ARGB32)
        image.fill(Qt.GlobalColor.white)
        painter = QPainter(image)
        stamp_discs(painter, np.array([x]), np.array([y]), "#000000", "#ffffff", 4.0)
        painter.end()
        ink = np.array(
            [[255 - QColor(image.pixel(i, j)).lightness() for i in range(41)] for j in range(41)], dtype=float
        )
        total = ink.sum()
        assert abs((ink.sum(axis=0) * (np.arange(41) + 0.5)).sum() / total - x) <= 0.14
        assert abs((ink.sum(axis=1) * (np.arange(41) + 0.5)).sum() / total - y) <= 0.14
        assert 30 < total / 255 < 60
