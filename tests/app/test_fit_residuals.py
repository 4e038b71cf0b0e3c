"""The strip of residuals: its range is that of the rows in use; what lies beyond stands at the edge with an arrow."""

import numpy as np
import pytest
from PySide6.QtCore import Qt

from vettore.app.pages.fit.residuals import AT_EDGE, residuals_of
from vettore.app.stage.marks import MOST_SINGLE_MARKS
from vettore.app.stage.plot import Plot
from vettore.study import edits
from vettore.study.derive import derive_fit
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table


@pytest.fixture
def study():
    """y = 2x with small scatter; row 4 lies far above, row 7 far below, row 9 a little off; all three are set aside."""
    x = np.arange(12.0)
    y = 2 * x + np.tile([0.1, -0.1], 6)
    y[[4, 7, 9]] += 50, -50, 0.05
    table = Table((RawColumn("x", "s", x), RawColumn("y", "m", y)), Source("made"))
    out = edits.add_series(Study(), table, "line")
    return edits.add_fit(edits.set_rows_aside(out, "s1", [4, 7, 9], "doubt"), "s1", 1)


def test_rows_beyond_the_range_stand_at_its_edge(study):
    """Above and below by their sign; a row within the range stands where it is, and rows in use are never moved."""
    fit = derive_fit(study, study.curves[0].id)
    shown = residuals_of(fit)
    reach = np.abs(fit.result.residuals).max() * AT_EDGE
    assert shown.rows[shown.aside].tolist() == [4, 7, 9]
    assert shown.beyond[shown.aside].tolist() == [1, -1, 0]
    assert shown.residuals[shown.aside][:2] == pytest.approx([reach, -reach])
    assert abs(shown.residuals[-1]) < reach
    np.testing.assert_array_equal(shown.residuals[~shown.aside], fit.result.residuals)


def test_the_arrows_are_drawn_where_they_point(window, settled, study):
    """A mark in muted ink stands at the upper edge over x = 4, and the strip is not stretched by it."""
    window.start(study)
    window.show_page("Fit")
    settled()
    plot = window.page.plot
    _low, high = plot.lower.vb.viewRange()[1]
    assert high < 1
    assert plot.residual_marks.beyond.tolist().count(1.0) == 1
    with_arrow = plot.grab().toImage()
    plot.residual_marks.beyond = np.zeros(len(plot.residual_marks.xs))
    plot.residual_marks.update()
    assert plot.grab().toImage() != with_arrow


def test_the_arrows_stay_in_frames_that_are_painted_from_a_kept_picture(qtbot):
    """Of very many marks one picture is kept; what lies over it, arrows too, is the same in the second frame."""
    plot = Plot(lambda *_said: None, with_residuals=True)
    qtbot.addWidget(plot)
    plot.resize(700, 500)
    count = MOST_SINGLE_MARKS + 2
    x, aside, beyond = np.arange(float(count)), np.zeros(count, dtype=bool), np.zeros(count)
    aside[-1], beyond[-1] = True, 1.0
    plot.residual_marks.set_data(x, np.sin(x), np.arange(count), aside, "#333C42", beyond=beyond)
    plot.show_home(x, np.sin(x))
    plot.set_residual_range(np.sin(x))
    plot.show()
    first, second = (plot.grab().toImage() for _ in range(2))
    assert first == second
    plot.residual_marks.set_data(x, np.sin(x), np.arange(count), aside, "#333C42")
    assert plot.grab().toImage() != first


def test_escape_closes_the_topmost_thing_and_then_lets_the_choice_go(window, settled, study, qtbot):
    """The sheet of models, then the bench for formulas, then the chosen rows; on Data the bar under the table."""
    window.start(study)
    window.show_page("Fit")
    settled()
    page = window.page
    window.session.choose_rows({2})
    page.open_bench()
    page.over.open_sheet()

    def opened():
        return (page.over.sheet.isVisible(), not page.bench.isHidden(), bool(window.session.rows))

    assert opened() == (True, True, True)
    for left in ((False, True, True), (False, False, True), (False, False, False)):
        qtbot.keyClick(window, Qt.Key.Key_Escape)
        assert opened() == left
    window.show_page("Data")
    page = window.page
    page.tools.links["Find rows …"].click()
    assert page.ask.isVisible()
    qtbot.keyClick(page.plot, Qt.Key.Key_Escape)
    assert not page.ask.isVisible()
