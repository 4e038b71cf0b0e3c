"""A real window, offscreen, that waits for its background before it is judged."""

import os
import sys
import threading

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import pytest
from PySide6.QtWidgets import QApplication

from tests.waiting import wait_for
from vettore.app import work
from vettore.app.pages.fit import line_up as fit_line_up
from vettore.app.style import dress
from vettore.app.window import Window
from vettore.demo.study import demo_study
from vettore.report.sections.listed import SECTIONS
from vettore.study import edits
from vettore.study.fitting.line_up import plausible

TRIED = ("exponential-decay-level", "gaussian-level", "saturation", "sine")


class Elsewhere:
    """Notes what of the window is imported on another thread than its own, where Qt may wait for itself without end."""

    def __init__(self):
        self.names = []

    def find_spec(self, name, _path=None, _target=None):
        if name.startswith(("PySide6", "vettore.app")) and threading.current_thread() is not threading.main_thread():
            self.names.append(name)


@pytest.fixture(autouse=True)
def _no_qt_is_loaded_elsewhere():
    elsewhere = Elsewhere()
    sys.meta_path.insert(0, elsewhere)
    yield
    sys.meta_path.remove(elsewhere)
    assert not elsewhere.names


@pytest.fixture
def window(qtbot, monkeypatch, tmp_path):
    """An open window; closing it asks nothing, and it keeps its things in a folder of its own."""
    monkeypatch.setenv("VETTORE_HOME", str(tmp_path / "home"))
    # The whole catalogue is tried in tests/study/test_line_up.py; here a few models keep the suite short.
    monkeypatch.setattr(fit_line_up, "plausible", lambda series: tuple(k for k in plausible(series) if k in TRIED))
    monkeypatch.setattr(fit_line_up, "may_have_peaks", lambda series: "pectrum" in series.name)
    monkeypatch.setattr(work, "BREATH", 0.0)
    dress(QApplication.instance())
    one = Window()
    monkeypatch.setattr(one.saving, "may_leave", lambda: True)
    qtbot.addWidget(one)
    one.show()
    qtbot.waitExposed(one)
    yield one
    one.close()


@pytest.fixture
def settled(window, qtbot):
    """Wait until nothing is awaited from the background."""

    def wait():
        wait_for(lambda: not window.session.background.busy)

    return wait


def short_report():
    """The demo study with a report of one section, which is drawn at once."""
    study = demo_study()
    left_out = tuple(entry.key for entry in SECTIONS if entry.key != "goodness")
    return edits.set_report(study, study.report.changed(left_out=left_out))
