"""What a ± is made of, in the window and in the report: the core's numbers, opened and closed, or why there are none."""

import pytest

from tests.waiting import wait_for
from vettore.app.widgets.fits.share_bars import ShareBars
from vettore.core.errors import DataError
from vettore.demo.study import demo_study
from vettore.report.document import report_document
from vettore.study import edits
from vettore.study.derive import derive_fit, derive_reading
from vettore.study.fitting.budgets import budget_of
from vettore.study.kinds.readings import FormulaReading, PlaceReading, ValueReading
from vettore.words.budgets import expanded_in_words, share_lines

FORMULA = "Q = M/(A*k) where M = 500 ± 12 mg, uniform"


@pytest.fixture
def study():
    study = demo_study()
    oxygen = next(series.id for series in study.series if series.name.startswith("Oxygen"))
    study = edits.add_model(study, oxygen, "exponential-decay-level")
    curve = study.curves[-1].id
    study = edits.keep(study, FormulaReading(curve=curve, formula=FORMULA))
    study = edits.keep(study, ValueReading(curve=curve, at=10.0, name="early"))
    study = edits.keep(study, FormulaReading(curve=curve, formula="R = early/C"))
    return edits.set_report(study, study.report.changed(curve=curve))


def test_the_budget_is_that_of_the_reading(study):
    """Its value and ± are those that the reading has, whatever it names; a uniform ± is half a width."""
    curve = study.curves[-1].id
    fit, kept = derive_fit(study, curve), study.readings_of(curve)
    for reading in kept:
        made, said = budget_of(fit, reading, kept), derive_reading(study, reading)
        assert made.value == pytest.approx(said.value, rel=1e-12)
        assert made.uncertainty == pytest.approx(said.standard_error, rel=1e-9)
        assert sum(share.share for share in made.shares) + made.together == pytest.approx(1)
    first = budget_of(fit, kept[0], kept)
    (typed,) = [share for share in first.shares if share.name == "M"]
    assert typed.uncertainty == pytest.approx(12 / 3**0.5)
    assert first.freedom > fit.result.degrees_of_freedom
    two = PlaceReading(curve=curve, at=4.0)
    assert budget_of(fit, two, kept).value == pytest.approx(derive_reading(study, two).crossings[0].x)
    with pytest.raises(DataError, match="not one number"):
        budget_of(fit, PlaceReading(curve=curve, at=-50.0), kept)


def test_it_opens_beneath_its_reading_and_closes(study, window, settled, qtbot):
    """Bars for several sources, a sentence for one; the report has the same numbers in a table."""
    window.start(study)
    curve = study.curves[-1]
    window.session.choose(curve.series, curve.id)
    window.show_page("Fit")
    settled()
    kept, readings = window.pages["Fit"].findings.kept, study.readings_of(curve.id)
    made = budget_of(window.pages["Fit"].fit, readings[0], readings)
    kept._turn_budget(readings[0].id)
    (bars,) = kept.findChildren(ShareBars)
    style = window.session.style
    assert bars.lines == tuple(share_lines(made, style))
    assert bars.lines[0][0] == "k"
    assert bars.lines[-1][0] == "covariance"
    texts = [label.text() for label in kept.findChildren(type(window.pages["Fit"].findings.sentence))]
    assert expanded_in_words(made, "L·min", style) in texts
    kept._turn_budget(readings[0].id)
    wait_for(lambda: not kept.findChildren(ShareBars))
    table = report_document(study).section("budgets").blocks[0]
    assert [row[0] for row in table.rows] == ["M", "A", "k", "covariance"]
    assert table.rows[2][2].value == pytest.approx(
        derive_fit(study, curve.id).result.coefficients["k"].standard_error
    )
