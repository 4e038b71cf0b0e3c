"""The axes of a plot by mouse and by keys: limits, scales, the plot's own menu."""

from itertools import pairwise

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtWidgets import QApplication, QMenu

from vettore.demo.study import demo_study
from vettore.study import edits
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table

LEFT, RIGHT, NONE = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton, Qt.KeyboardModifier.NoModifier


def study_of(x, y, name="Weir"):
    table = Table((RawColumn("head", "m", x), RawColumn("flow", "L/s", y)), Source("made"))
    return edits.add_series(Study(), table, name)


@pytest.fixture
def plot(window, settled):
    """The plot of the Data page with a power law, y = 5 x^1.5, over three decades."""
    x = np.geomspace(0.01, 10, 31)
    window.start(study_of(x, 5 * x**1.5))
    settled()
    return window.pages["Data"].plot


def middle_of(plot, axis):
    side = plot.upper.getAxis("left" if axis else "bottom")
    return plot.mapFromScene(side.sceneBoundingRect().center())


def menu_line(menu, words):
    return next(line for line in menu.actions() if line.text().startswith(words))


def open_menu(plot, qtbot):
    qtbot.mouseClick(plot.viewport(), RIGHT, NONE, plot.viewport().rect().center())
    return next(one for one in plot.findChildren(QMenu) if one.isVisible())


def test_a_double_click_on_an_axis_takes_typed_limits(plot, qtbot):
    """x from 1 to 4 and y from 5 to 40 exactly; what is no limit is said; Home shows everything again."""
    whole = plot.framing.limits()
    for axis, (low, high) in enumerate((("1", "4"), ("5", "4e1"))):
        place = middle_of(plot, axis)
        qtbot.mouseDClick(plot.viewport(), LEFT, NONE, place)
        qtbot.mouseRelease(plot.viewport(), LEFT, NONE, place)
        form = plot.axis_form
        assert (form.low.text(), form.isVisible()) == (form._style.number(plot.framing.limits()[axis][0], 6), True)
        form.low.setText(low)
        form.high.setText("soon")
        qtbot.keyClick(form.high, Qt.Key.Key_Return)
        assert form.problem.text() == "“soon” is not a number."
        form.high.setText("-3")
        qtbot.keyClick(form.high, Qt.Key.Key_Return)
        assert form.problem.text() == "The lower limit must be below the upper one."
        form.high.setText(high)
        qtbot.keyClick(form.high, Qt.Key.Key_Return)
    assert plot.framing.limits() == (pytest.approx((1, 4)), pytest.approx((5, 40)))
    plot.setFocus()
    qtbot.keyClick(plot, Qt.Key.Key_Home)
    assert plot.framing.limits() == whole
    qtbot.keyClick(plot, Qt.Key.Key_Backspace)
    assert plot.framing.limits() == (pytest.approx((1, 4)), pytest.approx((5, 40)))


def test_the_menu_makes_both_axes_logarithmic(plot, qtbot, window):
    """A power law is straight on both logarithms; the boxes of the page follow; limits are typed as values."""
    for words in ("Logarithmic x", "Logarithmic y"):
        menu = open_menu(plot, qtbot)
        menu_line(menu, words).trigger()
        menu.close()
    page = window.pages["Data"]
    assert (page.choices.log_x.isChecked(), page.choices.log_y.isChecked()) == (True, True)
    box = plot.upper.vb
    at = [box.mapViewToScene(QPointF(np.log10(x), np.log10(5 * x**1.5))) for x in (0.01, 0.3, 10)]
    slopes = [(b.y() - a.y()) / (b.x() - a.x()) for a, b in pairwise(at)]
    assert slopes[0] == pytest.approx(slopes[1], rel=1e-9)
    plot.ask_limits(0)
    form = plot.axis_form
    form.low.setText("0")
    form.apply()
    assert form.problem.text() == "A logarithmic axis begins above 0."
    form.low.setText("0.1")
    form.high.setText("1")
    form.apply()
    assert plot.framing.limits()[0] == pytest.approx((0.1, 1))
    assert box.viewRange()[0] == pytest.approx([-1, 0])


def test_rows_without_a_place_are_counted_on_the_plot(window, settled):
    """Zeros and negative values cannot stand on a logarithmic axis; the plot says how many, on any page."""
    window.start(study_of(np.arange(6.0), np.array([-1.0, 0, 2, 3, 4, np.nan])))
    window.show_page("Fit")
    settled()
    plot = window.pages["Fit"].plot
    plot.set_log(False, True)
    assert plot.note.text == "2 rows not above 0: no place on a logarithmic axis"
    plot.set_log(True, False)
    assert plot.note.text == "1 row not above 0: no place on a logarithmic axis"
    plot.set_log(False, False)
    assert plot.note.text == ""


def test_zoom_once_goes_into_one_box(plot, qtbot):
    """The next drag chooses what is seen, the one after it moves the view as before."""
    menu = open_menu(plot, qtbot)
    menu_line(menu, "Zoom").trigger()
    menu.close()
    corners = [plot.position_of(*at).toPoint() for at in ((2.0, 20.0), (6.0, 100.0))]
    drag(qtbot, plot, *corners)
    (x0, x1), (y0, y1) = plot.framing.limits()
    assert (x0, x1, y0, y1) == pytest.approx((2, 6, 20, 100), rel=0.02, abs=0.5)
    drag(qtbot, plot, QPoint(300, 200), QPoint(360, 200))
    moved = plot.framing.limits()[0]
    assert moved[1] - moved[0] == pytest.approx(x1 - x0)
    assert moved[0] < x0


def drag(qtbot, plot, start, end):
    port = plot.viewport()
    qtbot.mousePress(port, LEFT, NONE, start)
    for share in (0.3, 0.7, 1.0):
        qtbot.mouseMove(port, start + (end - start) * share)
        qtbot.wait(5)
    qtbot.mouseRelease(port, LEFT, NONE, end)


def test_copy_and_save_are_in_the_menu(plot, qtbot, window, tmp_path, monkeypatch):
    """Copying puts a picture on the clipboard; saving writes the file that was asked for, or says why not."""
    from vettore.app.stage import picture

    menu = open_menu(plot, qtbot)
    QApplication.clipboard().clear()
    menu_line(menu, "Copy").trigger()
    assert not QApplication.clipboard().pixmap().isNull()
    for name, said in (("plot.svg", "The plot was saved as plot.svg."), ("plot.bmp", "ends in .png, .svg or .pdf")):
        monkeypatch.setattr(picture.QFileDialog, "getSaveFileName", lambda *_a, name=name: (str(tmp_path / name), ""))
        menu_line(menu, "Save").trigger()
        assert said in window._status.text()
    assert (tmp_path / "plot.svg").exists()
    menu.close()


def test_handles_and_grips_follow_a_logarithmic_axis(window, qtbot, settled):
    """A limit of an area let go at half of the axis stands at the geometric mean; a grip pulled keeps its value."""
    x = np.geomspace(1, 100, 41)
    window.start(study_of(x, 30 / x))
    window.show_page("Integrate")
    settled()
    page = window.pages["Integrate"]
    stage, plot = page.stage, page.plot
    plot.set_log(True, False)
    handle = stage.handles[0]
    assert (handle.at, handle.value()) == (pytest.approx(1), pytest.approx(0, abs=1e-12))
    handle.setValue(1.0)
    handle.sigPositionChangeFinished.emit(handle)
    settled()
    assert page.state.area(window.session.study).start == pytest.approx(10)
    plot.set_log(False, False)
    assert handle.value() == pytest.approx(10)
    # Zero is in view with the points, but it is no row: a logarithmic axis leaves nothing out.
    plot.set_log(False, True)
    assert plot.note.text == ""


def test_every_plot_of_the_demo_can_be_logarithmic(window, settled):
    """Nothing breaks, and the points in use keep their place within the plot."""
    window.start(demo_study())
    for name in ("Data", "Fit", "Interpolate", "Integrate", "Polynomial"):
        window.show_page(name)
        settled()
        plot = window.pages[name].plot
        for log in ((True, True), (False, True), (True, False), (False, False)):
            plot.set_log(*log)
            window.grab()
            assert np.isfinite(plot.framing.limits()).all()
