"""Fits side by side in words: the verdict at its thresholds, and the row of each in the table."""

from dataclasses import replace

import numpy as np
import pytest

from vettore import core
from vettore.core.fitting.after.compare import compare
from vettore.core.rounding import NumberStyle
from vettore.words.comparison import compared_row, comparison_words

STYLE = NumberStyle()
X = np.arange(30.0)
NOISE = np.random.default_rng(2).normal(0, 1, 30)


@pytest.fixture(scope="module")
def pair():
    """A line and a quadratic through a line with noise: the line is the simpler of two equally good ones."""
    data = {"x": X, "y": 2 * X + 1 + NOISE}
    return compare({f"degree {degree}": core.fit_polynomial(X, data["y"], degree) for degree in (1, 2)})


def told(pair, first=None, second=None):
    return comparison_words([replace(pair[0], **(first or {})), replace(pair[1], **(second or {}))], STYLE)


def test_equally_good_models_are_called_so(pair):
    """The gap in AICc is told; the simpler is named only where it is simpler than all others."""
    gap = STYLE.number(pair[1].difference, 2)
    assert [one.equal for one in pair] == [True, True]
    words = f"degree 1 and degree 2 are equally good here (AICc differs by {gap}, less than 2)"
    assert comparison_words(pair, STYLE) == f"{words}; degree 1 is the simpler."
    same = replace(pair[1], result=pair[0].result)
    assert comparison_words([pair[0], same], STYLE) == f"{words}."


def test_the_favoured_model_is_told_with_how_much(pair):
    """By the ratio of the weights; below a thousandth nothing is left to share."""
    worse = {"equal": False, "difference": 5.0, "weight": 0.07}
    favoured = "degree 1 is favoured: 13 times the evidence of degree 2, which comes next."
    assert told(pair, {"weight": 0.93}, worse) == favoured
    assert told(pair, {"weight": 0.999}, worse | {"weight": 0.001}).startswith("degree 1 is favoured: 999 times")
    practically = "degree 1 has practically all of the evidence; degree 2 comes next."
    assert told(pair, {"weight": 0.9991}, worse | {"weight": 0.0009}) == practically
    assert told(pair, {}, worse | {"difference": np.inf}) == practically
    assert comparison_words(pair[:1], STYLE) == "degree 1 is the only model here."


def test_a_row_has_the_figures_of_its_fit(pair):
    """Name, coefficients, s, R², leave-one-out error, ΔAICc, weight; R² near 1 has six places, small weights a sign."""
    first, result = pair[0], pair[0].result
    row = compared_row(first, STYLE)
    assert row[:2] == ("degree 1", "2")
    numbers = (result.residual_sd, result.left_one_out_error, first.difference)
    assert (row[2], row[4], row[5]) == tuple(
        STYLE.number(number, digits) for number, digits in zip(numbers, (4, 4, 3), strict=True)
    )
    assert row[3] == f"{first.r_squared_about_mean:.4f}"
    assert row[6] == f"{first.weight:.3f}"
    assert compared_row(replace(first, weight=0.001), STYLE)[6] == "0.001"
    assert compared_row(replace(first, weight=0.00099), STYLE)[6] == "< 0.001"
    (near,) = compare({"line": core.fit_polynomial(X, 2 * X + 1 + NOISE / 50, 1)})
    assert 0.9995 < near.r_squared_about_mean < 0.99999999
    assert compared_row(near, STYLE)[3] == f"{near.r_squared_about_mean:.6f}"


def test_models_at_the_threshold_of_equally_good():
    """A gap of exactly 2 is no longer equally good; the order puts the simpler of the equal ones first."""
    line, quadratic = (core.fit_polynomial(X, 2 * X + NOISE, degree) for degree in (1, 2))
    for gap, equal in ((1.75, True), (2.0, False), (2.25, False)):
        found = compare({"line": _Pinned(line, 16.0), "other": _Pinned(quadratic, 16.0 + gap)})
        assert {one.name: (one.difference, one.equal) for one in found} == {"line": (0, True), "other": (gap, equal)}
    better = compare({"other": _Pinned(quadratic, 15.0), "line": _Pinned(line, 16.0)})
    assert [one.name for one in better] == ["line", "other"]


class _Pinned:
    """A result with another AICc, to the last bit."""

    def __init__(self, result, aicc):
        self._result, self.aicc = result, aicc

    def __getattr__(self, name):
        return getattr(self._result, name)


def test_the_f_test_refuses_what_is_not_nested():
    """A larger model that fits worse by more than rounding does not contain the smaller."""
    line, quadratic = (core.fit_polynomial(X, 2 * X + NOISE, degree) for degree in (1, 2))
    from vettore.core.fitting.after.compare import nested_f

    told = nested_f(line, quadratic)
    s, t = float(np.sum(line.residuals**2)), float(np.sum(quadratic.residuals**2))
    assert told.f == pytest.approx((s - t) / (t / 27), rel=1e-9)
    worse = replace(quadratic, residuals=line.residuals * 1.001)
    with pytest.raises(ValueError, match="fits worse"):
        nested_f(line, worse)
    rounding = replace(quadratic, residuals=line.residuals * (1 + 1e-12))
    assert nested_f(line, rounding).f == 0.0
