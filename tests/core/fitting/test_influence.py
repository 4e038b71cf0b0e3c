"""When one row decides a curve: Cook's distance by the textbook, and a verdict that agrees with the figure beside it."""

import numpy as np
import pytest

from vettore import core

X = np.arange(12.0)


def line(lift):
    """A line whose last row is lifted."""
    y = 1 + 0.5 * X + 0.2 * np.random.default_rng(6).normal(size=12)
    y[-1] += lift
    return core.fit("y = a + b*x", {"x": X, "y": y})


def cook(fit):
    """Cook (1977): r² h / (p s² (1 − h)²)."""
    h = 1 / 12 + (X - X.mean()) ** 2 / np.sum((X - X.mean()) ** 2)
    return fit.residuals**2 * h / (2 * fit.residual_sd**2 * (1 - h) ** 2)


def influence(fit):
    return next(check for check in core.checks(fit) if check.kind.value == "influence")


@pytest.mark.parametrize("wanted", [1.1, 1.4, 1.7, 2.0])
def test_a_row_that_moves_the_curve_is_at_least_looked_at(wanted):
    low, high = 1.0, 12.0
    for _ in range(20):
        middle = (low + high) / 2
        low, high = (middle, high) if cook(line(middle)).max() < wanted else (low, middle)
    fit = line(high)
    assert cook(fit).max() == pytest.approx(wanted, rel=1e-3)
    told = influence(fit)
    assert told.figures["largest"] == pytest.approx(cook(fit).max(), rel=1e-9)
    assert told.figures["limit"] == 1.0
    assert told.figures["largest"] > told.figures["limit"]
    assert told.verdict != "good"
    assert (list(told.rows)[:1], list(told.numbers)[:1]) == ([11], [12])


def test_where_no_row_stands_out_the_verdict_is_good():
    told = influence(line(0.0))
    assert told.figures["largest"] < told.figures["limit"]
    assert told.verdict == "good"
