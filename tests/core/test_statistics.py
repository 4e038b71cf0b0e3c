"""A column in numbers, to the last digits."""

import json
from pathlib import Path

import numpy as np
import pytest

import vettore.core as core
from vettore.core.columns.statistics import histogram

SETS = json.loads((Path(__file__).parents[1] / "reference" / "univariate.json").read_text())["sets"]


@pytest.mark.parametrize("name", SETS)
def test_reference_columns_agree_to_twelve_digits(name):
    """Mean and standard deviation hold on columns made to break single-pass sums."""
    known = SETS[name]
    found = core.describe(known["values"])
    assert found.count == known["n"]
    assert found.mean == pytest.approx(known["mean"], rel=1e-12)
    assert found.standard_deviation == pytest.approx(known["sample_sd"], rel=1e-12)


def test_blanks_are_counted_and_quartiles_are_linear():
    """Blank and infinite values are left out; the quartiles agree with an independent witness."""
    values = np.array([5.0, np.nan, 1.0, 9.0, np.inf, 2.5, 7.25])
    found = core.describe(values)
    used = values[np.isfinite(values)]
    assert (found.count, found.blank) == (5, 2)
    np.testing.assert_allclose(
        [found.lower_quartile, found.median, found.upper_quartile], np.quantile(used, [0.25, 0.5, 0.75])
    )
    assert (found.sum, found.minimum, found.maximum) == (used.sum(), 1.0, 9.0)
    assert core.describe([3.0]).standard_deviation is None
    with pytest.raises(core.DataError, match="no number"):
        core.describe([np.nan, None])


def test_histogram_counts_every_value():
    """No value falls outside the bars, whatever the shape of the column."""
    rng = np.random.default_rng(0)
    for values in (rng.normal(size=500), np.ones(4), np.array([1.0]), rng.integers(0, 2, 30) * 1.0):
        counts, edges = histogram(values)
        assert counts.sum() == len(values)
        assert len(edges) == len(counts) + 1
