"""For everyone: names, the order of Tab, plots in words, colours, text size, stillness."""

import os
import subprocess
import sys

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QAbstractButton, QLabel, QPushButton, QWidget

from tests.waiting import wait_for
from vettore.app.pages.listed import PAGES
from vettore.app.settings import Colours, Settings, read_settings, write_settings
from vettore.app.shell.looks import grow_with_desktop
from vettore.app.style import theme
from vettore.core.rounding import NumberStyle
from vettore.demo.study import demo_study
from vettore.look.theme import LAMP, PAPER
from vettore.words.plots import plot_words

PARTS = ("rail", "tray", "choices", "stage", "findings")


def parts_of(window):
    page = window.page
    return dict(zip(PARTS, (window.rail, window.tray, page.choices, page.stage, page.findings), strict=True))


def in_order_of_tab(window):
    """Return the visible widgets that Tab goes to, from the rail on."""
    first = window.rail.findChildren(QWidget)[0]
    out, now = [first], first.nextInFocusChain()
    while now is not first:
        if now.isVisible() and now.isEnabled() and now.focusPolicy() & Qt.FocusPolicy.TabFocus:
            out.append(now)
        now = now.nextInFocusChain()
    return out


def test_everything_has_a_name_and_tab_follows_the_grammar(window, settled):
    """On every page: rail, tray, choices, stage, findings, each once; whatever takes the keyboard can be spoken of."""
    window.start(demo_study())
    for entry in PAGES:
        window.show_page(entry.name)
        settled()
        if entry.name == "Fit":
            window.page.open_bench()
        parts = parts_of(window)
        seen = []
        for widget in in_order_of_tab(window):
            part = next((name for name, one in parts.items() if one is widget or one.isAncestorOf(widget)), None)
            assert part is not None, (entry.name, widget)
            if part not in seen[-1:]:
                seen.append(part)
        assert seen == [part for part in PARTS if part in seen], (entry.name, seen)
        for widget in window.findChildren(QWidget):
            if widget.isVisible() and widget.focusPolicy() != Qt.FocusPolicy.NoFocus:
                words = widget.text() if isinstance(widget, (QAbstractButton, QLabel)) else ""
                assert widget.accessibleName() or words, (entry.name, widget, widget.parentWidget())


def test_a_plot_is_told_in_words():
    """How many points, their spans, the way of the curve, the readings; what is not there is not told."""
    x, y = np.array([0.0, 1, 2, 3]), np.array([5.0, 4, 3, 99])
    aside = np.array([False, False, False, True])
    style = NumberStyle()
    told = plot_words(("time (s)", "level (m)"), x, y, aside, (5.0, 2.5), ["4.0 ± 0.1 m"], style)
    assert told == (
        "level (m) against time (s): 3 points in use, 1 set aside; x from 0 to 2.000; y from 3.000 to 5.000; "
        "the curve falls from 5.000 at its beginning to 2.500 at its end; readings: 4.0 ± 0.1 m."
    )
    one = plot_words(("", ""), x[:1], y[:1], aside[:1], None, [], style)
    assert one == "y against x: 1 point; x from 0 to 0; y from 5.000 to 5.000."
    assert plot_words(("", ""), x[:0], y[:0], aside[:0], None, [], style) == "y against x: nothing is shown."


def test_the_words_of_a_plot_follow_the_data(window, settled, qtbot):
    """Setting a row aside on the Fit page changes what is heard."""
    window.start(demo_study())
    window.show_page("Fit")
    settled()
    plot = window.page.plot
    wait_for(lambda: "the curve rises" in plot.accessibleDescription())
    assert "14 points;" in plot.accessibleDescription()
    window.session.choose_rows({3})
    window.session.set_aside("a doubt")
    settled()
    wait_for(lambda: "13 points in use, 1 set aside" in plot.accessibleDescription())


def test_colours_follow_the_desktop_until_told(window, monkeypatch):
    """A dark desktop shows the lamp; Ctrl+L and the menu decide otherwise, and that is kept for the next time."""
    hints = QGuiApplication.styleHints()
    desktop = [Qt.ColorScheme.Light]
    monkeypatch.setattr("vettore.app.shell.looks.desktop_scheme", lambda: desktop[0])
    looks = window.looks
    looks.begin()
    assert theme() is PAPER
    desktop[0] = Qt.ColorScheme.Dark
    hints.colorSchemeChanged.emit(Qt.ColorScheme.Dark)
    assert theme() is LAMP
    looks.turn_lamp()
    assert (theme() is PAPER, read_settings(window.places.settings).colours) == (True, Colours.PAPER)
    hints.colorSchemeChanged.emit(Qt.ColorScheme.Dark)
    assert theme() is PAPER
    looks.choose_colours(Colours.DESKTOP)
    assert theme() is LAMP
    looks.choose_colours(Colours.PAPER)


def test_stillness_leaves_the_replay_to_the_hand(window, settled):
    """With motion reduced the working of a search has its steps and no button that runs through them."""
    window.start(demo_study())
    window.session.choose(next(one.id for one in window.session.study.series if one.name.startswith("Oxygen")))
    window.show_page("Fit")
    settled()
    for still in (False, True):
        window.looks._keep(still=still)
        window.page.findings._show_working()
        drawer = window.page.findings.drawer
        words = [one.text() for one in drawer.findChildren(QPushButton) if one.isVisibleTo(drawer)]
        assert ("Replay on the plot" in words) is (not still)
        assert drawer.slider.isVisibleTo(drawer)
        drawer.close()


def test_settings_survive_and_nonsense_is_as_usual(tmp_path, window):
    """What was chosen comes back; a broken file or unknown words are the usual looks; an unwritable place is said."""
    path = tmp_path / "config" / "settings.json"
    write_settings(path, Settings(Colours.LAMP, True, 150))
    assert read_settings(path) == Settings(Colours.LAMP, True, 150)
    for text in ("", "[]", '{"colours": "pink", "text": 17, "still": 1}'):
        path.write_text(text)
        assert read_settings(path) == Settings()
    window.looks._path = tmp_path / "config" / "settings.json" / "below" / "settings.json"
    window.looks._keep(still=True)
    assert "could not be kept" in window._status.text()


def test_everything_grows_with_the_text_of_the_desktop():
    """192 dots to the inch are a scale of 2; the usual 96, a little more, and a scale of their own change nothing."""
    assert grow_with_desktop({"HOME": "/x"}, 192.0) == {"HOME": "/x", "QT_SCALE_FACTOR": "2", "QT_FONT_DPI": "96"}
    assert grow_with_desktop({}, 96.0) is grow_with_desktop({}, 100.0) is None
    assert grow_with_desktop({"QT_SCALE_FACTOR": "1"}, 192.0) is None


LARGE = """
import os
from vettore.app.shell.looks import scale_text
from vettore.app.settings import Settings
scale_text(Settings(text=200))
from PySide6.QtWidgets import QApplication
app = QApplication([])
from vettore.app.style import dress
from vettore.app.window import Window
dress(app)
window = Window()
window.resize(800, 500)
window.show()
app.processEvents()
area = window.centralWidget()
print(window.devicePixelRatioF(), area.widget().width(), area.horizontalScrollBar().maximum() > 0)
"""


@pytest.mark.parametrize("told", [None, "3"])
def test_a_large_text_enlarges_everything_and_the_window_scrolls(tmp_path, told):
    """At 200 % two pixels stand for one, unless the desktop was told otherwise; what has no room is scrolled to."""
    home = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "VETTORE_HOME": str(tmp_path)}
    if told:
        home["QT_SCALE_FACTOR"] = told
    done = subprocess.run([sys.executable, "-c", LARGE], env=home, capture_output=True, text=True, check=True)
    ratio, width, scrolls = done.stdout.split()
    assert (float(ratio), int(width), scrolls) == (float(told or 2), 1024, "True")
