"""The real window, driven by mouse and keys."""

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtWidgets import QFileDialog, QPushButton

from tests.waiting import wait_for
from vettore.app.window import Window
from vettore.demo.make_data import FOLDER
from vettore.demo.study import demo_study
from vettore.report.document import report_document
from vettore.report.renderers.html import html
from vettore.report.renderers.listed import FORMATS
from vettore.study.derive import derive_fit
from vettore.study.kinds.readings import PlaceReading, ValueReading
from vettore.study.series import Role

LEFT = Qt.MouseButton.LeftButton


def drop(window, *paths):
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    event = QDropEvent(QPointF(400, 300), Qt.DropAction.CopyAction, mime, LEFT, Qt.KeyboardModifier.NoModifier)
    window.dropEvent(event)


def click_point(qtbot, plot, x, y):
    place = plot.position_of(x, y).toPoint()
    qtbot.mouseMove(plot.viewport(), place)
    qtbot.mouseClick(plot.viewport(), LEFT, pos=place)


def go_to(qtbot, window, name):
    qtbot.mouseClick(window.rail.buttons[name], LEFT)


def test_from_a_dropped_file_to_a_saved_study(window, qtbot, settled, tmp_path, monkeypatch):
    """Drop, fit degree 2, set a row aside by mouse, read, undo everything, save, close, reopen: same numbers."""
    drop(window, FOLDER / "stage-discharge.tsv")
    settled()
    session = window.session
    series = session.series
    assert (series.name, series.rows) == ("stage-discharge", 14)
    x, y = series.values(Role.X), series.values(Role.Y)

    go_to(qtbot, window, "Fit")
    settled()
    page = window.pages["Fit"]
    qtbot.mouseClick(page.line_up.thumbnails[2], LEFT)
    settled()
    assert session.curve.degree == 2
    full = page.fit.result

    click_point(qtbot, page.plot, x[11], y[11])
    wait_for(lambda: session.rows == {11})
    qtbot.keyClicks(page.drawn.rows.reason, "weed on the staff")
    qtbot.mouseClick(page.drawn.rows.aside, LEFT)
    settled()
    assert session.series.reason(11) == "weed on the staff"
    assert len(page.fit.rows) == 13
    assert "One row is set aside" in page.findings.sentence.text()

    field = page.readings.fields[ValueReading]
    qtbot.keyClicks(field, "0,7")
    (reading,) = page.readings.present()
    assert reading.value == pytest.approx(float(page.fit.result.curve(0.7)))
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert len(session.study.readings) == 1
    kept = page.fit.result.values

    for _ in range(4):
        qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    settled()
    assert session.study.series == ()
    shift = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
    for _ in range(4):
        qtbot.keyClick(window, Qt.Key.Key_Z, shift)
    settled()
    assert page.fit.result.values == kept
    assert full.values != kept

    path = tmp_path / "weir.vettore"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_args: (str(path), ""))
    qtbot.keyClick(window, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    assert path.exists()
    assert not session.history.unsaved
    window.close()

    again = Window()
    qtbot.addWidget(again)
    again.show()
    again.open_paths([path])
    wait_for(lambda: not again.session.background.busy)
    reopened = again.session.study
    assert derive_fit(reopened, reopened.curves[0].id).result.values == kept
    assert reopened.series[0].reason(11) == "weed on the staff"
    again.close()


def test_pointing_is_linked_between_plot_and_table(window, qtbot, settled):
    """Moving over a point lights its row; choosing rows in the table rings them on the plot."""
    window.start(demo_study())
    page = window.pages["Data"]
    settled()
    series = window.session.series
    x, y = series.values(Role.X), series.values(Role.Y)
    place = page.plot.position_of(x[7], y[7]).toPoint()
    qtbot.mouseMove(page.plot.viewport(), place)
    wait_for(lambda: page.table.model().pointed == 7)
    rect = page.table.visualRect(page.table.model().index(2, 1))
    qtbot.mouseClick(page.table.viewport(), LEFT, pos=rect.center())
    assert window.session.rows == {2}
    assert page.plot.marks.chosen == {2}
    qtbot.keyClick(page.table, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    assert window.session.rows == {2, 3}
    qtbot.mouseClick(page.bar.aside, LEFT)
    assert not window.session.series.kept[[2, 3]].any()
    page.table.setFocus()
    qtbot.keyClick(page.table, Qt.Key.Key_B, Qt.KeyboardModifier.ControlModifier)
    assert window.session.series.kept.all()


def test_roles_change_what_is_plotted(window, qtbot, settled):
    """Making another column y redraws the plot with its name; the fit follows."""
    window.start(demo_study())
    page = window.pages["Data"]
    oxygen = next(series for series in window.session.study.series if series.name.startswith("Oxygen"))
    window.session.choose(oxygen.id)
    page.set_role(3, Role.Y)
    assert page.plot.upper.getAxis("left").labelText == "temperature (°C)"
    go_to(qtbot, window, "Fit")
    settled()
    assert window.pages["Fit"].fit.result.n == 23
    assert "Row 21" not in window.pages["Fit"].findings.sentence.text()


def test_refusals_stand_on_the_page_and_in_the_status_line(window, qtbot, settled, tmp_path):
    """A file that cannot be read and data that cannot be fitted are said in sentences, and nothing changes."""
    odd = tmp_path / "odd.csv"
    odd.write_bytes(bytes(range(256)))
    drop(window, odd)
    settled()
    assert "not text" in window._status.text()
    assert window.session.study.series == ()
    short = tmp_path / "short.csv"
    short.write_text("x,y\n1,2\n1,3\n")
    drop(window, short)
    settled()
    go_to(qtbot, window, "Fit")
    settled()
    page = window.pages["Fit"]
    assert page.drawn.refusal.isVisible()
    assert "Every row in use has x = 1" in page.drawn.refusal.text()
    assert not page.line_up.thumbnails[3].isEnabled()


def test_options_of_the_fit_and_reading_backwards(window, qtbot, settled):
    """Through the origin, weights from ± of y, and x where y, each follow at once and can be undone."""
    window.start(demo_study())
    go_to(qtbot, window, "Fit")
    settled()
    page = window.pages["Fit"]
    qtbot.keyClicks(page.readings.fields[PlaceReading], "0.5")
    (reading,) = page.readings.present()
    assert float(page.fit.result.curve(reading.crossings[0].x)) == pytest.approx(0.5)
    page.how.weights.setFocus()
    qtbot.keyClick(page.how.weights, Qt.Key.Key_Down)
    settled()
    assert page.fit.result.weighted
    page.how.origin.click()
    settled()
    assert list(page.fit.result.coefficients) == ["a1", "a2"]
    assert page.fit.result.r_squared_against == "zero"
    window.session.undo()
    window.session.undo()
    settled()
    assert not page.fit.result.weighted
    keep = [one for one in page.readings.findChildren(QPushButton) if one.isVisible()]
    qtbot.mouseClick(keep[0], LEFT)
    settled()
    assert window.session.study.readings[-1].__class__ is PlaceReading


def test_an_own_formula_is_fitted_read_and_reported(window, qtbot, settled):
    """A formula typed on the Fit page is fitted without starts; errors are said; readings and the report follow."""
    window.start(demo_study())
    oxygen = next(series for series in window.session.study.series if series.name.startswith("Oxygen"))
    window.session.choose(oxygen.id)
    go_to(qtbot, window, "Fit")
    settled()
    page = window.pages["Fit"]
    qtbot.keyClick(page.plot, Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier)
    page.own.clear()
    qtbot.keyClicks(page.own, "A*expp(-k*time) + C")
    qtbot.keyClick(page.own, Qt.Key.Key_Return)
    assert "Did you mean exp?" in page.bench.remark.text()
    page.own.setText("A*exp(-k*time) + C")
    qtbot.keyClick(page.own, Qt.Key.Key_Return)
    settled()
    assert window.session.curve.formula == "oxygen = A*exp(-k*time) + C"
    assert page.fit.result.coefficients["k"].value == pytest.approx(0.04, abs=0.005)
    assert len(page.fit.rows) == 24
    qtbot.keyClicks(page.readings.fields[PlaceReading], "4")
    (reading,) = page.readings.present()
    assert float(page.fit.result.curve(reading.crossings[0].x)) == pytest.approx(4)
    assert reading.crossings[0].standard_error > 0
    text = html(report_document(window.session.study))
    assert "Nonlinear least squares" in text
    assert "<msup>" in text
    qtbot.mouseClick(page.panel.more, LEFT)
    qtbot.keyClicks(page.over.sheet.filter, "quadratic")
    assert page.over.sheet.count.text().startswith("1 of ")
    qtbot.keyClick(page.over.sheet.filter, Qt.Key.Key_Return)
    settled()
    assert page.fit.result.method == "linear least squares"
    window.session.undo()
    settled()
    assert window.session.curve.formula == "oxygen = A*exp(-k*time) + C"


def test_the_report_page_shows_and_saves_the_pages(window, qtbot, settled, tmp_path, monkeypatch):
    """The preview is the printed page; a section switched off makes it shorter; the page is saved."""
    window.start(demo_study())
    go_to(qtbot, window, "Report")
    settled()
    page = window.pages["Report"]
    assert page.pages >= 1
    for name in ("source", "goodness", "method", "figure", "repeat"):
        page.report_choices.sections.item_of(name).setCheckState(Qt.CheckState.Unchecked)
    settled()
    assert page.pages == 1
    target = tmp_path / "report.pdf"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_args: (str(target), ""))
    page.ask_and_save(FORMATS[0])
    settled()
    assert target.read_bytes().startswith(b"%PDF")


def test_a_hundred_thousand_rows_are_drawn_and_fitted(window, qtbot, settled, tmp_path):
    """Long series come in, every hit pixel is inked, and panning by keys moves the view."""
    rng = np.random.default_rng(3)
    x = np.linspace(0, 100, 100_000)
    path = Path(tmp_path / "long.csv")
    np.savetxt(
        path, np.column_stack([x, np.sin(x / 9) + rng.normal(0, 0.1, len(x))]), delimiter=",", header="t (s),v"
    )
    drop(window, path)
    settled()
    page = window.pages["Data"]
    before = page.plot.upper.vb.viewRange()[0]
    qtbot.keyClick(page.plot, Qt.Key.Key_Right)
    assert page.plot.upper.vb.viewRange()[0][0] > before[0]
    qtbot.keyClick(page.plot, Qt.Key.Key_Home)
    image = page.plot.grab().toImage()
    ink = sum(image.pixelColor(i, image.height() // 3).value() < 120 for i in range(image.width()))
    assert ink > 50
    window.show_page("Fit")
    window.pages["Fit"].deciding.choose_degree(3)
    settled()
    assert window.pages["Fit"].fit.result.n == 100_000
