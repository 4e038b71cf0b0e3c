"""A problem on fewer rows, drawn at random: a regular thinning would fold fast waves into slow ones."""

from __future__ import annotations

import numpy as np

from vettore.core.fitting.search.separable import Separable

SEED = 7


def thinned(problem: Separable, rows: int) -> Separable:
    """Return the problem on at most this many of its rows, in their order, the first and last among them."""
    if problem.n <= rows:
        return problem
    rng = np.random.default_rng(SEED)
    chosen = 1 + np.sort(rng.choice(problem.n - 2, rows - 2, replace=False, shuffle=False))
    return problem.on_rows(np.concatenate([[0], chosen, [problem.n - 1]]).astype(np.intp))
