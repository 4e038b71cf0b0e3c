"""The line-up: every plausible model on the same rows, best first, simpler first among equals, twins once."""

import numpy as np
import pytest

from vettore.core.columns.practice_data import practice
from vettore.demo.study import demo_study
from vettore.study import edits
from vettore.study.fitting.line_up import BY_DEGREE, degrees, plausible, ranked, try_models
from vettore.study.kinds.polynomial_fit import PolynomialFit
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table


def series_of(formula, true, x, noise=0.05, seed=3):
    made = practice(formula, true, x=x, noise=noise, seed=seed)
    table = Table((RawColumn("x", "", made.x), RawColumn("y", "", made.y)), Source("practice"))
    return edits.add_series(Study(), table, "one").series[0]


def best_of(series):
    recipe = PolynomialFit(series=series.id, degree=1)
    return ranked(try_models(series, recipe, (*degrees(recipe), *plausible(series))))


@pytest.mark.parametrize(
    ("formula", "true", "key"),
    [
        ("y = A*exp(-k*x) + C", {"A": 6, "k": 0.12, "C": 2}, "exponential-decay-level"),
        ("y = a + b*x", {"a": 1, "b": 0.4}, 1),
        ("y = V*x/(K + x)", {"V": 9, "K": 7}, "saturation"),
        ("y = A*exp(-(x - m)^2/(2*s^2)) + C", {"A": 6, "m": 20, "s": 4, "C": 1}, "gaussian-level"),
        ("y = A*sin(w*x + p) + C", {"A": 3, "w": 0.6, "p": 1, "C": 5}, "sine"),
    ],
)
def test_the_model_that_made_the_data_is_among_the_best(formula, true, key):
    """First, or as good as the first."""
    order = best_of(series_of(formula, true, np.linspace(1, 40, 60)))
    assert key in [one.entry.key for one in order if one.equal]
    assert sum(one.weight for one in order) == pytest.approx(1)
    equal = [one.entry.fit.result.degrees_of_freedom for one in order if one.equal]
    assert equal == sorted(equal, reverse=True)


def test_no_curve_stands_twice_and_what_x_forbids_is_not_tried():
    """A decay with a negative rate is the growth; a logarithm needs x above zero."""
    order = best_of(series_of("y = A*exp(k*x) + C", {"A": 0.5, "k": 0.08, "C": 3}, np.linspace(1, 40, 40)))
    keys = [one.entry.key for one in order]
    assert "exponential-growth-level" in keys
    assert "exponential-decay-level" not in keys
    from_zero = plausible(series_of("y = a + b*x", {"a": 1, "b": 2}, np.linspace(0, 9, 30)))
    assert "logarithmic" not in from_zero
    assert not BY_DEGREE & set(from_zero)


def test_the_line_up_stops_when_asked_and_looks_at_some_rows_of_many():
    """A stopped line-up returns what it has; 50,000 rows are tried on 1,500 of them."""
    series = next(one for one in demo_study().series if one.name.startswith("Oxygen"))
    recipe = PolynomialFit(series=series.id, degree=1)
    assert try_models(series, recipe, (1, 2), stopped=lambda: True) == ()
    long = series_of("y = a + b*x", {"a": 1, "b": 2}, np.linspace(0, 9, 50_000))
    (entry,) = try_models(long, PolynomialFit(series=long.id, degree=1), ("saturation",))
    assert entry.fit is None or entry.fit.result.n == 1_500
