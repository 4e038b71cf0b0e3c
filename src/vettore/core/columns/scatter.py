"""Tests of a row of numbers: runs, neighbours, even spread, normality. Each returns a statistic and a probability.

Runs about zero: Wald & Wolfowitz (1940), normal approximation with a correction of a half. Lag-1 correlation: its
standard error for scatter without memory is 1/√n. Even spread: Breusch & Pagan (1979) in Koenker's (1981) form, here
on the ranks of |r| against a line, as Spearman's coefficient. Normality: Anderson & Darling (1952) with Stephens'
(1974) correction for an estimated mean and variance.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from vettore.core.arrays import Array

# After so many throws the recursion of runs goes on by a power.
MOST_THROWS = 20_000


def normal_two_sided(z: float) -> float:
    """Return the probability of a normal variable at least as far from zero."""
    return math.erfc(abs(z) / math.sqrt(2))


def runs(values: Array) -> tuple[int, float, float]:
    """Return the number of runs of like sign, the number expected by chance, and the probability of so few or many."""
    signs = np.sign(values)
    signs = signs[signs != 0]
    above, below = int(np.sum(signs > 0)), int(np.sum(signs < 0))
    n = above + below
    count = int(1 + np.sum(signs[1:] != signs[:-1])) if n else 0
    if not above or not below:
        return count, 1.0, 1.0 if n < 2 else 2.0 ** (1 - n)
    expected = 1 + 2 * above * below / n
    variance = 2 * above * below * (2 * above * below - n) / (n * n * (n - 1)) if n > 1 else 0.0
    if variance <= 0:
        return count, expected, 1.0
    off = max(abs(count - expected) - 0.5, 0.0)
    return count, expected, normal_two_sided(off / math.sqrt(variance))


def longest_run(values: Array) -> tuple[int, float]:
    """Return the length of the longest run of like sign, and the probability of one so long without memory.

    Signs without memory change or stay from row to row like a coin, and a run of k rows is k − 1 times staying; the
    probability of no such run follows by recursion (Feller 1968, XIII.7).
    """
    lengths = _run_lengths(values)
    n, longest = int(lengths.sum()), int(lengths.max(initial=0))
    if n < 2 or longest < 2:
        return longest, 1.0
    return longest, 1.0 - _no_run_of(longest - 1, n - 1)


def _no_run_of(k: int, n: int) -> float:
    """Return the probability that n throws of a coin have no k heads in a row."""
    if n < k:
        return 1.0
    none = [1.0] * k + [1.0 - 0.5**k]
    end = min(n, MOST_THROWS + k)
    for j in range(k + 1, end + 1):
        none.append(none[-1] - 0.5 ** (k + 1) * none[j - k - 1])
    # By then each throw takes the same share: all but the largest root of the recursion have died out.
    return none[end] * (none[end] / none[end - 1]) ** (n - end)


def run_at_an_end(values: Array) -> tuple[int, float, bool]:
    """Return the longer of the runs of like sign at the two ends, its probability without memory, and if it is the first.

    A curve that misses the shape at one end leaves a run there that is not long among all rows.
    """
    lengths = _run_lengths(values)
    if len(lengths) < 2:
        return int(lengths.sum()), 1.0, True
    longer = int(max(lengths[0], lengths[-1]))
    return longer, min(1.0, 2.0 * 0.5 ** (longer - 1)), bool(lengths[0] == longer)


def _run_lengths(values: Array) -> NDArray[np.intp]:
    signs = np.sign(values)
    signs = signs[signs != 0]
    if not len(signs):
        return np.zeros(0, dtype=np.intp)
    edges = np.flatnonzero(np.concatenate([[True], signs[1:] != signs[:-1], [True]]))
    return np.diff(edges)


def lag_one(values: Array) -> tuple[float, float]:
    """Return the correlation of neighbours and its probability without memory."""
    rest = values - values.mean()
    total = float(rest @ rest)
    if total <= 0 or len(values) < 4:
        return 0.0, 1.0
    correlation = float(rest[1:] @ rest[:-1]) / total
    n = len(values)
    # Without memory the expectation is −1/n.
    return correlation, normal_two_sided((correlation + 1 / n) * math.sqrt(n))


def normality(values: Array) -> tuple[float, float]:
    """Return the corrected Anderson–Darling statistic and its probability for normal values."""
    n = len(values)
    spread = float(values.std(ddof=1)) if n > 1 else 0.0
    if n < 8 or spread <= 0:
        return 0.0, 1.0
    from scipy.special import log_ndtr

    z = np.sort((values - values.mean()) / spread)
    weight = 2 * np.arange(1, n + 1) - 1
    statistic = -n - float(weight @ (log_ndtr(z) + log_ndtr(-z[::-1]))) / n
    corrected = statistic * (1 + 0.75 / n + 2.25 / n**2)
    return corrected, _anderson_darling_probability(corrected)


def _anderson_darling_probability(a: float) -> float:
    """Return the probability by the approximations of D'Agostino & Stephens (1986, table 4.9)."""
    if a < 0.2:
        return 1 - math.exp(-13.436 + 101.14 * a - 223.73 * a * a)
    if a < 0.34:
        return 1 - math.exp(-8.318 + 42.796 * a - 59.938 * a * a)
    if a < 0.6:
        return math.exp(0.9177 - 4.279 * a - 1.38 * a * a)
    return math.exp(1.2937 - 5.709 * a + 0.0186 * a * a) if a < 13 else 3.7e-24


def f_above(f: float, top: float, bottom: float) -> float:
    """Return the probability of an F variable above ``f``."""
    from scipy.special import fdtrc

    return float(fdtrc(top, bottom, f)) if math.isfinite(f) else 0.0
