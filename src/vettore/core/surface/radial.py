"""Surfaces from one function of distance: thin plates, smoothed thin plates, kriging.

    s(p) = Σ cⱼ φ(|p − pⱼ|²) + b₀ [+ b₁ u + b₂ v]

    ⎡ Φ + D   P ⎤ ⎡c⎤   ⎡z⎤
    ⎢           ⎥ ⎢ ⎥ = ⎢ ⎥            P: ones [and u, v] at the sites
    ⎣ Pᵀ      0 ⎦ ⎣b⎦   ⎣0⎦

D is 0 for a surface through the sites, and positive where sites carry noise. For a thin plate φ = r² ln r, which bends
least (Duchon 1977); for kriging φ = −γ(r), the variogram. With M the matrix and k(p) = (φ, P) at p the variance of s is
proportional to φ(0) − kᵀ M⁻¹ k.

Left out in closed form (Rippa 1999): z₍₋ᵢ₎ = zᵢ − cᵢ / (M⁻¹)ᵢᵢ.

Of many sites overlapping patches are solved, each with its own c and b, and joined by weights that run out smoothly to the
patch's border (a partition of unity, Wendland 2002).
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from vettore.core.arrays import Array
from vettore.core.surface.kernel import Kernel, go_on
from vettore.core.surface.sites import Sites, Whole

# Of more sites than this patches are made; a system of 2,000 takes a quarter of a second, one of 20,000 three minutes.
MOST_DENSE = 2000
# Sites that a patch owns at most, by how much it reaches beyond them, and how many it must hold.
OWNED, REACH, HELD = 60, 1.7, 40
# Systems of fewer rows are solved a second time for what the first pass left.
FEW_ENOUGH = 400
# Products of places and sites worked on at once.
BLOCK = 2_000_000
# A drift is told by the sites of a patch when its second direction is not shorter than this share of the first.
TOLD = 1e-8


class Radial(ABC):
    """A function of the squared distance."""

    # Whether planes belong to the surface, or a level only.
    plane = True
    # φ at no distance.
    at_zero = 0.0

    @abstractmethod
    def value(self, square: Array) -> Array:
        """Return φ; may use ``square`` as its own store."""

    @abstractmethod
    def slope(self, square: Array) -> Array:
        """Return φ′(r)/r."""


class ThinPlate(Radial):
    """r² ln r."""

    def value(self, square: Array) -> Array:
        """Return ½ r² ln r², 0 at 0."""
        return _half_log(square)

    def slope(self, square: Array) -> Array:
        """Return 2 ln r + 1; at 0, where it has no value, its part in any slope is 0."""
        return np.log(np.maximum(square, 1e-300)) + 1


def _half_log(square: Array) -> Array:
    # The smallest number stands for 0, whose logarithm would be infinite and its product no number.
    logs = np.log(np.maximum(square, 1e-300))
    logs *= square
    logs *= 0.5
    return logs


@dataclass(frozen=True, eq=False)
class System:
    """The solved system over places (n, 2): coefficients ``c`` (n,) and ``b`` of the drift; ``noise`` is D (n,)."""

    radial: Radial
    places: Array
    z: Array
    noise: Array

    @cached_property
    def _centre(self) -> Array:
        return self.places.mean(axis=0)

    @cached_property
    def _plane(self) -> bool:
        """Whether the sites tell a plane, and not a level or a line only."""
        if not self.radial.plane:
            return False
        size = np.linalg.svd(self.places - self._centre, compute_uv=False)
        return len(size) > 1 and size[1] > TOLD * size[0]

    def _drift(self, at: Array) -> Array:
        level = np.ones((len(at), 1))
        return np.hstack([level, at - self._centre]) if self._plane else level

    @cached_property
    def matrix(self) -> Array:
        """M."""
        n, drift = len(self.places), self._drift(self.places)
        whole = np.zeros((n + drift.shape[1],) * 2)
        whole[:n, :n] = self.radial.value(squares(self.places, self.places))
        whole[np.arange(n), np.arange(n)] = self.radial.at_zero + self.noise
        whole[:n, n:] = drift
        whole[n:, :n] = drift.T
        return whole

    @cached_property
    def coefficients(self) -> Array:
        """c and b."""
        right = np.concatenate([self.z, np.zeros(len(self.matrix) - len(self.z))])
        try:
            values: Array = np.linalg.solve(self.matrix, right)
            if len(right) < FEW_ENOUGH:
                values = values + np.linalg.solve(self.matrix, right - self.matrix @ values)
            return values
        except np.linalg.LinAlgError:
            least: Array = np.linalg.lstsq(self.matrix, right, rcond=None)[0]
            return least

    @cached_property
    def inverse(self) -> Array:
        """M⁻¹."""
        try:
            return np.asarray(np.linalg.inv(self.matrix), dtype=np.float64)
        except np.linalg.LinAlgError:
            return np.asarray(np.linalg.pinv(self.matrix), dtype=np.float64)

    def value(self, at: Array) -> Array:
        """Return the surface at places (k, 2)."""
        n = len(self.places)
        c, b = self.coefficients[:n], self.coefficients[n:]
        values = self._drift(at) @ b
        for part, square in self._squares(at):
            values[part] += self.radial.value(square) @ c
        return values

    def gradient(self, at: Array) -> Array:
        """Return the slopes (k, 2) at places."""
        n = len(self.places)
        c, b = self.coefficients[:n], self.coefficients[n:]
        values = np.zeros((len(at), 2)) + (b[1:] if self._plane else 0)
        for part, square in self._squares(at):
            pull = self.radial.slope(square) * c
            values[part] += at[part] * pull.sum(axis=1)[:, None] - pull @ self.places
        return values

    def variance(self, at: Array) -> Array:
        """Return φ(0) − kᵀ M⁻¹ k at places (k, 2)."""
        n = len(self.places)
        values = np.empty(len(at))
        for part, square in self._squares(at):
            k = np.hstack([self.radial.value(square), self._drift(at[part])])
            k[:, :n][square == 0] = self.radial.at_zero
            values[part] = self.radial.at_zero - np.einsum("ki,ki->k", k @ self.inverse, k)
        return np.maximum(values, 0)

    def left_out(self) -> Array:
        """Return what the others say at each site (n,)."""
        n = len(self.places)
        return self.z - self.coefficients[:n] / np.diag(self.inverse)[:n]

    def _squares(self, at: Array) -> Iterator[tuple[slice, Array]]:
        step = max(BLOCK // max(len(self.places), 1), 1)
        for start in range(0, len(at), step):
            part = slice(start, start + step)
            yield part, squares(at[part], self.places)


def squares(at: Array, places: Array) -> Array:
    """Return the squared distances (k, n) between places."""
    across = at[:, 0, None] - places[None, :, 0]
    along = at[:, 1, None] - places[None, :, 1]
    across *= across
    along *= along
    across += along
    return across


@dataclass(frozen=True, eq=False)
class Patch:
    """Part of the sites: those within ``half`` of ``centre`` on both axes. ``rows`` are their places among all."""

    centre: Array
    half: Array
    rows: Whole
    system: System

    def weight(self, at: Array) -> Array:
        """Return the patch's say at places (k, 2): 1 at its centre, running out smoothly to its border."""
        away: Array = np.minimum(np.abs(at - self.centre) / self.half, 1.0)
        say = (1 - away) ** 4 * (4 * away + 1)
        return say[:, 0] * say[:, 1]


class Radials(Kernel):
    """A radial surface as one system, or as patches of many sites. ``noise`` is D on each site (n,)."""

    reaches_out = True

    def __init__(
        self, sites: Sites, radial: Radial, noise: Array, check: Callable[[], object], most_dense: int = MOST_DENSE
    ) -> None:
        super().__init__(sites)
        self.radial, self.noise, self._check, self.most_dense = radial, noise, check, most_dense

    def settle(self) -> None:
        """Ask no longer whether the work is given up."""
        self._check = go_on

    @cached_property
    def _whole(self) -> System | None:
        if len(self.sites) > self.most_dense:
            return None
        return System(self.radial, self.sites.places, self.sites.z, self.noise)

    @cached_property
    def patches(self) -> tuple[Patch, ...]:
        """Overlapping parts of the sites; every place between them is well inside at least one."""
        result = []
        for centre, half, rows in patch_rows(self.sites.places):
            self._check()
            system = System(self.radial, self.sites.places[rows], self.sites.z[rows], self.noise[rows])
            result.append(Patch(centre, half, rows, system))
        return tuple(result)

    def value(self, u: Array, v: Array, triangle: Whole) -> Array:
        """Return the surface."""
        at = np.column_stack([u, v])
        if self._whole is not None:
            return self._whole.value(at)
        return self._joined(at, lambda patch, places: patch.system.value(places))

    def gradient(self, u: Array, v: Array, triangle: Whole) -> tuple[Array, Array]:
        """Return the slopes, in closed form of one system."""
        if self._whole is None:
            return super().gradient(u, v, triangle)
        slopes = self._whole.gradient(np.column_stack([u, v]))
        return slopes[:, 0], slopes[:, 1]

    def relative_variance(self, u: Array, v: Array) -> Array:
        """Return φ(0) − kᵀ M⁻¹ k; of patches their mean, which is never below that of their joined surface."""
        at = np.column_stack([u, v])
        if self._whole is not None:
            return self._whole.variance(at)
        return self._joined(at, lambda patch, places: patch.system.variance(places))

    def left_out(self, chosen: Whole) -> Array:
        """Return what the other sites say at each of the chosen, in closed form."""
        if self._whole is not None:
            return self._whole.left_out()[chosen]
        total, says = np.zeros(len(self.sites)), np.zeros(len(self.sites))
        wanted = np.zeros(len(self.sites), dtype=bool)
        wanted[chosen] = True
        for patch in self.patches:
            if wanted[patch.rows].any():
                self._check()
                say = patch.weight(self.sites.places[patch.rows])
                total[patch.rows] += say * patch.system.left_out()
                says[patch.rows] += say
        return total[chosen] / says[chosen]

    def _joined(self, at: Array, what: Callable[[Patch, Array], Array]) -> Array:
        total, says = np.zeros(len(at)), np.zeros(len(at))
        order = np.argsort(at[:, 0], kind="stable")
        along = at[order, 0]
        for patch in self.patches:
            low, high = np.searchsorted(along, [patch.centre[0] - patch.half[0], patch.centre[0] + patch.half[0]])
            rows = order[low:high]
            rows = rows[np.abs(at[rows, 1] - patch.centre[1]) < patch.half[1]]
            if len(rows):
                self._check()
                say = patch.weight(at[rows])
                total[rows] += say * what(patch, at[rows])
                says[rows] += say
        with np.errstate(invalid="ignore"):
            return total / says


def patch_rows(places: Array) -> Iterator[tuple[Array, Array, Whole]]:
    """Yield centre, half widths and sites of overlapping patches over places (n, 2), which are halved till they are small."""
    from scipy.spatial import cKDTree

    tree = cKDTree(places)
    low, high = places.min(axis=0), places.max(axis=0)
    parts = [(low, high, np.arange(len(places), dtype=np.intp))]
    while parts:
        low, high, rows = parts.pop()
        if len(rows) > OWNED:
            axis = int(np.argmax(high - low))
            cut = float(np.median(places[rows, axis]))
            below = places[rows, axis] <= cut
            if below.any() and not below.all():
                middle_high, middle_low = high.copy(), low.copy()
                middle_high[axis] = middle_low[axis] = cut
                parts += [(low, middle_high, rows[below]), (middle_low, high, rows[~below])]
                continue
        centre = (low + high) / 2
        half = np.maximum((high - low) / 2 * REACH, 1e-9)
        # Where sites lie on lines a part may be long and thin; at least half as wide as long, its plane is told.
        half = np.maximum(half, half.max() / 2)
        held = _held(tree, places, centre, half)
        while len(held) < min(HELD, len(places)):
            half = half * 1.3
            held = _held(tree, places, centre, half)
        yield centre, half, held


def _held(tree: object, places: Array, centre: Array, half: Array) -> Whole:
    near = np.array(tree.query_ball_point(centre, float(half.max()), p=np.inf), dtype=np.intp)  # type: ignore[attr-defined]
    near.sort()
    return near[(np.abs(places[near] - centre) < half).all(axis=1)]
