"""The ten tasks of the guide in the real window, each by keys alone and by mouse alone, with the actions counted.

An action is a key or chord, a text typed in one go, a click, a drag or a drop; answering the file dialog is two (a name
and Enter, or a click on a file and on its button). A task fails when it takes more than is stated here.
"""

import numpy as np
import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import QApplication, QFileDialog, QPushButton

from vettore.demo.make_data import FOLDER
from vettore.demo.study import demo_study
from vettore.study import edits
from vettore.study.kinds.readings import ValueReading
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table

LEFT, CTRL, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.NoModifier
ENTER = Qt.Key.Key_Return
FORMULA = "discharge = A*stage^b + C"

# The most actions of each task: by keys, by mouse.
MOST = {
    "open and trust": (3, 1),
    "fit and read": (5, 3),
    "set aside": (6, 3),
    "own formula": (4, 4),
    "compare": (10, 4),
    "several series": (4, 3),
    "fill": (6, 4),
    "area of a peak": (4, 2),
    "roots": (6, 4),
    "report": (3, 4),
}


class Hands:
    """Does what a user's hands do, and counts it."""

    def __init__(self, window, qtbot, settled):
        self.window, self.qtbot, self.settled, self.count = window, qtbot, settled, 0

    def key(self, key, modifiers=NONE):
        self.qtbot.keyClick(QApplication.focusWidget() or self.window, key, modifiers)
        self.count += 1
        QApplication.processEvents()
        self.settled()

    def type(self, text):
        field = QApplication.focusWidget()
        if hasattr(field, "selectAll"):
            field.selectAll()
        self.qtbot.keyClicks(field, text)
        self.count += 1

    def find(self, words):
        """Ctrl+K, words, Enter."""
        self.key(Qt.Key.Key_K, CTRL)
        finder = self.window.finder
        self.qtbot.keyClicks(finder.field, words)
        self.qtbot.keyClick(finder.field, ENTER)
        self.count += 2
        QApplication.processEvents()
        self.settled()

    def click(self, widget, place=None):
        self.qtbot.mouseClick(widget, LEFT, NONE, place if place is not None else widget.rect().center())
        self.count += 1
        QApplication.processEvents()
        self.settled()

    def press(self, part, words):
        """Click the button with these words."""
        self.click(next(one for one in part.findChildren(QPushButton) if one.text() == words and one.isVisible()))


@pytest.fixture
def hands(window, qtbot, settled):
    return Hands(window, qtbot, settled)


@pytest.fixture
def demo(window, settled):
    """The demo study on its Data page, with three jars beside it."""
    study, t = demo_study(), np.linspace(0, 90, 20)
    for number, height in enumerate((3.0, 5.0, 8.0), 1):
        table = Table(
            (RawColumn("minute", "min", t), RawColumn("o2", "mg/L", height * np.exp(-t / 20))), Source("made")
        )
        study = edits.add_series(study, table, f"Jar {number}")
    window.start(study)
    window.show_page("Data")
    settled()
    return window.session


def on(window, name):
    return window.pages[name]


def task(name, by):
    """Check the number of actions of a task once it is done."""

    def check(hands):
        most = MOST[name][("keys", "mouse").index(by)]
        assert 0 < hands.count <= most, f"{name} by {by}: {hands.count} actions"

    return check


def drop(window, path):
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(path))])
    at = QPointF(window.rect().center())
    window.dragEnterEvent(QDragEnterEvent(at.toPoint(), Qt.DropAction.CopyAction, mime, LEFT, NONE))
    window.dropEvent(QDropEvent(at, Qt.DropAction.CopyAction, mime, LEFT, NONE))


@pytest.mark.parametrize("by", ["keys", "mouse"])
def test_a_file_is_opened_and_trusted(window, hands, monkeypatch, by):
    """What came in and what to look at stand beside the plot without any further step."""
    window.start(Study())
    path = FOLDER / "oxygen-chamber-b.csv"
    if by == "keys":
        monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_a, **_k: ([str(path)], ""))
        hands.key(Qt.Key.Key_O, CTRL)
        hands.count += 2
    else:
        drop(window, path)
        hands.count += 1
        hands.settled()
    page = on(window, "Data")
    assert window.session.series.name == "oxygen-chamber-b"
    assert page.findings.source.isVisible()
    assert page.findings.look.isVisible()
    assert len(page.plot.marks.xs) > 20
    task("open and trust", by)(hands)


@pytest.mark.parametrize("by", ["keys", "mouse"])
def test_a_value_is_read_from_a_fit_and_kept(window, demo, hands, by):
    """A place of x is asked; the value stands with its ± and is kept."""
    kept = len(demo.study.readings)
    if by == "keys":
        hands.key(Qt.Key.Key_2, CTRL)
        fields = on(window, "Fit").readings.fields
        while QApplication.focusWidget() is not fields[ValueReading]:
            hands.key(Qt.Key.Key_Tab)
        hands.type("0.5")
        hands.key(ENTER)
    else:
        hands.click(window.rail.buttons["Fit"])
        plot = on(window, "Fit").plot
        hands.click(plot.viewport(), plot.position_of(0.5, 1.0).toPoint())
        hands.press(on(window, "Fit").stage, "Keep")
    reading = demo.study.readings[-1]
    assert len(demo.study.readings) == kept + 1
    assert reading.at == pytest.approx(0.5, abs=0.01)
    task("fit and read", by)(hands)


@pytest.mark.parametrize("by", ["keys", "mouse"])
def test_a_row_is_set_aside_with_a_reason(window, demo, hands, by):
    """The reason is kept with the row."""
    page = on(window, "Data")
    if by == "keys":
        page.plot.setFocus()
        while QApplication.focusWidget() is not page.table:
            hands.key(Qt.Key.Key_Tab)
        hands.key(Qt.Key.Key_Down)
        hands.key(Qt.Key.Key_R, CTRL)
        hands.type("a leaf in the weir")
        hands.key(ENTER)
    else:
        marks = page.plot.marks
        hands.click(page.plot.viewport(), page.plot.position_of(marks.xs[4], marks.ys[4]).toPoint())
        hands.click(page.bar.reason)
        page.bar.reason.setText("a leaf in the weir")
        hands.press(page.bar, "Set aside")
    (entry,) = demo.series.set_aside
    assert entry.reason == "a leaf in the weir"
    task("set aside", by)(hands)


@pytest.mark.parametrize("by", ["keys", "mouse"])
def test_an_own_formula_is_fitted(window, demo, hands, monkeypatch, by):
    """No starting values; the coefficients are there."""
    monkeypatch.setattr("vettore.app.widgets.formulas.formula_field.LETTERS", 99)
    if by == "keys":
        hands.key(Qt.Key.Key_2, CTRL)
        hands.key(Qt.Key.Key_E, CTRL)
        hands.type(FORMULA)
        hands.key(ENTER)
    else:
        hands.click(window.rail.buttons["Fit"])
        page = on(window, "Fit")
        hands.click(page.choices.write)
        page.own.clear()
        hands.type(FORMULA)
        hands.press(page.bench, "Fit it")
    assert set(on(window, "Fit").fit.result.coefficients) == {"A", "b", "C"}
    task("own formula", by)(hands)


@pytest.mark.parametrize("by", ["keys", "mouse"])
def test_models_are_compared(window, demo, hands, by):
    """Two models large on shared axes."""
    if by == "keys":
        hands.key(Qt.Key.Key_2, CTRL)
        page = on(window, "Fit")
        hands.key(Qt.Key.Key_F6, Qt.KeyboardModifier.ShiftModifier)
        while QApplication.focusWidget() is not next(iter(page.line_up.thumbnails.values())):
            hands.key(Qt.Key.Key_Tab)
        for _ in range(2):
            hands.key(Qt.Key.Key_P)
            if len(page.filler.pinned) < 2:
                hands.key(Qt.Key.Key_Tab)
        hands.find("compare 2")
    else:
        hands.click(window.rail.buttons["Fit"])
        page = on(window, "Fit")
        for key in list(page.line_up.thumbnails)[:2]:
            thumbnail = page.line_up.thumbnails[key]
            hands.click(thumbnail, QPoint(thumbnail.width() - 12, 12))
        hands.click(page.panel.compare)
    assert page.comparing.is_open
    task("compare", by)(hands)


@pytest.mark.parametrize("by", ["keys", "mouse"])
def test_one_model_is_fitted_to_several_series(window, demo, hands, by):
    """The table of the model over the series that it suits."""
    if by == "keys":
        hands.key(Qt.Key.Key_2, CTRL)
        hands.find("over several")
    else:
        hands.click(window.rail.buttons["Fit"])
        hands.click(on(window, "Fit").choices.more)
    page = on(window, "Fit")
    assert page.stage.currentWidget() is page.over.several
    assert page.over.several.several.rows
    task("several series", by)(hands)


@pytest.mark.parametrize("by", ["keys", "mouse"])
def test_values_are_filled_in(window, demo, hands, by):
    """A new series every 0.1 m that follows its points."""
    count = len(demo.study.series)
    if by == "keys":
        hands.key(Qt.Key.Key_4, CTRL)
        hands.find("fill in values")
        hands.type("0.1")
        hands.key(ENTER)
    else:
        hands.click(window.rail.buttons["Interpolate"])
        page = on(window, "Interpolate")
        hands.click(page.every)
        page.every.setText("0.1")
        hands.count += 1
        hands.press(page.bar, "as a new series")
    assert len(demo.study.series) == count + 1
    assert demo.study.series[-1].rows == 9
    task("fill", by)(hands)


@pytest.mark.parametrize("by", ["keys", "mouse"])
def test_the_area_of_a_peak_is_found(window, demo, hands, by):
    """The dye pulse has one peak; its area is kept above the line between its feet."""
    demo.choose(next(one.id for one in demo.study.series if one.name.startswith("Dye")))
    if by == "keys":
        hands.key(Qt.Key.Key_5, CTRL)
        hands.find("find peaks")
    else:
        hands.click(window.rail.buttons["Integrate"])
        hands.press(on(window, "Integrate").choices, "find peaks")
    hands.settled()
    assert len(demo.study.areas) == 1
    assert demo.study.areas[0].start > 0
    task("area of a peak", by)(hands)


@pytest.mark.parametrize("by", ["keys", "mouse"])
def test_roots_are_found(window, demo, hands, by):
    """The roots of x² − 3x + 2 are 2 and 1."""
    if by == "keys":
        hands.key(Qt.Key.Key_6, CTRL)
        hands.find("coefficients")
        hands.type("1; -3; 2")
        hands.key(ENTER)
    else:
        hands.click(window.rail.buttons["Polynomial"])
        page = on(window, "Polynomial")
        hands.press(page.choices, "Put on the shelf")
        assert "Write coefficients" in window._status.text()
        hands.count -= 1
        hands.click(page.shelf.coefficients)
        hands.type("1; -3; 2")
        hands.press(page.choices, "Put on the shelf")
    assert [row[0] for row in on(window, "Polynomial").findings.root_table.texts] == ["1.00000", "2.00000"]
    task("roots", by)(hands)


@pytest.mark.parametrize("by", ["keys", "mouse"])
def test_a_report_is_saved(window, demo, hands, monkeypatch, tmp_path, by):
    """A PDF of the study."""
    path = tmp_path / "report.pdf"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a, **_k: (str(path), ""))
    if by == "keys":
        hands.key(Qt.Key.Key_P, CTRL)
    else:
        hands.click(window.rail.buttons["Report"])
        hands.press(on(window, "Report").findings, "Save …")
    hands.count += 2
    hands.settled()
    assert path.read_bytes().startswith(b"%PDF")
    task("report", by)(hands)
