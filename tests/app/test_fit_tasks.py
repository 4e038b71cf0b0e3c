"""Ten tasks by keyboard alone and ten by mouse alone, as a scientist does them, in the real window."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from tests.waiting import wait_for
from vettore.demo.study import demo_study
from vettore.study import edits
from vettore.study.derive import derive_fit
from vettore.study.kinds.readings import PlaceReading
from vettore.study.table import RawColumn, Source, Table

LEFT, CTRL = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier
ENTER = Qt.Key.Key_Return
DECAY = "exponential-decay-level"


@pytest.fixture
def page(window, settled, qtbot):
    """The Fit page on the chamber data; six jars with a common rate are in the study, too."""
    study, t = demo_study(), np.linspace(0, 90, 20)
    rng = np.random.default_rng(4)
    for number, height in enumerate((3.0, 5.0, 8.0, 4.0, 6.0, 7.0), 1):
        y = height * np.exp(-0.05 * t) + 1 + rng.normal(0, 0.03, 20)
        table = Table((RawColumn("minute", "min", t), RawColumn("o2", "mg/L", y)), Source("made"))
        study = edits.add_series(study, table, f"Jar {number}")
    window.start(study)
    window.session.choose(next(one.id for one in study.series if one.name.startswith("Oxygen")))
    window.show_page("Fit")
    settled()
    return window.pages["Fit"]


def focus_by_tab(qtbot, window, wanted):
    """Go on with Tab until a widget has the keyboard."""
    for _ in range(150):
        here = QApplication.focusWidget()
        if here is wanted:
            return
        qtbot.keyClick(here or window, Qt.Key.Key_Tab)
    raise AssertionError(f"{wanted} cannot be reached by Tab")


def test_ten_tasks_by_keyboard_alone(page, window, qtbot, settled, monkeypatch):
    """Fit, hold, shape, refit, pin and compare, write a formula, read backwards, keep, step through pages, undo all."""
    session, start = window.session, window.session.study
    # A window system gives the keyboard back when the completions close; here nobody does, so there are none.
    monkeypatch.setattr("vettore.app.widgets.formulas.formula_field.LETTERS", 99)
    # 1 Fit a decay.
    first = page.line_up.thumbnails[DECAY]
    focus_by_tab(qtbot, window, first)
    qtbot.keyClick(first, Qt.Key.Key_Space)
    settled()
    assert session.curve.model == DECAY
    # 2 Hold the plateau, and let it go.
    focus_by_tab(qtbot, window, page.strip)
    for _ in range(2):
        qtbot.keyClick(page.strip, Qt.Key.Key_Right)
    qtbot.keyClick(page.strip, Qt.Key.Key_Space)
    settled()
    assert dict(session.curve.hold).keys() == {"C"}
    qtbot.keyClick(page.strip, Qt.Key.Key_Space)
    settled()
    # 3 Shape the rate by hand. 4 Refit.
    qtbot.keyClick(page.strip, Qt.Key.Key_Left)
    best = page.strip.chips["k"].number
    qtbot.keyClick(page.strip, Qt.Key.Key_Up, CTRL)
    assert page.strip.chips["k"].number > best
    focus_by_tab(qtbot, window, page.strip.again)
    qtbot.keyClick(page.strip.again, Qt.Key.Key_Space)
    settled()
    assert page.fit.result.coefficients["k"].value == pytest.approx(best, rel=1e-9)
    # 5 Compare with another model, large.
    for key in (DECAY, "gaussian-level"):
        focus_by_tab(qtbot, window, page.line_up.thumbnails[key])
        qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_P)
        wait_for(lambda key=key: key in page.filler.pinned and page.line_up.thumbnails[key].isVisible())
    focus_by_tab(qtbot, window, page.panel.compare)
    qtbot.keyClick(page.panel.compare, Qt.Key.Key_Space)
    settled()
    assert page.comparing.is_open
    page.comparing.close()
    # 6 Write an own formula.
    qtbot.keyClick(window, Qt.Key.Key_E, CTRL)
    page.own.clear()
    qtbot.keyClicks(page.own, "A*exp(-k*time) + C")
    qtbot.keyClick(page.own, ENTER)
    settled()
    assert session.curve.formula == "oxygen = A*exp(-k*time) + C"
    # 7 Read backwards from three replicate signals, and keep it.
    field = page.readings.fields[PlaceReading]
    focus_by_tab(qtbot, window, field)
    qtbot.keyClicks(field, "4.1; 4.3; 4.2")
    qtbot.keyClick(field, ENTER)
    settled()
    assert session.study.readings_of(session.curve.id)[-1].signals == (4.1, 4.3, 4.2)
    # 8 Go through the pages and back.
    for number, name in enumerate(("Data", "Fit"), 1):
        qtbot.keyClick(window, getattr(Qt.Key, f"Key_{number}"), CTRL)
        assert window.page.name == name
    # 9 Undo all.
    for _ in range(20):
        qtbot.keyClick(window, Qt.Key.Key_Z, CTRL)
    settled()
    assert session.study.curves == start.curves
    assert session.study.readings == start.readings
    # 10 Give a coefficient limits, in the form under its chip.
    focus_by_tab(qtbot, window, page.strip)
    qtbot.keyClick(page.strip, ENTER)
    popup = QApplication.activePopupWidget()
    popup.low.setFocus()
    qtbot.keyClicks(popup.low, "0")
    qtbot.keyClick(popup.low, ENTER)
    settled()
    assert session.curve.limits


def drag_chip(qtbot, strip, name, by):
    start = strip.frame_of(name).center().toPoint()
    qtbot.mousePress(strip, LEFT, pos=start)
    for step in range(1, 6):
        qtbot.mouseMove(strip, start + QPoint(by * step // 5, 0))
    qtbot.mouseRelease(strip, LEFT, pos=start + QPoint(by, 0))


def drag_on_plot(qtbot, plot, start, end):
    view, vb = plot.viewport(), plot.upper.vb
    a, b = (plot.mapFromScene(vb.mapViewToScene(QPointF(*at))) for at in (start, end))
    qtbot.mouseMove(view, a)
    QTest.qWait(5)
    qtbot.mousePress(view, LEFT, pos=a)
    for step in range(1, 5):
        qtbot.mouseMove(view, a + (b - a) * step / 4)
        QTest.qWait(5)
    qtbot.mouseRelease(view, LEFT, pos=b)


def test_ten_tasks_by_mouse_alone(page, window, qtbot, settled):
    """Fit, drag the rate, pull a grip, refit, hold, see and set aside an outlier, a span, six series, keep, undo."""
    session, start = window.session, window.session.study
    # 1 Fit a decay.
    qtbot.mouseClick(page.line_up.thumbnails[DECAY], LEFT)
    settled()
    best = page.fit.result.coefficients["k"].value
    # 2 Drag the rate. 3 Pull the curve by its half-life. 4 Refit.
    drag_chip(qtbot, page.strip, "k", 100)
    assert page.plot.line.curve.values["k"] > best
    x, y, _ = next(one for one in page.drawn.grips.grips if one[2] == "half-life")
    drag_on_plot(qtbot, page.plot, (x, y), (30.0, y))
    assert page.plot.line.curve.values["k"] == pytest.approx(np.log(2) / 30, rel=0.03)
    qtbot.mouseClick(page.strip.again, LEFT)
    settled()
    assert page.fit.result.coefficients["k"].value == pytest.approx(best, rel=1e-9)
    # 5 Hold the plateau.
    qtbot.mouseClick(page.strip, LEFT, pos=page.strip.frame_of("C").center().toPoint())
    wait_for(lambda: session.curve.hold != ())
    settled()
    assert page.fit.result.coefficients["C"].held
    qtbot.mouseClick(page.strip, LEFT, pos=page.strip.frame_of("C").center().toPoint())
    wait_for(lambda: session.curve.hold == ())
    settled()
    # 6 Set an outlier aside after seeing its effect.
    session.do("bring all back", edits.bring_rows_back(session.study, session.series.id, range(25)))
    settled()
    qtbot.mouseClick(page.findings.checks.rows[0].without, LEFT)
    settled()
    assert page.drawn.without.table.texts
    qtbot.mouseClick(page.drawn.without.aside, LEFT)
    settled()
    assert [entry.row for entry in session.series.set_aside] == [9]
    # 7 Fit only a span of x, and all of it again.
    qtbot.mouseClick(page.how.span, LEFT)
    drag_on_plot(qtbot, page.plot, (20, 7.6), (80, 7.6))
    settled()
    assert session.curve.span is not None
    qtbot.mouseClick(page.how.span, LEFT)
    settled()
    # 8 Keep a reading from a click on the plot.
    view, vb = page.plot.viewport(), page.plot.upper.vb
    qtbot.mouseClick(view, LEFT, pos=page.plot.mapFromScene(vb.mapViewToScene(QPointF(70, 6.5))))
    wait_for(lambda: bool(page.readings.present()))
    qtbot.mouseClick(page.readings.keep_it, LEFT)
    assert session.study.readings_of(session.curve.id)[-1].at == pytest.approx(70, abs=1)
    # 9 One formula over six series with a shared rate.
    qtbot.mouseClick(page.choices.more, LEFT)
    view = page.over.several
    for identity, box in view.series.items():
        wanted = session.study.find_series(identity).name.startswith("Jar")
        if box.isChecked() != wanted:
            qtbot.mouseClick(box, LEFT, pos=QPoint(8, box.height() // 2))
    qtbot.mouseClick(view.common["k"], LEFT, pos=QPoint(8, view.common["k"].height() // 2))
    settled()
    assert (len(view.several.rows), view.several.shared) == (6, ("k",))
    assert view.several.rows[0].coefficients["k"].value == pytest.approx(0.05, abs=0.002)
    assert "alone fits no better than chance would have it (F = " in view.words.text()
    qtbot.mouseClick(view.keep, LEFT)
    settled()
    assert derive_fit(session.study, session.study.curves[-1].id).result.coefficients["k"].held
    # 10 Undo all.
    while session.history.undo_label:
        session.undo()
    settled()
    assert session.study.curves == start.curves
