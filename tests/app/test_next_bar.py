"""Where to measure next, under the plot: what the core foretells, drawn on the same x, followed and let go."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt

from vettore import core
from vettore.core.rounding import NumberStyle
from vettore.demo.study import demo_study
from vettore.study import edits
from vettore.study.kinds.readings import AreaReading, PlaceReading, SlopeReading
from vettore.words.next_rows import improvable, rows_needed_in_words, where_next_in_words

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def page(window, settled):
    study = demo_study()
    oxygen = next(series.id for series in study.series if series.name.startswith("Oxygen"))
    window.start(edits.add_model(study, oxygen, "exponential-decay-level"))
    window.session.choose(oxygen, window.session.study.curves[-1].id)
    window.show_page("Fit")
    settled()
    return window.pages["Fit"]


def test_the_strip_shows_what_the_core_foretells(page, window, qtbot, settled):
    """For what is chosen, by so many rows; its ticks stand under their x; it follows the fit; Escape lets it go."""
    bar = page.drawn.next
    qtbot.mouseClick(page.findings.where_next, LEFT)
    settled()
    assert bar.isVisible()
    assert [bar.subject.itemText(place) for place in range(bar.subject.count())] == [
        "A",
        "k",
        "C",
        "all coefficients",
    ]
    bar.subject.setCurrentText("k")
    bar.subject.activated.emit(1)
    bar.rows.setValue(3)
    settled()
    told = bar.strip.told
    expected = core.where_next(page.fit.result, told.x, "k", rows=3)
    assert told.plan == expected.plan
    assert told.planned == expected.planned
    assert (told.x.min(), told.x.max()) == (page.fit.x.min(), page.fit.x.max())
    error = page.fit.result.coefficients["k"].standard_error
    assert told.now == pytest.approx(error)
    assert bar.sentence.text() == where_next_in_words(page.fit, "k", "1/min", expected, window.session.style)
    for x in told.plan:
        above = page.plot.mapTo(window, page.plot.position_of(x, 3.0).toPoint())
        beneath = bar.strip.mapTo(window, QPoint(round(bar.strip.across(x)), 0))
        assert above.x() == pytest.approx(beneath.x(), abs=1)
    qtbot.keyClicks(bar.wanted, "0.0005")
    qtbot.keyClick(bar.wanted, Qt.Key.Key_Return)
    settled()
    count, places = core.rows_needed(page.fit.result, told.x, "k", 0.0005)
    assert bar.sentence.text().endswith(rows_needed_in_words(0.0005, "1/min", count, places, window.session.style))
    aside = edits.set_rows_aside(window.session.study, window.session.series.id, [4, 5], "bubble")
    window.session.do("set rows aside", aside)
    settled()
    assert bar.strip.told.now == pytest.approx(page.fit.result.coefficients["k"].standard_error)
    assert bar.subject.currentText() == "k"
    qtbot.keyClick(window, Qt.Key.Key_Escape)
    assert not bar.isVisible()


def test_readings_can_be_known_better_too(page, window):
    """Values, slopes and areas by their names or questions; a place where y is taken cannot be asked for."""
    style, curve = NumberStyle(), window.session.curve.id
    study = window.session.study
    for reading in (
        SlopeReading(curve=curve, at=10.0),
        AreaReading(curve=curve, at=0.0, to=60.0),
        PlaceReading(curve=curve, at=4.0),
    ):
        study = edits.keep(study, reading)
    window.session.do("keep", study)
    found = improvable(page.fit, page.drawn._read_of(page.fit), style)
    assert [asked for _, asked, _ in found] == ["A", "k", "C", ("slope", 10.0), ("area", 0.0, 60.0), "all"]
    assert found[3][2] == "mg/L/min"


def test_a_plan_in_words(page):
    """Places that are taken several times are named once; one row tells, several tell."""
    told = core.WhereNext(np.array([0.0, 5.0]), np.array([0.9, 1.0]), 1.0, 0.0, (0.0, 0.0, 6.5, 6.5, 6.5), 0.5)
    style = NumberStyle()
    assert where_next_in_words(page.fit, "k", "1/min", told, style) == (
        "5 rows more tell most at time = 0 (twice) and 6.5 (3 times) min: the ± of k goes from 1.0 to 0.50 1/min, 50 % less."
    )
    one = core.WhereNext(np.array([0.0]), np.array([0.96]), 1.0, 0.0, (0.0,), 0.96)
    assert where_next_in_words(page.fit, "all coefficients", "", one, style) == (
        "One row more tells most of all coefficients at time = 0 min: their ± become 4.0 % less."
    )
    assert rows_needed_in_words(0.5, "d", 0, (), style) == "± 0.5 d is reached already."
