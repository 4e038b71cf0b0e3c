"""Where to measure next, under the plot: what the core foretells, drawn on the same x, followed and let go."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt

from vettore import core
from vettore.core.rounding import NumberStyle
from vettore.demo.study import demo_study
from vettore.files.study_file import study_bytes, study_from_bytes
from vettore.report.document import report_document
from vettore.study import edits
from vettore.study.derive import derive_reading
from vettore.study.fitting.planned import places_of
from vettore.study.kinds.readings import AreaReading, PlaceReading, PlanReading, SlopeReading
from vettore.words.next_rows import improvable, rows_needed_in_words, where_next_in_words
from vettore.words.readings import reading_line

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
    told = bar.strip.where_next
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
    assert bar.strip.where_next.now == pytest.approx(page.fit.result.coefficients["k"].standard_error)
    assert bar.subject.currentText() == "k"
    qtbot.keyClick(window, Qt.Key.Key_Escape)
    assert not bar.isVisible()


def test_a_price_moves_the_plan_which_is_kept_and_follows_the_fit(page, window, qtbot, settled):
    """Rows that cost more early are put late; kept, it stands among the readings, on the plot and in the report; undone."""
    bar, style = page.drawn.next, window.session.style
    qtbot.mouseClick(page.findings.where_next, LEFT)
    bar.subject.setCurrentText("k")
    bar.subject.activated.emit(1)
    settled()
    free = bar.strip.where_next
    qtbot.keyClicks(bar.price, "20 - time/6")
    qtbot.keyClick(bar.price, Qt.Key.Key_Return)
    settled()
    told = bar.strip.where_next
    dear = core.where_next(page.fit.result, told.x, "k", price=20 - told.x / 6)
    assert (told.best, told.plan) == (dear.best, dear.plan)
    assert told.best > free.best
    assert bar.sentence.text().endswith("That gains most for its price, 20 - time/6 a row.")
    before = window.session.study
    qtbot.mouseClick(bar.keep, LEFT)
    settled()
    (plan,) = [one for one in window.session.study.readings if isinstance(one, PlanReading)]
    assert (plan.improve, plan.rows, plan.price, plan.name) == ("k", 1, "20 - time/6", "plan")
    now, then = style.number(told.now, 2), style.number(told.planned, 2)
    answer = f"at time = {style.short(float(f'{told.plan[0]:.3g}'))} min: ± {now} becomes {then} 1/min"
    assert reading_line(page.fit, derive_reading(window.session.study, plan), style).text == answer
    study = edits.set_report(
        window.session.study, window.session.study.report.changed(curve=plan.curve, fits="one", left_out=())
    )
    lines = [line for block in report_document(study).section("readings").blocks for line in block.lines]
    assert ("plan · 1 row more for k, a row costing 20 - time/6", answer) in [(one.label, one.text) for one in lines]
    assert study_from_bytes(study_bytes(study), "a.vettore").readings == study.readings
    qtbot.keyClicks(bar.price, " - 9")
    qtbot.keyClick(bar.price, Qt.Key.Key_Return)
    settled()
    assert bar.sentence.text() == "The price “20 - time/6 - 9” is not above 0 everywhere over the data."
    window.session.undo()
    assert window.session.study == before


def test_a_plan_for_a_reading_goes_by_its_name(page, window, qtbot, settled):
    """A slope that is kept can be planned for, and one that is not is to be kept first; the plan follows its name."""
    bar, curve = page.drawn.next, window.session.curve.id
    window.session.do("keep", edits.keep(window.session.study, SlopeReading(curve=curve, at=10.0, name="uptake")))
    settled()
    qtbot.mouseClick(page.findings.where_next, LEFT)
    bar.subject.setCurrentText("uptake")
    bar.rows.setValue(2)
    qtbot.mouseClick(bar.keep, LEFT)
    settled()
    study = window.session.study
    slope, plan = study.readings_of(curve)[-2:]
    said = derive_reading(study, plan)
    expected = core.where_next(page.fit.result, places_of(page.fit), ("slope", 10.0), rows=2)
    assert (said.planned, said.value, said.unit) == (expected.plan, expected.planned, "mg/L/min")
    renamed = edits.rename_reading(study, slope.id, "slope at ten")
    assert derive_reading(renamed, renamed.readings_of(curve)[-1]).planned == expected.plan
    gone = edits.drop_reading(study, slope.id)
    assert "“uptake” is nothing that rows more make better known" in derive_reading(gone, plan).refusal


@pytest.mark.parametrize(
    ("typed", "wanted"),
    [
        ("", ("all", 1)),
        ("k", ("k", 1)),
        ("k × 3", ("k", 3)),
        ("uptake rate*12", ("uptake rate", 12)),
        ("×2", ("all", 2)),
    ],
)
def test_a_plan_is_typed(typed, wanted):
    """What is to be known better, and by how many rows."""
    (plan,) = PlanReading.typed(typed, "c1")
    assert (plan.improve, plan.rows) == wanted


@pytest.mark.parametrize("typed", ["k × 0", "k × 101", "k × m", "k × 2 × 3"])
def test_what_is_no_plan_is_refused(typed):
    """With what to write instead."""
    with pytest.raises(core.DataError, match="as k × 3"):
        PlanReading.typed(typed, "c1")


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
    told = core.WhereNext(np.array([0.0, 5.0]), np.array([0.9, 1.0]), 1.0, 0.0, (0.0, 0.0, 6.5, 6.5, 6.5), 0.5, 0.5)
    style = NumberStyle()
    assert where_next_in_words(page.fit, "k", "1/min", told, style) == (
        "5 rows more tell most at time = 0 (twice) and 6.5 (3 times) min: the ± of k goes from 1.0 to 0.50 1/min, 50 % less."
    )
    one = core.WhereNext(np.array([0.0]), np.array([0.96]), 1.0, 0.0, (0.0,), 0.96, 0.977)
    assert where_next_in_words(page.fit, "all coefficients", "", one, style) == (
        "One row more tells most of all coefficients at time = 0 min: the radius of their joint confidence region becomes "
        "4.0 % less (D-criterion), each ± 2.3 % less in the geometric mean."
    )
    assert rows_needed_in_words(0.5, "d", 0, (), style) == "± 0.5 d is reached already."


def test_a_plan_of_a_fit_that_is_only_suggested_is_not_kept(window, qtbot, settled):
    """It says what to do first; once a model is chosen the plan is kept with it."""
    study = demo_study()
    oxygen = next(series.id for series in study.series if series.name.startswith("Oxygen"))
    for curve in study.curves_of(oxygen):
        study = edits.remove_fit(study, curve.id)
    window.start(study)
    window.session.choose(oxygen)
    window.show_page("Fit")
    settled()
    page = window.pages["Fit"]
    assert page.fit is not None
    assert not page.fit.recipe.id
    bar = page.drawn.next
    qtbot.mouseClick(page.findings.where_next, LEFT)
    settled()
    before = window.session.study
    bar.subject.setCurrentText("all coefficients")
    qtbot.mouseClick(bar.keep, LEFT)
    assert bar.sentence.text().startswith("Choose a model in the line-up first")
    assert window.session.study is before
