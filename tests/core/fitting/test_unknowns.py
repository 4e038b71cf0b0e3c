"""Many unknowns off one calibration: as each read alone, by Fieller's interval, diluted, recovered, and refused."""

import math

import numpy as np
import pytest
from scipy import stats

from vettore import core

RNG = np.random.default_rng(2)
X = np.repeat([0, 1, 2, 4, 6, 8, 10.0], 2)
Y = 0.1 + 0.3 * X + RNG.normal(0, 0.03, 14)
LINE = core.fit("y = a + b*x", {"x": X, "y": Y})


def fieller(signals, level=0.95):
    """The interval of a straight line by the textbook (Draper & Smith 1998, §3.2)."""
    n, m, y0 = len(X), len(signals), np.mean(signals)
    b, a = np.polyfit(X, Y, 1)
    s2 = np.sum((Y - a - b * X) ** 2) / (n - 2)
    t = stats.t.ppf((1 + level) / 2, n - 2)
    sxx = np.sum((X - X.mean()) ** 2)
    g = t**2 * s2 / (b**2 * sxx)
    x0 = (y0 - a) / b
    middle = X.mean() + (x0 - X.mean()) / (1 - g)
    half = t * math.sqrt(s2) / b / (1 - g) * math.sqrt((1 - g) * (1 / m + 1 / n) + (x0 - X.mean()) ** 2 / sxx)
    error = math.sqrt(s2 * (1 / m + 1 / n + (x0 - X.mean()) ** 2 / sxx)) / b
    return x0, error, middle - half, middle + half


def test_each_is_as_the_textbook_has_it():
    signals = [[0.5], [1.4, 1.45, 1.5], [2.9, math.nan, 2.8]]
    answer = core.unknowns(LINE, signals)
    wanted = np.array([fieller([0.5]), fieller([1.4, 1.45, 1.5]), fieller([2.9, 2.8])]).T
    assert answer.replicates.tolist() == [1, 3, 2]
    for mine, theirs in zip((answer.x, answer.standard_error, answer.low, answer.high), wanted, strict=True):
        assert mine == pytest.approx(theirs, rel=1e-9)
    assert core.unknowns(LINE, [1.4]).x[0] == core.unknowns(LINE, np.array([[1.4]])).x[0]


def test_what_is_to_be_said_stands_beside_it():
    answer = core.unknowns(LINE, [0.5, math.nan, 4.0, 3.07])
    assert answer.notes == ("", "no signal", "beyond the data", "range reaches beyond the data")
    assert answer.beyond.tolist() == [False, False, True, False]
    assert math.isnan(answer.x[1])
    bend = core.fit("y = V*x/(K + x)", {"x": X, "y": 5 * X / (2 + X) + RNG.normal(0, 0.03, 14)})
    far, never = core.unknowns(bend, [4.9, 9.0]).notes
    assert (far, never) == ("beyond the data", "no x has this signal")
    top = core.fit("y = a + b*x + c*x^2", {"x": X, "y": 25 - (X - 5) ** 2 + RNG.normal(0, 0.1, 14)})
    assert core.unknowns(top, [16.0]).notes == ("several x have this signal",)


def test_dilutions_recoveries_and_quality_samples():
    answer = core.unknowns(
        LINE,
        [1.6, 2.9, 1.6, 1.0],
        names=["pond", "pond", "check", "check 2"],
        dilution=[2, 2, 1, 1],
        added=[0, 8, 0, 0],
        nominal=[math.nan, math.nan, 5, 5],
    )
    x = [fieller([y])[0] for y in (1.6, 2.9, 1.6, 1.0)]
    assert answer.amount == pytest.approx([2 * x[0], 2 * x[1], x[2], x[3]])
    assert answer.amount_error == pytest.approx(answer.standard_error * [2, 2, 1, 1])
    assert answer.recovery[1:] == pytest.approx([100 * 2 * (x[1] - x[0]) / 8, 100 * x[2] / 5, 100 * x[3] / 5])
    assert answer.in_limits.tolist() == [True, True, True, False]
    assert answer.notes[3] == "outside the limits"
    # On a straight line x₁ − x₀ = (y₁ − y₀)/b, whose error is known without the curve.
    b, error_of_b = (getattr(LINE.coefficients["b"], name) for name in ("value", "standard_error"))
    exact = math.hypot(math.sqrt(2) * LINE.residual_sd / b, 1.3 / b**2 * error_of_b)
    assert answer.recovery_error[1] == pytest.approx(100 * 2 * exact / 8, rel=1e-9)


def test_a_signal_of_a_transformed_side_is_the_measured_one():
    y = np.exp(0.2 + 0.3 * X + RNG.normal(0, 0.02, 14))
    answer = core.unknowns(core.fit("ln(y) = a + b*x", {"x": X, "y": y}), [math.exp(1.7)])
    assert answer.x[0] == pytest.approx(5.0, abs=0.2)


@pytest.mark.parametrize(
    ("signals", "options", "sentence"),
    [
        ([], {}, "no signal to be read"),
        (["a"], {}, "The signals are numbers"),
        ([1.0, 2.0], {"names": ["A"]}, "names for 1"),
        ([1.0], {"dilution": [1, 2]}, "dilution for 2"),
        ([1.0], {"dilution": 0}, "above 0"),
        ([1.0], {"added": [3.0]}, "no 1 without it"),
    ],
)
def test_what_cannot_be_read_is_refused(signals, options, sentence):
    with pytest.raises(core.DataError, match=sentence):
        core.unknowns(LINE, signals, **options)
