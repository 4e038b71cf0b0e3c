"""The ± of x in the window: offered, used, drawn as lines to where rows are taken to be, and taken back."""

from dataclasses import replace

import numpy as np
import pytest
from PySide6.QtCore import Qt

from tests.study.test_covariance import chosen
from tests.study.test_x_errors_used import N, light
from vettore.app.pages.fit import line_up
from vettore.study import edits
from vettore.study.series import Role

LEFT = Qt.MouseButton.LeftButton


def test_rows_lead_to_where_they_are_taken_to_be(window, qtbot, settled, monkeypatch):
    """One click uses the ± of x; a column of correlation then moves the answer; undo takes both back."""
    # Polynomials with errors in x are tried elsewhere, and take their time.
    monkeypatch.setattr(line_up, "degrees", lambda *_: ())
    window.start(light())
    window.show_page("Fit")
    settled()
    page = window.pages["Fit"]
    assert page.how.use_x.isVisible()
    assert page.plot.marks.slants is None
    even = page.fit.result.values
    qtbot.mouseClick(page.how.use_x, LEFT)
    settled()
    result = page.fit.result
    assert result.details.true_x is not None
    x, _, to_x, to_y = page.plot.marks.slants
    np.testing.assert_array_equal(x, result.x)
    np.testing.assert_array_equal(to_x, result.details.true_x)
    assert to_y == pytest.approx(page.fit.curve(result.details.true_x))
    assert np.abs(to_x - x).max() > 0.3
    assert "and the ± of x, known" in page.how.sentence.text()
    study = window.session.study
    worked = edits.add_worked_column(study, "s1", "r", "", "0.5 - 0*depth")
    place = len(worked.series[0].columns) - 1
    column = replace(worked.series[0].columns[place], role=Role.CORRELATION)
    window.session.do("correlated", edits.set_column(worked, "s1", place, column))
    settled()
    assert np.array_equal(page.fit.result.details.correlation, np.full(N, 0.5))
    assert page.fit.result.values != result.values
    assert "correlated as in r" in page.how.sentence.text()
    window.session.undo()
    window.session.undo()
    settled()
    assert page.fit.result.values == even
    assert page.plot.marks.slants is None


def test_a_known_covariance_is_chosen_in_the_header_and_taken_as_known(window, qtbot, settled):
    """Neighbours alike takes it; whether it is known or relative is offered, and moves the ± alone."""
    window.start(edits.add_fit(chosen(), "s1", 1))
    window.show_page("Fit")
    settled()
    page = window.pages["Fit"]
    even = page.fit.result.values
    page.how.noise_chosen.emit("correlated", None)
    settled()
    assert page.fit.result.values != even
    assert "a covariance of the rows, relative" in page.how.sentence.text()
    relative = page.fit.result
    page.how.known_turned.emit(True)
    settled()
    assert page.fit.result.values == relative.values
    assert page.fit.result.chi_squared == pytest.approx(relative.sum_of_squares)
    assert not page.how.known.isHidden()
    window.session.undo()
    window.session.undo()
    settled()
    assert page.fit.result.values == even
