"""The degree ladder suggests the degree that data were made with."""

import numpy as np
import pytest

import vettore.core as core
from vettore.core.fitting.after.ladder import ladder
from vettore.core.rounding import NumberStyle
from vettore.words.fits import degree_reason


def rungs(x, y, most=8):
    return ladder({d: core.fit_polynomial(x, y, d) for d in range(most + 1)})


def test_the_degree_of_the_truth_is_suggested_for_most_practice_sets():
    """The true degree, or a simpler one that the scatter cannot tell from it; errors are those of refits."""
    x, hits = np.linspace(-1, 1, 40), 0
    for seed in range(16):
        noise = np.random.default_rng(seed).normal(0, 0.1, 40)
        found = rungs(x, 1 - 2 * x + 3 * x**3 + noise)
        hits += found.suggested == 3
        assert found.suggested <= found.lowest
    assert hits >= 13
    missed = []
    for i in range(40):
        keep = np.arange(40) != i
        y = 1 - 2 * x + 3 * x**3 + noise
        missed.append(y[i] - core.fit_polynomial(x[keep], y[keep], 2).curve(x[i]))
    assert found.rungs[2].left_one_out_error == pytest.approx(np.sqrt(np.mean(np.square(missed))), rel=1e-9)
    assert "within what the scatter allows" in degree_reason(found, NumberStyle()) or found.lowest == 3


def test_exact_data_few_rows_and_no_rows_to_spare():
    """Rounding asks for no higher degree; a degree through all points has no error; nothing to judge is said."""
    x = np.arange(8.0)
    assert rungs(x, 1 + x**2, 5).suggested == 2
    assert rungs(x[:4], np.array([1.0, 3.0, 2.0, 5.0]), 3).rungs[3].left_one_out_error is None
    with pytest.raises(core.DataError, match="too few rows"):
        ladder({1: core.fit_polynomial([0.0, 1.0], [1.0, 2.0], 1)})
