"""Counts on the Fit page: offered where they are, fitted by their likelihood, told as such, and taken back."""

import numpy as np
import pytest
from PySide6.QtCore import Qt

from vettore.core.fitting.noises.counts import looks_counted
from vettore.report.document import report_document
from vettore.study import edits
from vettore.study.columns import Role
from vettore.study.derive import derive_fit
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table

LEFT = Qt.MouseButton.LeftButton
DAY = np.arange(0, 15, 0.5)
LARVAE = np.random.default_rng(11).poisson(14 * np.exp(-DAY / 4) + 1.5).astype(float)


def study_of(*columns):
    table = Table(
        tuple(RawColumn(name, unit, np.asarray(values, float)) for name, unit, values in columns), Source("made")
    )
    return edits.add_series(Study(title="Reedbed"), table, "made")


def page_of(window, settled, study):
    window.start(study)
    window.show_page("Fit")
    settled()
    return window.pages["Fit"]


def test_counts_are_offered_fitted_and_taken_back(window, qtbot, settled):
    """One click; the line-up follows; the strip shows residuals of the deviance; undo brings the ordinary fit back."""
    page = page_of(window, settled, study_of(("day", "d", DAY), ("larvae", "", LARVAE)))
    assert page.how.use_counts.isVisible()
    page.choose("exponential-decay")
    settled()
    ordinary = page.fit.result.coefficients["k"].value
    qtbot.mouseClick(page.how.use_counts, LEFT)
    settled()
    assert page.fit.recipe.noise == "poisson"
    assert page.fit.result.coefficients["k"].value != ordinary
    assert not page.how.use_counts.isVisible()
    assert "y are counts, greatest likelihood" in page.how.sentence.text()
    assert "of the deviance of larvae" in page.findings.sentence.text()
    assert page.plot.lower.getAxis("left").title == "Deviance residual"
    np.testing.assert_array_equal(page.plot.residual_marks.ys, page.fit.result.details.signed_deviance)
    noises = {entry.fit.recipe.noise for entry in page.filler.entries if entry.fit}
    assert noises == {"poisson"}
    text = "".join(block.text for block in report_document(window.session.study).section("method").blocks)
    assert text.startswith("The greatest likelihood of Poisson counts")
    window.session.undo()
    settled()
    assert page.fit.result.coefficients["k"].value == ordinary
    assert page.plot.lower.getAxis("left").title == "Residual"


def test_shares_need_their_number_of_trials(window, qtbot, settled):
    """Without a column for it the page says what to do; with one it is fitted, in per cent, too."""
    salt = np.linspace(0, 11, 12)
    share = np.random.default_rng(2).binomial(20, 1 / (1 + np.exp(salt - 6))) * 5.0
    study = study_of(("salinity", "g/L", salt), ("sprouted", "%", share), ("seeds", "", np.full(12, 20)))
    study = edits.add_formula(study, "s1", "sprouted = 100/(1 + exp((salinity - m)/w))")
    page = page_of(window, settled, study)
    page.how.open_choices(True)
    page.how.noise.kinds.setCurrentIndex(2)
    page.how.noise.kinds.activated.emit(2)
    settled()
    assert "number of trials" in page.findings.sentence.text()
    columns = window.session.series.columns
    from dataclasses import replace

    window.session.do(
        "trials", edits.set_column(window.session.study, "s1", 2, replace(columns[2], role=Role.TRIALS))
    )
    settled()
    result = page.fit.result
    assert result.converged
    assert result.coefficients["m"].value == pytest.approx(6, abs=0.6)
    assert page.how.sentence.text().startswith("All 12 rows, y are shares of the number in seeds")
    # In shares of 1 the answer is the same.
    plain = study_of(("salinity", "g/L", salt), ("sprouted", "", share / 100), ("seeds", "", np.full(12, 20)))
    plain = edits.set_column(plain, "s1", 2, replace(plain.series[0].columns[2], role=Role.TRIALS))
    plain = edits.add_formula(plain, "s1", "sprouted = 1/(1 + exp((salinity - m)/w))")
    plain = edits.change_fit(plain, plain.curves[0].changed(noise="binomial"))
    assert derive_fit(plain, plain.curves[0].id).result.values == pytest.approx(result.values, rel=1e-7)


def test_what_scatters_otherwise_is_not_taken_for_counts():
    """Whole numbers that scatter far less or far more than counts, or not at all, are left alone."""
    rng = np.random.default_rng(1)
    assert looks_counted(DAY, LARVAE)
    assert not looks_counted(DAY, np.round(1000 * np.exp(-DAY / 4)))
    assert not looks_counted(DAY, np.round(100 + 60 * rng.normal(size=30)).clip(0))
    assert not looks_counted(DAY, LARVAE - 3)
    assert not looks_counted(DAY, LARVAE / 2)
    assert not looks_counted(DAY[:5], LARVAE[:5])
    assert not looks_counted(DAY, np.zeros(30))
