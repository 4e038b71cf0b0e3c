"""Slopes of a surface at its sites, from the sites around each.

Around a site the surface is taken as

    f(d) = Σ cⱼ |d − dⱼ|^(5/2) + b₀ + b·d + dᵀ B d,        d = (place − site) / R,

through the site and the ``NEIGHBOURS`` nearest others, R being the distance of the farthest, with Σ cⱼ p(dⱼ) = 0 for every
quadratic p. Its slope at the site is taken. That is exact for quadratics; of the powers of distance this one did best on
smooth and on noisy sites together (docs/ACCURACY.md). Where the sites around do not tell a quadratic (few, or on two
lines), b and B are found by least squares with weights 1/|d|², the smallest that fit best. All of that is done with what the
plane that fits best leaves, so that planes are reproduced wherever the sites lie.
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

import numpy as np

from vettore.core.arrays import Array, Mask
from vettore.core.surface.sites import Sites, Whole

NEIGHBOURS = 12
# The power of the distance.
POWER = 2.5
# The square of the smallest direction of a quadratic that sites must tell, as a share of the largest.
TOLD = 1e-8
# Directions of a least-squares problem smaller than this share of the largest are not told by the sites.
SMALL = 1e-5
# The same for planes: sites this near to one line tell nothing across it.
LEVEL = 1e-10
# Sites worked on at once.
BLOCK, AT_ONCE = 1_000, 2


def neighbours_of(sites: Sites, chosen: Whole, count: int = NEIGHBOURS) -> Whole:
    """Return the nearest other sites (k, m) of sites, nearest first."""
    most = min(count + 1, len(sites))
    _, nearest = sites.nearest(sites.u[chosen], sites.v[chosen], most)
    return without(np.asarray(nearest, dtype=np.intp), chosen)


def without(near: Whole, values: Whole) -> Whole:
    """Return the sites (k, m) without one of each row, or without the last where it is not among them, (k, m − 1)."""
    drop = near == values[:, None]
    drop[~drop.any(axis=1), -1] = True
    return near[~drop].reshape(len(near), near.shape[1] - 1)


def slopes_at(sites: Sites, chosen: Whole, around: Whole) -> Array:
    """Return the gradients (k, 2) at sites, from the sites (k, m) around each."""
    slopes = np.empty((len(chosen), 2))

    def work(start: int) -> None:
        part = slice(start, start + BLOCK)
        slopes[part] = _slopes(sites, chosen[part], around[part])

    starts = range(0, len(chosen), BLOCK)
    if len(starts) == 1:
        work(0)
    else:
        # The solver lets go of Python's lock, so that two blocks are worked on at once.
        with ThreadPoolExecutor(AT_ONCE) as pool:
            list(pool.map(work, starts))
    return slopes


def _slopes(sites: Sites, chosen: Whole, around: Whole) -> Array:
    d = sites.places[around] - sites.places[chosen][:, None, :]
    reach = np.hypot(d[..., 0], d[..., 1]).max(axis=1)
    d = d / reach[:, None, None]
    rise = sites.z[around] - sites.z[chosen][:, None]
    # The plane first, so that one is reproduced whatever else the sites around do not tell.
    plane = _planes(d, rise)
    rise = rise - np.einsum("kmc,kc->km", d, plane)
    p, q = d[..., 0], d[..., 1]
    terms = np.stack([p, q, p * p, p * q, q * q], axis=-1)
    values = np.zeros(len(chosen), dtype=bool)
    if around.shape[1] >= terms.shape[2]:
        values = _is_settled(terms.transpose(0, 2, 1) @ terms)
    slopes = np.empty((len(chosen), 2))
    slopes[values] = _radial(d[values], terms[values], rise[values])
    slopes[~values] = _least_squares(d[~values], terms[~values], rise[~values])
    return (slopes + plane) / reach[:, None]


def _planes(d: Array, rise: Array) -> Array:
    """Return the slopes (k, 2) of the planes through sites that fit those around best, nearer ones more."""
    weight = _weights(d)
    inverse = np.linalg.pinv(d * weight[..., None], rcond=LEVEL)
    slopes = np.einsum("kcm,km->kc", inverse, rise * weight)
    # Once more on what is left, which takes the last digits.
    left = rise - np.einsum("kmc,kc->km", d, slopes)
    return slopes + np.einsum("kcm,km->kc", inverse, left * weight)


def _weights(d: Array) -> Array:
    weight = 1 / np.einsum("kmc,kmc->km", d, d)
    # The nearest of crowded sites would leave the others without a say.
    return np.asarray(weight / weight.max(axis=1, initial=0)[:, None], dtype=np.float64)


def _is_settled(normal: Array) -> Mask:
    """Whether the smallest eigenvalue of matrices (k, n, n) is above TOLD of the largest.

    It is at least the determinant over the mean of the others to their number, which settles nearly all.
    """
    others = normal.shape[1] - 1
    total = np.trace(normal, axis1=1, axis2=2)
    values: Mask = np.linalg.det(normal) > TOLD * total * (total / others) ** others
    doubtful = np.flatnonzero(~values)
    size = np.linalg.eigvalsh(normal[doubtful])
    values[doubtful] = size[:, 0] > TOLD * size[:, -1]
    return values


def _radial(d: Array, terms: Array, rise: Array) -> Array:
    """Return the slopes at the origin of the radial surface; the site itself, with rise 0, is among the centres."""
    k, m, drift = terms.shape
    n = m + 1
    places = np.concatenate([np.zeros((k, 1, 2)), d], axis=1)
    square = np.zeros((k, n, n))
    for c in range(2):
        apart = places[:, :, None, c] - places[:, None, :, c]
        square += apart * apart
    system = np.zeros((k, n + drift + 1, n + drift + 1))
    # |d|^(5/2), by roots, which are ten times as quick as a power.
    system[:, :n, :n] = square * np.sqrt(np.sqrt(square))
    system[:, n, :n] = system[:, :n, n] = 1
    system[:, 1:n, n + 1 :] = terms
    system[:, n + 1 :, 1:n] = terms.transpose(0, 2, 1)
    right = np.zeros((k, n + drift + 1, 1))
    right[:, 1:n, 0] = rise
    values = np.linalg.solve(system, right)[..., 0]
    distance = np.einsum("kmc,kmc->km", d, d)
    pull = -POWER * np.sqrt(np.sqrt(distance)) * values[:, 1:n]
    return np.einsum("kmc,km->kc", d, pull) + values[:, n + 1 : n + 3]


def _least_squares(d: Array, terms: Array, rise: Array) -> Array:
    weight = _weights(d)
    inverse = np.linalg.pinv(terms * weight[..., None], rcond=SMALL)
    return np.einsum("kim,km->ki", inverse, rise * weight)[:, :2]
