"""Practice data are what they say: reproducible, with the stated noise, and with their truth attached."""

import numpy as np
import pytest

import vettore.core as core
from vettore.core.columns.practice_data import practice_x

FORMULA, TRUE = "y = A*exp(-k*t) + C", {"A": 6.0, "k": 0.04, "C": 2.0}


def test_the_same_seed_gives_the_same_rows_and_the_truth_is_told():
    """Rows follow from the seed alone; without noise they are the formula."""
    t = practice_x(0, 100, 50)
    one, two = (core.practice(FORMULA, TRUE, x=t, noise=0.1, seed=7) for _ in range(2))
    np.testing.assert_array_equal(one.y, two.y)
    assert not np.array_equal(one.y, core.practice(FORMULA, TRUE, x=t, noise=0.1, seed=8).y)
    np.testing.assert_allclose(core.practice(FORMULA, TRUE, x=t).y, 6 * np.exp(-0.04 * t) + 2, rtol=1e-15)
    assert (one.x_name, one.y_name, dict(one.values)) == ("t", "y", TRUE)


@pytest.mark.parametrize(("kind", "spread"), [("normal", 0.5), ("uniform", 0.5 / np.sqrt(3)), ("relative", 0.5 * 4)])
def test_the_noise_has_its_size(kind, spread):
    """Standard deviation, half width and share of y come out as asked, within sampling."""
    made = core.practice("y = a", {"a": 4.0}, x=np.arange(40_000.0), noise=0.5, kind=kind)
    assert np.std(made.y - made.true_y) == pytest.approx(spread, rel=0.02)
    counts = core.practice("y = a", {"a": 4.0}, x=np.arange(40_000.0), kind="Poisson").y
    assert np.var(counts) == pytest.approx(4.0, rel=0.05)


def test_outliers_stand_far_off_and_are_named():
    """Exactly the named rows are moved, each by at least eight times the noise."""
    plain = core.practice(FORMULA, TRUE, x=np.linspace(0, 90, 80), noise=0.05, seed=3)
    moved = core.practice(FORMULA, TRUE, x=np.linspace(0, 90, 80), noise=0.05, seed=3, outliers=4)
    changed = np.flatnonzero(plain.y != moved.y)
    assert tuple(changed) == moved.outliers
    assert np.abs(moved.y - plain.y)[changed].min() >= 8 * 0.05


def test_x_can_be_spread_three_ways():
    """Even, random and logarithmic x keep to their range."""
    assert practice_x(0, 10, 5).tolist() == [0, 2.5, 5, 7.5, 10]
    random = practice_x(2, 3, 100, "random", seed=4)
    assert (random.min() >= 2) & (random.max() <= 3) & (np.diff(random) >= 0).all()
    np.testing.assert_allclose(practice_x(1, 100, 3, "logarithmic"), [1, 10, 100])


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"values": {"A": 1.0}}, "has no value"),
        ({"values": {**TRUE, "B": 1.0}}, "does not stand"),
        ({"noise": -1}, "not be negative"),
        ({"formula": "y = A*ln(t)*k*C"}, "no value at t = 0"),
        ({"x": []}, "at least one number"),
        ({"formula": "y = -A*exp(k*t)*C", "kind": "Poisson"}, "never negative"),
    ],
)
def test_refusals(change, words):
    """What cannot be made is said in a sentence."""
    with pytest.raises(core.DataError, match=words):
        core.practice(**{"formula": FORMULA, "values": TRUE, "x": [0.0, 1.0], **change})


def test_relations_agree_with_a_witness():
    """Covariance and both correlations agree with numpy, blanks left out pairwise, ties by mean rank."""
    rng = np.random.default_rng(1)
    a, b = rng.normal(size=80), rng.integers(0, 9, 80).astype(float)
    found = core.relation(np.append(a, np.nan), np.append(b, 1.0))
    assert found.count == 80
    assert found.covariance == pytest.approx(np.cov(a, b)[0, 1], rel=1e-12)
    assert found.correlation == pytest.approx(np.corrcoef(a, b)[0, 1], rel=1e-12)
    from scipy.stats import spearmanr

    assert found.rank_correlation == pytest.approx(spearmanr(a, b).statistic, rel=1e-12)
    assert core.relation([1, 1], [2, 3]).correlation is None
