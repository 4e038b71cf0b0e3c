"""Readings carry the uncertainty of the coefficients they share, and numbers made from them carry it on."""

import numpy as np
import pytest

from vettore.core.cells.typed import limits_in, measured_in, numbers_in
from vettore.core.errors import DataError
from vettore.core.fitting.after.propagate import propagate
from vettore.core.rounding import NumberStyle
from vettore.study import edits
from vettore.study.derive import derive_fit, derive_reading
from vettore.study.kinds.readings import (
    READINGS,
    AreaReading,
    FormulaReading,
    PlaceReading,
    SlopeReading,
    SteepestReading,
    TurnsReading,
    ValueReading,
    read,
)
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table
from vettore.words import readings as words


def study_of(x, y, model="", degree=1, units=("min", "mg/L")):
    columns = (RawColumn("t", units[0], np.asarray(x)), RawColumn("c", units[1], np.asarray(y)))
    study = edits.add_series(Study(), Table(columns, Source("made")), "made")
    return edits.add_model(study, "s1", model) if model else edits.add_fit(study, "s1", degree)


@pytest.fixture
def decay():
    t = np.linspace(0, 60, 25)
    return study_of(t, 8 * np.exp(-0.05 * t) + 0.1 * np.sin(9 * t), "exponential-decay")


def keep(study, kind, **asked):
    return edits.keep(study, kind(curve=study.curves[0].id, **asked))


def test_numbers_of_readings_and_coefficients_agree_with_those_worked_out_alone(decay):
    """A formula over readings has the value and the error of the same quantity over coefficients, correlation and all."""
    study = keep(decay, AreaReading, at=0.0, to=30.0, name="area")
    study = keep(study, ValueReading, at=0.0, name="start")
    study = keep(study, SlopeReading, at=0.0, name="fall")
    study = keep(study, PlaceReading, at=4.0, name="half", exact=True)
    fit = derive_fit(study, study.curves[0].id)
    for text, alone in (
        ("area", "A*(1 - exp(-k*30))/k"),
        ("Q = -fall/start", "k"),
        ("start - A", "0*A"),
        ("half*k", "ln(A/4)"),
        ("M/area where M = 500 ± 0 mg", "500*k/(A*(1 - exp(-k*30)))"),
    ):
        made = read(fit, FormulaReading(curve=fit.recipe.id, formula=text), study.readings)
        told = propagate(alone, fit.result)
        assert made.value == pytest.approx(told.value, rel=1e-9, abs=1e-9), text
        assert made.standard_error == pytest.approx(told.standard_error, rel=1e-6, abs=1e-9), text
    assert made.unit == "L/min"
    typed = read(fit, FormulaReading(curve="", formula="3*M where M = 500 ± 2 mg"))
    assert (typed.value, typed.standard_error, typed.unit) == (1500.0, 6.0, "mg")


def test_a_polynomial_shares_its_spread_the_same_way():
    """The slope between two values of a line is the slope, and so is its error."""
    x = np.linspace(2, 9, 12)
    study = study_of(x, 3 + 2 * x + 0.1 * np.cos(7 * x))
    study = keep(study, ValueReading, at=1.0, name="low")
    study = keep(study, ValueReading, at=5.0, name="high")
    fit = derive_fit(study, study.curves[0].id)
    slope = fit.result.coefficients["a1"]
    made = read(fit, FormulaReading(curve=fit.recipe.id, formula="(high - low)/4"), study.readings)
    assert (made.value, made.standard_error) == pytest.approx((slope.value, slope.standard_error))
    own = read(fit, FormulaReading(curve=fit.recipe.id, formula="a1 - slope0 where slope0 = 2"), study.readings)
    assert own.standard_error == pytest.approx(slope.standard_error)


def test_a_calibration_is_read_backwards_from_replicate_signals():
    """x̂ and its error are those of inverse prediction: s/b·√(1/m + 1/n + (ȳ₀ − ȳ)²/(b²Σ(x − x̄)²))."""
    x = np.repeat([0.0, 5.0, 10.0, 20.0], 2)
    y = 2 + 0.5 * x + np.array([0.1, -0.1, 0.05, -0.02, -0.1, 0.08, 0.03, -0.04])
    study = study_of(x, y)
    fit = derive_fit(study, study.curves[0].id)
    signals = (6.1, 6.3, 6.2)
    said = read(fit, PlaceReading(curve=fit.recipe.id, at=float(np.mean(signals)), signals=signals))
    b, s = fit.result.coefficients["a1"].value, fit.result.residual_sd
    wanted = s / b * np.sqrt(1 / 3 + 1 / 8 + (6.2 - y.mean()) ** 2 / (b**2 * np.sum((x - x.mean()) ** 2)))
    assert said.crossings[0].standard_error == pytest.approx(wanted)
    alone = read(fit, PlaceReading(curve=fit.recipe.id, at=6.2))
    one = s / b * np.sqrt(1 + (wanted * b / s) ** 2 - 1 / 3)
    assert alone.crossings[0].standard_error == pytest.approx(one)
    exact = read(fit, PlaceReading(curve=fit.recipe.id, at=6.2, exact=True))
    assert exact.crossings[0].standard_error == pytest.approx(np.sqrt(wanted**2 - (s / b) ** 2 / 3))
    three = read(fit, PlaceReading(curve=fit.recipe.id, at=6.2, times=3))
    assert three.crossings[0].standard_error == pytest.approx(wanted)
    # Fieller's interval of a straight line, in closed form.
    from scipy.stats import t

    q, sxx, middle = t.ppf(0.975, 6), np.sum((x - x.mean()) ** 2), (6.2 - y.mean()) / b
    g = (q * s / b) ** 2 / sxx
    half = q * s / b * np.sqrt((1 + 1 / 8) * (1 - g) + middle**2 / sxx) / (1 - g)
    ends = (alone.crossings[0].low, alone.crossings[0].high)
    centre = x.mean() + middle / (1 - g)
    assert ends == pytest.approx((centre - half, centre + half), rel=1e-9)


def test_names_are_kept_apart_followed_and_refused(decay):
    """Renaming is followed by formulas; a missing value, a place that is no number and a taken name are said."""
    study = keep(decay, AreaReading, at=0.0, to=30.0, name="area")
    study = keep(study, AreaReading, at=0.0, to=60.0, name="area")
    assert [one.name for one in study.readings] == ["area", "area2"]
    study = keep(study, FormulaReading, formula="Q = M/area where M = 500 ± 2", name="Q")
    study = edits.rename_reading(study, study.readings[0].id, "early part")
    assert study.readings[2].formula == "Q = M/`early part` where M = 500 ± 2"
    assert derive_reading(study, study.readings[2]).value > 0
    with pytest.raises(DataError, match="already"):
        edits.rename_reading(study, study.readings[0].id, "area2")
    gone = edits.drop_reading(study, study.readings[0].id)
    assert "no value for early part" in derive_reading(gone, gone.readings[1]).refusal
    nothing = keep(study, PlaceReading, at=99.0, name="never")
    fit = derive_fit(nothing, nothing.curves[0].id)
    said = read(fit, FormulaReading(curve=fit.recipe.id, formula="2*never"), nothing.readings)
    assert said.value == pytest.approx(2 * read(fit, PlaceReading(at=99.0)).crossings[0].x)
    wave = study_of(np.linspace(0, 6, 30), np.sin(np.linspace(0, 6, 30)), degree=5)
    wave = keep(keep(wave, PlaceReading, at=0.2, name="often"), FormulaReading, formula="2*often")
    assert "often is not one number" in derive_reading(wave, wave.readings[1]).refusal
    circle = keep(study, FormulaReading, formula="loop + 1", name="loop")
    assert derive_reading(circle, circle.readings[-1]).problem


def test_typed_numbers():
    """Lists, ranges, limits, and a number with its ± and unit; slips are refused."""
    assert numbers_in("1; 2,5 3") == [1.0, 2.5, 3.0]
    assert numbers_in("0 .. 1 every 0,25") == [0.0, 0.25, 0.5, 0.75, 1.0]
    assert limits_in("10 to 60") == limits_in("10 … 60") == limits_in("10; 60") == (10.0, 60.0)
    assert measured_in("500,5 ± 2 mg/L") == (500.5, 2.0, "mg/L")
    assert measured_in("12 kg") == (12.0, None, "kg")
    for wrong, of in (("a", numbers_in), ("5 .. 1", numbers_in), ("10", limits_in), ("± 2", measured_in)):
        with pytest.raises(DataError, match=r"write|several"):
            of(wrong)


def test_every_kind_of_reading_has_words_and_says_them(decay):
    """Asked as it may be typed, kept and read, each kind has a question and an answer; none is forgotten."""
    texts = {PlaceReading: "4", AreaReading: "0 … 30", SteepestReading: "0 … 30", FormulaReading: "h = ln(2)/k"}
    style = NumberStyle()
    assert set(words.READINGS) == set(READINGS)
    fit = derive_fit(decay, decay.curves[0].id)
    for kind in READINGS:
        (asked,) = kind.typed(texts.get(kind, "10"), fit.recipe.id)
        said = read(fit, asked)
        assert words.READINGS[kind].label
        assert words.reading_question(fit, asked, style)
        assert words.reading_answer(fit, said, style)
        assert len(words.pennants(fit, said, style)) >= len(said.places)


def test_readings_in_words(decay):
    """What stands in findings and report, digit by digit, worked out by hand from A and k and their covariance."""
    fit = derive_fit(decay, decay.curves[0].id)
    style = NumberStyle()
    told = [
        words.reading_answer(fit, read(fit, reading), style)
        for reading in (
            ValueReading(at=10),
            PlaceReading(at=4),
            PlaceReading(at=99),
            SlopeReading(at=10),
            AreaReading(at=0, to=30),
            TurnsReading(),
            FormulaReading(formula="h = ln(2)/k"),
            FormulaReading(formula="2*k"),
        )
    ]
    assert told == [
        "c = 4.851 ± 0.021 mg/L",
        "t = 13.86 ± 0.38 min",
        "t = −50.36 ± 0.54 min",
        "slope = −0.2424 ± 0.0023 mg/L/min",
        "area = 124.26 ± 0.56 mg·min/L",
        "none over the data",
        "h = 13.87 ± 0.12 min",
        "number = 0.09994 ± 0.00090 1/min",
    ]
    assert words.reading_asides(read(fit, PlaceReading(at=99)), style).startswith("extrapolated")
    several = words.reading_question(fit, PlaceReading(at=4.2, signals=(4.1, 4.3)), style)
    assert several == "t where c = 4.2 mg/L, the mean of 2 signals"


def test_pennants_and_asides(decay):
    """What stands on the plot at each place, and beside an answer."""
    style = NumberStyle()
    fit = derive_fit(decay, decay.curves[0].id)

    def told(asked, of=fit):
        said = read(of, asked)
        return words.pennants(of, said, style), words.reading_asides(said, style)

    assert told(ValueReading(at=10.2)) == (["4.802 ± 0.021 mg/L"], "neighbours 4.941644944 · 4.225847289")
    assert told(PlaceReading(at=4)) == (["13.86 ± 0.38 min"], "95 %: 13.09 … 14.66   one signal")
    level = "95 %: 13.657 … 14.062   an exact level: the ± is the curve's alone"
    assert told(PlaceReading(at=4, exact=True)) == (["13.859 ± 0.098 min"], level)
    assert told(PlaceReading(at=4.2, signals=(4.1, 4.3)))[0] == ["12.88 ± 0.26 min"]
    assert told(PlaceReading(at=4.2, times=2))[0] == ["12.88 ± 0.26 min"]
    precise = PlaceReading(at=4.2345678, signals=(4.1345678, 4.3345678))
    assert told(precise)[1].endswith("   mean of 2 signals 4.2346")
    assert "c = 4.2346 mg/L, the mean" in words.reading_question(fit, precise, style)
    assert told(SlopeReading(at=10)) == (["slope −0.2424 ± 0.0023 mg/L/min"], "")
    assert told(AreaReading(at=0, to=90)) == (["area 158.2 ± 1.0 mg·min/L"], "extrapolated")
    assert told(FormulaReading(formula="2*k")) == (["0.09994 ± 0.00090 1/min"], "")
    assert words.pennants(fit, read(fit, FormulaReading(formula="2*q")), style) == []
    x = np.linspace(0, 6, 30)
    wave = study_of(x, np.sin(x), degree=5)
    turning = derive_fit(wave, wave.curves[0].id)
    said = read(turning, TurnsReading())
    assert words.pennants(turning, said, style) == ["maximum 1.005 mg/L", "minimum −1.002 mg/L"]
    assert (
        words.reading_answer(turning, said, style)
        == "maximum at 1.560 min, 1.005 mg/L; minimum at 4.721 min, −1.002 mg/L"
    )
    assert told(PlaceReading(at=0.2), turning)[1] == "5 places   one signal"
