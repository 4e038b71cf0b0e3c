"""Limits of decision, detection and quantification, and standard additions: against the closed forms, and by simulation."""

import math

import numpy as np
import pytest
from scipy.stats import t as student

from tests.study.test_readings import study_of
from vettore.core.errors import DataError
from vettore.core.rounding import NumberStyle
from vettore.files.study_file import study_bytes, study_from_bytes
from vettore.study import edits
from vettore.study import parts as parts_of
from vettore.study.derive import derive_fit, derive_reading
from vettore.study.kinds.readings import (
    AdditionReading,
    DecisionReading,
    DetectionReading,
    FormulaReading,
    Problem,
    QuantificationReading,
    read,
)
from vettore.study.kinds.readings.detection import scatter_near
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table
from vettore.words import readings as words

STYLE = NumberStyle()
X = np.repeat([0.0, 2.0, 4.0, 6.0, 8.0, 10.0], 3)


def calibration(slope=4.0, seed=5, blank=3.0):
    y = blank + slope * X + 0.6 * np.random.default_rng(seed).normal(size=len(X))
    return study_of(X, y)


def parts(study):
    """Intercept, slope, s, freedom, and the squared standard error at 0 in units of s²."""
    fit = derive_fit(study, study.curves[-1].id)
    a, b = fit.result.values
    s, freedom = fit.result.residual_sd, fit.result.degrees_of_freedom
    sxx = np.sum((X - X.mean()) ** 2)
    return fit, a, b, s, freedom, 1 / len(X) + X.mean() ** 2 / sxx


@pytest.mark.parametrize("slope", [4.0, -4.0])
@pytest.mark.parametrize("times", [1, 3])
def test_limits_of_a_line_are_those_of_the_standard(slope, times):
    """ISO 11843-2 for even scatter: x = f·(s/b)·√(1/K + 1/n + x̄²/Sxx) with f = t, 2t and 10; falling signals too."""
    fit, _a, b, s, freedom, at_blank = parts(calibration(slope))
    quantile = student.ppf(0.95, freedom)
    for kind, factor in (
        (DecisionReading, quantile),
        (DetectionReading, 2 * quantile),
        (QuantificationReading, 10.0),
    ):
        (asked,) = kind.typed(str(times), fit.recipe.id)
        said = read(fit, asked)
        assert said.value == pytest.approx(factor * s / abs(b) * math.sqrt(1 / times + at_blank), rel=1e-9)
        assert said.beyond is False
        # Its own ±: that of the slope, and that of s known from so many rows.
        by_slope = said.value * fit.result.coefficients["a1"].standard_error / abs(b)
        assert said.standard_error == pytest.approx(
            math.hypot(by_slope, said.value / math.sqrt(2 * freedom)), rel=1e-9
        )


def test_errors_of_both_kinds_are_made_as_often_as_is_said():
    """2,000 calibrations: samples of nothing are told from none in 5 % of cases, those at the true limit in 95 %."""
    rng = np.random.default_rng(8)
    wrong = found = 0
    true_limit = 2 * student.ppf(0.95, 16) * 0.6 / 4.0 * math.sqrt(1 + parts(calibration())[5])
    runs = 400
    for run in range(runs):
        fit = derive_fit(calibration(seed=run), "c2")
        limit = read(fit, DecisionReading(curve="c2")).value
        for amount in (0.0, true_limit):
            signals = 3.0 + 4.0 * amount + 0.6 * rng.normal(size=5)
            told = (signals - fit.result.values[0]) / fit.result.values[1] > limit
            if amount:
                found += told.sum()
            else:
                wrong += told.sum()
    assert wrong / (5 * runs) == pytest.approx(0.05, abs=0.02)
    assert found / (5 * runs) == pytest.approx(0.95, abs=0.025)


def test_rows_with_their_own_scatter_count_by_those_near_none():
    """With known ± of y the scatter at 0 is that of the rows at 0; bent curves have limits, too."""
    plain = derive_fit(calibration(), "c2")
    sigma = np.where(X == 0, 0.2, 0.2 + 0.1 * X)
    columns = (RawColumn("t", "min", X), RawColumn("c", "", plain.result.y), RawColumn("± c", "", sigma))
    study = edits.add_series(Study(), Table(columns, Source("made")), "made")
    study = edits.add_fit(study, "s1", 1)
    study = parts_of.change(study, study.curves[0].changed(use_errors=True))
    fit = derive_fit(study, study.curves[-1].id)
    assert scatter_near(fit, 0.0) == pytest.approx(0.2 * fit.result.residual_sd)
    limit = read(fit, DetectionReading(curve="c2"))
    assert 0 < limit.value < read(plain, DetectionReading(curve="c2")).value
    bent = edits.add_formula(
        study_of(X, 3 + 20 * X / (4 + X) + 0.05 * np.sin(9 * X + np.arange(18))), "s1", "c = b + A*t/(k + t)"
    )
    fit = derive_fit(bent, "c2")
    said = read(fit, QuantificationReading(curve="c2"))
    blank, error = float(fit.curve(0.0)), float(fit.curve.standard_error(0.0))
    wanted = blank + 10 * math.hypot(fit.result.residual_sd, error)
    assert float(fit.curve(said.value)) == pytest.approx(wanted, rel=1e-9)


def test_additions_tell_what_was_in_the_sample():
    """a/b with (s/b)·√(1/n + ȳ²/(b²Sxx)); a line through 0 from below, or one that never meets 0, has none."""
    fit, a, b, s, _freedom, _ = parts(calibration(blank=9.0))
    said = read(fit, AdditionReading(curve="c2"))
    assert said.value == pytest.approx(a / b, rel=1e-12)
    sxx, mean = np.sum((X - X.mean()) ** 2), float(np.mean(fit.result.y))
    assert said.standard_error == pytest.approx(s / b * math.sqrt(1 / len(X) + (mean / b) ** 2 / sxx), rel=1e-9)
    assert said.places == ((-said.value, 0.0),)
    assert words.reading_answer(fit, said, STYLE).startswith("t = 2.249 ± 0.086 min")
    level = edits.add_formula(study_of(X, 5 + 0 * X + 0.1 * np.cos(X + np.arange(18))), "s1", "c = A + 0*t")
    assert read(derive_fit(level, level.curves[-1].id), AdditionReading(curve="c2")).problem is Problem.NO_VALUE


def test_they_are_typed_kept_and_used_in_formulas(run, tmp_path):
    """In a study, in a formula by their names, and on the command line with the same numbers."""
    study = calibration()
    (asked,) = DetectionReading.typed("2", "c2")
    study = edits.keep(study, asked.changed(name="LD"))
    study = edits.keep(study, FormulaReading(curve="c2", formula="mass = 50*LD"))
    again = study_from_bytes(study_bytes(study), "a.vettore")
    assert again.readings == study.readings
    alone, mass = (derive_reading(again, reading) for reading in again.readings)
    assert (mass.value, mass.standard_error) == pytest.approx((50 * alone.value, 50 * alone.standard_error))
    fit = derive_fit(again, "c2")
    question = words.reading_question(fit, asked, STYLE)
    assert question == "t that is found in 95 % of cases, measured 2 times"
    for wrong in ("0", "1.5", "often"):
        with pytest.raises(DataError, match="no number of measurements"):
            DetectionReading.typed(wrong, "c2")
    rows = "\n".join(f"{x},{y!r}" for x, y in zip(X, fit.result.y.tolist(), strict=True))
    (tmp_path / "a.csv").write_text(f"t,c\n{rows}\n")
    code, out, _ = run("fit", tmp_path / "a.csv", "--degree", 1, "--limits", 2, "--additions")
    assert code == 0
    assert f"{STYLE.pair(alone.value, alone.standard_error)}" in out
    for told in (
        "decision limit",
        "quantification limit",
        "in the sample before additions",
    ):
        assert told in out
