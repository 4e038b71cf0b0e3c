"""The sentence about a fit never claims more than its figures, and numbers are written by one rule."""

import re

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import vettore.core as core
from vettore.core.rounding import NumberStyle
from vettore.study import edits
from vettore.study.derive import derive_fit
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table
from vettore.words.fits import summary, summary_of

STYLE = NumberStyle()


def sentence(x, y, degree=1, **options):
    fit = core.fit_polynomial(x, y, degree, **options)
    return fit, summary(fit, "Straight line" if degree == 1 else "Quadratic", "level", "cm", 1, STYLE)


@pytest.mark.parametrize("noise", [1e-9, 1e-4, 0.01, 0.5, 5.0, 100.0])
def test_the_share_explained_is_never_rounded_up(noise):
    """The percentage in the sentence is at most the true one, and near it."""
    rng = np.random.default_rng(int(noise * 1000) + 1)
    x = np.linspace(0, 10, 40)
    fit, words = sentence(x, 3 + x + rng.normal(0, noise, 40))
    said = re.search(r"(more than )?([\d.]+) %", words)
    assert float(said[2]) <= 100 * fit.r_squared + 1e-9
    assert ("only" in words) == (fit.r_squared < 0.5)
    assert "100 %" not in words
    assert words.endswith("One row is set aside.")


def test_special_situations_are_said():
    """Exact, saturated, constant and through-origin fits each get their own words."""
    assert "rounding only" in sentence([1, 2, 3, 4, 5], [2, 4, 6, 8, 10])[1]
    assert "passes through every point" in sentence([1, 2], [3, 5])[1]
    assert "same in every row" in sentence([1, 2, 3], [4, 4, 4])[1]
    assert "about zero" in sentence([1, 2, 3, 4], [1, 2.1, 2.9, 4], intercept=False)[1]
    assert "trust the ± only roughly" in sentence([1, 2, 3, 4], [1, 2.1, 2.9, 4])[1]


@given(st.floats(-1e12, 1e12), st.floats(1e-12, 1e9))
def test_value_and_uncertainty_end_at_the_same_place(value, error):
    """Read back, the value lies within one percent of its uncertainty of what it was, give or take rounding."""
    texts = [text.replace("−", "-") for text in STYLE.with_error(value, error)]
    powers = str.maketrans("⁻⁰¹²³⁴⁵⁶⁷⁸⁹", "-0123456789")
    read = [float(re.sub(r"·10(.*)", lambda m: "e" + m[1].translate(powers), text)) for text in texts]
    assert abs(read[0] - value) <= 0.06 * error + abs(value) * 1e-14 or error < abs(value) * 1e-13
    assert read[1] == pytest.approx(error, rel=0.06) or error < abs(value) * 1e-15
    if "·" not in texts[0]:
        assert len(texts[0].partition(".")[2]) == len(texts[1].partition(".")[2]) or error < abs(value) * 1e-13


@pytest.mark.parametrize(
    ("value", "error", "unit", "text"),
    [
        (6.42139, 0.05612, "mg/L", "6.421 ± 0.056 mg/L"),
        (0.0400712, 0.00104, "1/min", "0.0401 ± 0.0010 1/min"),
        (837.4, 11.2, "", "837 ± 11"),
        (12345.6, 234.0, "", "12350 ± 230"),
        (-2.5e-7, 3.1e-9, "s", "−2.500·10⁻⁷ ± 0.031·10⁻⁷ s"),
        (5.0, None, "m", "5.0000 m"),
        (0.0, 0.0, "", "0 ± 0"),
    ],
)
def test_pairs_as_people_write_them(value, error, unit, text):
    """Two significant digits of uncertainty, and the value to the same place."""
    assert STYLE.pair(value, error, unit) == text


def test_a_fit_over_a_span_says_which():
    """With four digits, in the name of x, and the decimal mark of the user."""
    table = Table((RawColumn("t", "s", np.arange(9.0)), RawColumn("y", "m", np.arange(9.0) ** 2)), Source("made"))
    study = edits.add_fit(edits.add_series(Study(), table, "a"), "s1", 1)
    study = edits.change_fit(study, study.curves[0].changed(span=(1.23456, 7.65432)))
    fit = derive_fit(study, study.curves[0].id)
    assert "t from 1.235 to 7.654" in summary_of(fit, NumberStyle())
    assert "t from 1,235 to 7,654" in summary_of(fit, NumberStyle(","))
