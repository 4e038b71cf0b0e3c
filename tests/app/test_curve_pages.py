"""Interpolate, Integrate and Polynomial in the real window."""

import threading

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QPushButton

from tests.waiting import wait_for
from vettore.app.pages.integrate.derived import AreaAnswer
from vettore.core.polynomials import polynomial
from vettore.demo.study import demo_study
from vettore.study.kinds.baselines import CurveOf, Level

LEFT, ENTER = Qt.MouseButton.LeftButton, Qt.Key.Key_Return


@pytest.fixture
def on_page(window, settled):
    """Open a page of the demo study with a series chosen."""

    def open_it(page, series=""):
        if not window.session.study.series:
            window.start(demo_study())
        if series:
            found = next(one for one in window.session.study.series if one.name.startswith(series))
            window.session.choose(found.id)
        window.show_page(page)
        settled()
        return window.pages[page]

    return open_it


def drag_line(qtbot, plot, x, to, y=None):
    """Drag what stands at x of a plot to another x, by mouse."""

    def pixel(at):
        across = plot.upper.vb.mapViewToScene(QPointF(at, 0.0 if y is None else y))
        middle = plot.upper.vb.sceneBoundingRect().center().y() + 25
        return plot.mapFromScene(QPointF(across.x(), middle if y is None else across.y()))

    start, end, view = pixel(x), pixel(to), plot.viewport()
    qtbot.mouseMove(view, start)
    QTest.qWait(5)
    qtbot.mousePress(view, LEFT, pos=start)
    for step in range(1, 5):
        qtbot.mouseMove(view, QPoint(start.x() + (end.x() - start.x()) * step // 4, start.y()))
        QTest.qWait(5)
    qtbot.mouseRelease(view, LEFT, pos=end)


def test_methods_are_compared_read_and_filled_in(on_page, qtbot, settled):
    """Best first by what they miss; a list is read; a gap is filled as a new series; undo takes all back."""
    page = on_page("Interpolate", "Pond")
    session = page.session
    before = session.study
    assert {"monotone", "cubic", "smoothing", "linear"} <= set(page.choices.methods.thumbnails)
    qtbot.mouseClick(page.choices.methods.thumbnails["cubic"], LEFT)
    settled()
    assert page.curve.method.key == "cubic"
    assert "12 … 15.5 h" in page.findings.gaps.text()
    qtbot.keyClicks(page.at, "13; 14,5")
    qtbot.keyClick(page.at, ENTER)
    settled()
    assert session.study.interpolant_of(session.series.id).read_at == (13.0, 14.5)
    assert len(page.findings.values.texts) == 2
    page.findings.values.copy()
    full = repr(float(page.curve(13.0)))
    assert full in QApplication.clipboard().text()
    assert f"<td>{full}</td>" in QApplication.clipboard().mimeData().html()
    for kind, written in (("Markdown", f"| {full} |"), ("LaTeX", f"& {full} "), ("HTML", f"<td>{full}</td>")):
        page.findings.values.copying.copy_as(kind)
        assert written in QApplication.clipboard().text()
    qtbot.keyClicks(page.every, "0.5")
    qtbot.keyClick(page.every, ENTER)
    settled()
    made = session.study.series[-1]
    assert made.rows == 97
    assert dict(made.table.source.how)["made from"] == "Pond temperature"
    qtbot.keyClicks(page.at, "; 99")
    qtbot.keyClick(page.at, ENTER)
    for _ in range(3):
        session.undo()
    settled()
    assert session.study.interpolants == before.interpolants
    assert len(session.study.series) == len(before.series)


def test_methods_are_overlaid_filled_series_follow_and_the_pieces_are_shown(on_page, qtbot, settled):
    """Pinned methods are drawn beside; a filled series follows its source; end slopes; pieces typeset and copied."""
    from vettore.study import edits

    page = on_page("Interpolate", "Pond")
    session, source = page.session, page.session.series
    one = page.choices.methods.thumbnails["linear"]
    qtbot.mouseClick(one, LEFT, pos=QPoint(one.width() - 12, 12))
    wait_for(lambda: page.methods.pinned == ["linear"])
    assert [name for name, _ in page.plot.legend.entries] == ["Monotone cubic", "Straight pieces"]
    page.bar.way.setCurrentText("this many")
    qtbot.keyClicks(page.every, "9")
    qtbot.keyClick(page.every, ENTER)
    settled()
    assert session.study.series[-1].rows == 9
    session.choose(source.id)
    settled()
    page.bar.way.setCurrentText("at the x of")
    page.bar.other.setCurrentIndex(page.bar.other.findText("Pond temperature, 9 values"))
    page.bar.filled.emit()
    settled()
    copy, before = session.study.series[-1], session.study.series[-1].data[1].values
    session.choose(source.id)
    session.do("set aside", edits.set_rows_aside(session.study, source.id, range(9, 16), "test"))
    settled()
    now = session.study.find_series(copy.id).data[1].values
    assert not np.array_equal(now, before)
    session.undo()
    assert np.array_equal(session.study.find_series(copy.id).data[1].values, before)
    qtbot.mouseClick(page.choices.methods.thumbnails["clamped"], LEFT)
    settled()
    page.choices.end_slopes[0].setText("0,5")
    qtbot.keyClick(page.choices.end_slopes[0], ENTER)
    settled()
    assert float(page.curve.slope(page.curve.span[0])) == pytest.approx(0.5)
    page.show_working()
    assert page.drawer.steps[0].title == "The banded system and its solution"
    assert len(page.drawer.steps[1].boxes) == 8
    page.drawer.close()


def test_smoothing_is_chosen_by_the_data_or_by_hand(on_page, qtbot, settled):
    """The slider moves the penalty by powers of ten; the link lets the data choose again."""
    page = on_page("Interpolate", "Pond")
    page.choose("smoothing")
    settled()
    found = page.curve.penalty
    page.choices.slider.setValue(page.choices.slider.maximum())
    page.choices.slider.sliderReleased.emit()
    settled()
    assert page.curve.penalty == pytest.approx(found * 1e5)
    assert page.curve.swing >= 0


def test_what_lies_beyond_the_points_is_asked_for_drawn_read_and_saved(on_page, qtbot, settled, tmp_path):
    """Nothing at first; then the end value, chosen by keys, is read as beyond, and saved."""
    from vettore.files.study_file import open_study, save_study

    page = on_page("Interpolate", "Pond")
    session = page.session
    page.choose("linear")
    settled()
    assert page.choices.outside.currentText() == "nothing"
    page.at.setText("50; 20")
    qtbot.keyClick(page.at, ENTER)
    settled()
    assert session.study.interpolant_of(session.series.id).read_at == ()
    page.choices.outside.setFocus()
    qtbot.keyClick(page.choices.outside, Qt.Key.Key_Down)
    page.choices.outside.activated.emit(page.choices.outside.currentIndex())
    settled()
    assert not page.curve.ends_at_span
    assert float(page.curve(60.0)) == page.curve.y[-1]
    qtbot.keyClick(page.at, ENTER)
    settled()
    assert [row[0] for row in page.findings.values.texts] == ["50, beyond", "20"]
    path = tmp_path / "pond.vettore"
    save_study(session.study, path)
    assert open_study(path).interpolants == session.study.interpolants
    session.undo()
    session.undo()
    settled()
    assert page.choices.outside.currentText() == "nothing"
    assert page.curve.ends_at_span


def test_limits_are_dragged_the_floor_changed_and_the_area_kept(on_page, qtbot, settled):
    """The handles, the ladder, keeping, and undo."""
    page = on_page("Integrate", "Dye")
    whole = page.answer.area.area
    drag_line(qtbot, page.stage.plot, 0.0, 40.0)
    settled()
    assert page.answer.area.a == pytest.approx(40, abs=3)
    assert page.answer.area.area < whole
    qtbot.mouseClick(page.choices.points.rules["simpson"], LEFT)
    settled()
    assert page.answer.area.rule == "simpson"
    page.choices.points.baseline.setEditText("0,5")
    qtbot.keyClick(page.choices.points.baseline.lineEdit(), ENTER)
    settled()
    assert set(page.answer.area.floor_at_edges) == {0.5}
    assert page.answer.steps[0].strips < page.answer.steps[1].strips
    qtbot.mouseClick(page.findings.keep, LEFT)
    settled()
    (kept,) = page.session.study.areas
    assert kept.baseline == Level(0.5)
    drag_line(qtbot, page.stage.plot, 300.0, 200.0)
    settled()
    assert page.session.study.areas[0].end == pytest.approx(200, abs=3)
    page.session.undo()
    page.session.undo()
    settled()
    assert page.session.study.areas == ()


def test_peaks_are_found_and_each_can_be_adjusted(on_page, qtbot, settled, window):
    """Three peaks of a trace, kept with their share; one is adjusted; the running area becomes a series."""
    from vettore.study import edits
    from vettore.study.table import RawColumn, Source, Table

    x = np.linspace(0, 100, 501)
    y = sum(h * np.exp(-((x - m) ** 2) / (2 * s * s)) for m, h, s in ((20, 5, 2), (50, 3, 4), (80, 8, 1.5)))
    trace = Table((RawColumn("minute", "min", x), RawColumn("signal", "mV", y)), Source("trace"))
    window.start(edits.add_series(demo_study(), trace, "Trace"))
    page = on_page("Integrate", "Trace")
    page.find_peaks()
    settled()
    areas = page.session.study.areas
    assert len(areas) == 3
    assert "%" in page.choices.points.kept.buttons[areas[0].id].text()
    qtbot.mouseClick(page.choices.points.kept.buttons[areas[2].id], LEFT)
    settled()
    assert page.answer.area.area == pytest.approx(8 * 1.5 * np.sqrt(2 * np.pi), rel=0.02)
    page.move_limit(1, 84.0)
    settled()
    assert page.session.study.areas[2].end == pytest.approx(84)
    qtbot.mouseClick(page.findings.running, LEFT)
    settled()
    assert page.session.study.series[-1].columns[1].name == "running area"
    assert page.session.study.series[-1].columns[1].unit == "mV·min"


def test_a_function_is_integrated_without_data(on_page, qtbot, settled):
    """Strips and their order; as many as needed for an infinite limit; a wrong function is said."""
    page = on_page("Integrate")
    qtbot.mouseClick(page.choices.ways[True], LEFT)
    assert (page.choices.points.isVisible(), page.choices.panel.isVisible()) == (False, True)
    assert page.stage.currentWidget().findChild(QPushButton).text() == "Take exp(-x^2) as an example"
    qtbot.mouseClick(page.stage.currentWidget().findChild(QPushButton), LEFT)
    settled()
    assert page.findings.number.text().startswith("1.77245")
    page.choices.panel.function.clear()
    qtbot.keyClicks(page.choices.panel.function, "exp(-x^2)")
    page.choices.panel.start.setText("-inf")
    page.choices.panel.end.setText("inf")
    qtbot.keyClick(page.choices.panel.function, ENTER)
    settled()
    assert page.findings.number.text().startswith("1.77245")
    page.choices.panel.start.setText("0")
    page.choices.panel.end.setText("1")
    page.choices.panel.strips.setText("8")
    qtbot.keyClick(page.choices.panel.strips, ENTER)
    settled()
    assert page.stage.rungs.settles.text().endswith("(trapezoid rule).")
    # The nine points used, as a table and as marks.
    assert [row[0] for row in page.findings.table.texts] == [f"{x / 8:.5g}" for x in range(9)]
    assert page.plot.marks.ys.tolist() == pytest.approx(np.exp(-((np.arange(9) / 8) ** 2)).tolist())
    page.choices.panel.strips.setText("4.5")
    qtbot.keyClick(page.choices.panel.strips, ENTER)
    assert "“4.5” is no number of strips" in page.stage.refusal.text()
    page.choices.panel.strips.clear()
    page.choices.panel.function.setText("a*x")
    qtbot.keyClick(page.choices.panel.function, ENTER)
    settled()
    assert "no value here" in page.stage.refusal.text()
    page.choices.panel.function.clear()
    qtbot.keyClick(page.choices.panel.function, ENTER)
    settled()
    assert (page.answer, page.stage.refusal.text()) == (None, "")
    qtbot.mouseClick(page.choices.ways[False], LEFT)
    settled()
    assert isinstance(page.answer, AreaAnswer)
    qtbot.mouseClick(page.choices.ways[True], LEFT)
    page.session.choose(page.session.study.series[0].id)
    settled()
    assert page.choices.ways[False].isChecked()


def test_the_area_between_curves_slopes_and_a_kept_function_that_is_read(on_page, qtbot, settled):
    """Under the fitted curve, above another floor; slopes as a series; a function read, crossed, kept and let go."""
    page = on_page("Integrate", "Stage")
    session = page.session
    qtbot.mouseClick(page.choices.points.rules["fit"], LEFT)
    settled()
    assert page.answer.recipe.curve == session.curve.id
    assert page.status()[-1] == "± from the coefficients"
    qtbot.mouseClick(page.choices.points.rules["trapezoid"], LEFT)
    settled()
    place = page.choices.points.baseline.findText("quadratic of Stage", Qt.MatchFlag.MatchStartsWith)
    page.choices.points.baseline.setCurrentIndex(place)
    page.choices.points.baseline.activated.emit(place)
    settled()
    assert abs(page.answer.area.area) < 0.01
    page.choices.points.baseline.setEditText("a*x")
    qtbot.keyClick(page.choices.points.baseline.lineEdit(), ENTER)
    assert page.answer.recipe.baseline == CurveOf(session.curve.id)
    qtbot.mouseClick(page.findings.slopes, LEFT)
    settled()
    assert session.study.series[-1].name.endswith(", slopes")
    qtbot.mouseClick(page.choices.ways[True], LEFT)
    qtbot.keyClicks(page.choices.panel.function, "x^2 - 2*x")
    page.choices.panel.end.setText("4")
    qtbot.keyClick(page.choices.panel.function, ENTER)
    settled()
    assert page.findings.number.text().startswith("5.3333")
    qtbot.keyClicks(page.stage.asks.at_x, "3")
    qtbot.keyClicks(page.stage.asks.where_y, "0")
    assert page.stage.asks.said_at.text() == "y = 3.0000000"
    assert page.stage.asks.said_where.text() == "x = 0; 2.0000000"
    qtbot.mouseClick(page.stage.asks.keep, LEFT)
    (kept,) = session.study.functions
    assert (kept.formula, kept.end) == ("x^2 - 2*x", "4")
    settled()
    qtbot.mouseClick(page.choices.panel.kept.buttons[kept.id], LEFT)
    settled()
    qtbot.mouseClick(page.stage.asks.keep, LEFT)
    assert session.study.functions == ()
    session.undo()
    session.undo()
    session.undo()
    settled()
    assert not session.study.series[-1].name.endswith(", slopes")


def test_many_roots_are_worked_out_off_the_windows_thread(on_page, qtbot, settled, monkeypatch):
    """Degree 40 by hand: what is said waits, and comes; choosing another drops it; a failure is said in its place."""
    page = on_page("Polynomial")
    session, threads = page.session, []

    def watched(*given, real=polynomial.find_roots):
        threads.append(threading.current_thread() is threading.main_thread())
        return real(*given)

    monkeypatch.setattr(polynomial, "find_roots", watched)
    qtbot.keyClicks(page.shelf.coefficients, "1; " + "0; " * 39 + "-1")
    qtbot.keyClick(page.shelf.coefficients, ENTER)
    assert page.findings.sentence.text() == "Its roots are being worked out …"
    settled()
    assert threads
    assert not any(threads)
    assert page.findings.sentence.text().startswith("2 real roots, and 19 complex pairs")
    assert len([grip for grip in page._grips if grip.isVisible()]) == 2
    page.refresh()
    assert page.findings.sentence.text().startswith("2 real roots, and 19")
    qtbot.mouseClick(page.shelf.makers["gcd"], LEFT)
    settled()
    assert not any(threads)
    assert [item.name for item in session.study.polynomials] == ["by coefficients", "gcd(p, p)"]


def test_polynomials_are_entered_combined_taken_apart_and_dragged(on_page, qtbot, settled):
    """By coefficients, roots, formula and from a fit; product, quotient with rest; a root dragged by mouse; undo."""
    page = on_page("Polynomial")
    session = page.session
    for field, text in (
        (page.shelf.coefficients, "1; 0; -3; 1"),
        (page.shelf.roots, "1; -2"),
        (page.shelf.formula, "(x - 1)^2*(x + 3)"),
    ):
        qtbot.keyClicks(field, text)
        qtbot.keyClick(field, ENTER)
    assert [one.coefficients for one in session.study.polynomials] == [
        (1.0, -3.0, 0.0, 1.0),
        (-2.0, 1.0, 1.0),
        (3.0, -5.0, 1.0, 1.0),
    ]
    page.shelf.left.setCurrentIndex(0)
    page.shelf.right.setCurrentIndex(1)
    qtbot.mouseClick(page.shelf.makers["×"], LEFT)
    assert page.shown.polynomial.coefficients == (-2.0, 7.0, -2.0, -5.0, 1.0, 1.0)
    page.shelf.left.setCurrentIndex(0)
    page.shelf.right.setCurrentIndex(1)
    qtbot.mouseClick(page.shelf.makers["÷"], LEFT)
    assert page.shown.recipe.made.startswith("rest")
    qtbot.mouseClick(page.shelf.buttons[session.study.polynomials[1].id], LEFT)
    assert "2 real roots, all single" in page.findings.sentence.text()
    drag_line(qtbot, page.plot, 1.0, 2.0, y=0.0)
    wait_for(lambda: page.shown.recipe.made == "by dragging a root")
    assert page.shown.polynomial.real_roots()[1] == pytest.approx(2.0, abs=0.05)
    qtbot.mouseClick(page.findings.as_function, LEFT)
    qtbot.mouseClick(page.findings.as_model, LEFT)
    settled()
    assert page.session.curve.formula.startswith("discharge = a + b*(-4")
    assert session.study.functions[0].formula == page.shown.polynomial.formula()
    for _ in range(2):
        session.undo()
    qtbot.keyClicks(page.at, "0 .. 2 every 0.5")
    qtbot.keyClick(page.at, ENTER)
    assert len(page.findings.value_table.texts) == 5
    qtbot.keyClicks(page.shelf.roots, "1+i")
    qtbot.keyClick(page.shelf.roots, ENTER)
    assert len(session.study.polynomials) == 5
    for _ in range(6):
        session.undo()
    assert session.study.polynomials == ()


def test_a_fit_on_the_shelf_carries_its_uncertainty(on_page, settled):
    """And follows the fit when it changes."""
    page = on_page("Polynomial", "Stage")
    page.add_from_fit()
    assert page.shown.polynomial.covariance is not None
    assert page.findings.root_table.texts[0][1] != "—"
    assert "±" in page.status()[1]
