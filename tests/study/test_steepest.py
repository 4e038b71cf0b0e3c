"""The x of steepest slope: its value and ± against the formula of the model, its words, and a study that keeps it."""

import numpy as np
import pytest

from tests.study.test_readings import study_of
from vettore.core.rounding import NumberStyle
from vettore.files.study_file import study_bytes, study_from_bytes
from vettore.study import edits
from vettore.study.derive import derive_fit, derive_reading
from vettore.study.kinds.readings import FormulaReading, SteepestReading, read
from vettore.words import readings as words


@pytest.fixture
def rise():
    t = np.linspace(0, 40, 41)
    y = 5 / (1 + np.exp(-(t - 17) / 3)) + 0.05 * np.sin(7 * t)
    return edits.add_formula(study_of(t, y), "s1", "c = A/(1 + exp(-(t - m)/w))")


def test_the_steepest_place_of_a_logistic_rise_is_its_middle(rise):
    """f″ = 0 at t = m, so that the reading has the value and the standard error of the coefficient m."""
    fit = derive_fit(rise, rise.curves[-1].id)
    said = read(fit, SteepestReading(at=5, to=35))
    middle = fit.result.coefficients["m"]
    assert said.value == pytest.approx(middle.value, rel=1e-7)
    assert said.standard_error == pytest.approx(middle.standard_error, rel=1e-4)
    A, _, w = fit.result.values
    assert said.slope == pytest.approx(A / (4 * w), rel=1e-9)
    assert said.places[0] == pytest.approx((middle.value, A / 2), rel=1e-6)


def test_at_an_end_there_is_no_uncertainty_and_it_is_said(rise):
    """Up to t = 10 the slope rises to the end of the range."""
    fit, style = derive_fit(rise, rise.curves[-1].id), NumberStyle()
    said = read(fit, SteepestReading(at=0, to=10))
    assert (said.value, said.standard_error) == (10.0, None)
    assert words.reading_asides(said, style) == "at an end of the range"
    assert words.reading_answer(fit, said, style) == "t = 10.000 min"


def test_it_is_typed_kept_used_in_formulas_and_saved(rise):
    """Typed as a range, by its name in a formula, and the same from a file."""
    curve = rise.curves[-1].id
    (asked,) = SteepestReading.typed("35 … 5", curve)
    study = edits.keep(rise, asked.changed(name="steep"))
    study = edits.keep(study, FormulaReading(curve=curve, formula="twice = 2*steep"))
    again = study_from_bytes(study_bytes(study), "a.vettore")
    assert again.readings == study.readings
    alone, twice = (derive_reading(again, reading) for reading in again.readings)
    assert (twice.value, twice.standard_error) == pytest.approx((2 * alone.value, 2 * alone.standard_error))
    style = NumberStyle()
    fit = derive_fit(again, curve)
    assert words.reading_question(fit, asked, style) == "steepest t from 5 to 35 min"
    assert words.reading_answer(fit, alone, style) == "t = 17.007 ± 0.036 min"
