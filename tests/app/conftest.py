"""A real window, offscreen, that waits for its background before it is judged."""

import os

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import pytest
from PySide6.QtWidgets import QApplication

from vettore.app.style import dress
from vettore.app.window import Window


@pytest.fixture
def window(qtbot, monkeypatch, tmp_path):
    """An open window; closing it asks nothing, and it keeps its things in a folder of its own."""
    monkeypatch.setenv("VETTORE_HOME", str(tmp_path / "home"))
    dress(QApplication.instance())
    one = Window()
    monkeypatch.setattr(one, "_may_leave", lambda: True)
    qtbot.addWidget(one)
    one.show()
    qtbot.waitExposed(one)
    yield one
    one.close()


@pytest.fixture
def settled(window, qtbot):
    """Wait until nothing is awaited from the background."""

    def wait():
        qtbot.waitUntil(lambda: not window.session.background.busy, timeout=20_000)

    return wait
