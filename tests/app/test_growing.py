"""A scatter that grows with y: offered, fitted, read from, told in the report and taken back, by mouse."""

import numpy as np
import pytest
from PySide6.QtCore import Qt

from vettore.core.rounding import NumberStyle
from vettore.report.document import report_document
from vettore.study import edits
from vettore.study.derive import derive_fit, derive_reading
from vettore.study.kinds.readings.detection import DecisionReading
from vettore.study.kinds.readings.place import PlaceReading
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table
from vettore.words.fits import goodness_lines

LEFT = Qt.MouseButton.LeftButton
X = np.linspace(0.5, 10, 40)
MU = 20 * np.exp(-0.3 * X)
Y = MU + np.random.default_rng(3).normal(size=40) * (0.05 + 0.08 * MU)


def study():
    table = Table((RawColumn("hour", "h", X), RawColumn("dye", "mg/L", Y)), Source("made"))
    return edits.add_model(edits.add_series(Study(title="Reedbed"), table, "made"), "s1", "exponential-decay")


def test_a_scatter_that_grows_is_offered_where_residuals_grow(window, qtbot, settled):
    """One click on the offer; sentence, numbers, line-up and report follow; undo takes it back."""
    window.start(study())
    window.show_page("Fit")
    settled()
    page = window.pages["Fit"]
    assert page.how.use_growing.isVisible()
    even = page.fit.result.coefficients["k"].standard_error
    qtbot.mouseClick(page.how.use_growing, LEFT)
    settled()
    told = page.fit.result
    assert (page.fit.recipe.noise, page.how.use_growing.isVisible()) == ("growing", False)
    assert told.coefficients["k"].standard_error < 0.6 * even
    assert "weights from a scatter that grows with y, least squares" in page.how.sentence.text()
    assert "scatters by 0.053 mg/L + 9.7 % of the curve" in page.findings.sentence.text()
    lines = {line.label: line.text for line in goodness_lines(page.fit, NumberStyle())}
    assert lines["scatter, even + of y"] == "0.053 mg/L + 9.7 %"
    assert lines["even scatter"] == "p < 0.001"
    assert {entry.fit.recipe.noise for entry in page.filler.entries if entry.fit} == {"growing"}
    text = "".join(block.text for block in report_document(window.session.study).section("method").blocks)
    assert text.startswith("Generalised least squares with weights 1/σ² from a scatter σ = a + b·|curve|")
    window.session.undo()
    settled()
    assert page.fit.result.details is None
    assert page.how.use_growing.isVisible()


def test_values_are_read_back_with_the_scatter_of_their_place():
    """One signal of 10 mg/L scatters by σ there, the blank by σ at none; by hand."""
    grown = edits.change_fit(study(), study().curves[0].changed(noise="growing"))
    fit = derive_fit(grown, grown.curves[0].id)
    spread, curve = fit.result.details.spread, fit.result.curve
    grown = edits.keep(grown, PlaceReading(curve=fit.recipe.id, at=10.0))
    found = derive_reading(grown, grown.readings_of(fit.recipe.id)[-1])
    x = found.crossings[0].x
    assert found.crossings[0].standard_error == pytest.approx(
        np.hypot(curve.standard_error(x), spread.a + 10 * spread.b) / abs(curve.slope(x)), rel=1e-6
    )
    table = Table((RawColumn("x", "", X), RawColumn("y", "", 1 + 0.5 * X + (Y - MU))), Source("line"))
    line = edits.add_fit(edits.add_series(Study(), table, "line"), "s1", 1)
    line = edits.change_fit(line, line.curves[0].changed(noise="growing"))
    fit = derive_fit(line, line.curves[0].id)
    line = edits.keep(line, DecisionReading(curve=fit.recipe.id, times=2))
    limit = derive_reading(line, line.readings_of(fit.recipe.id)[-1])
    told, curve = fit.result, fit.result.curve
    blank = np.hypot(told.details.spread.at(np.array(curve(0.0))) / np.sqrt(2), curve.standard_error(0.0))
    from scipy.stats import t

    slope = told.coefficients["a1"].value
    assert limit.value == pytest.approx(t.ppf(0.95, 38) * blank / slope, rel=1e-6)
