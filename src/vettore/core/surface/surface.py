"""A surface over scattered sites as an object: values, slopes, what is a guess, how well left-out sites are predicted."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Literal, get_args

import numpy as np

from vettore.core.arrays import Array, Mask, Rows, Values
from vettore.core.errors import DataError, Fault, a_number
from vettore.core.fitting.result import FitResult
from vettore.core.remarks import Noted, Remark
from vettore.core.surface.contours import Contour, contours_of
from vettore.core.surface.cubic import Cubic
from vettore.core.surface.fitted import Fitted
from vettore.core.surface.kernel import Kernel, go_on
from vettore.core.surface.kriging import Kriging
from vettore.core.surface.natural import Natural
from vettore.core.surface.sites import Scaling, Sites, Whole, check_sites
from vettore.core.surface.summits import Summit, summits_of
from vettore.core.surface.thin_plate import Smoothing, thin_plate
from vettore.core.surface.triangulated import Linear, Nearest
from vettore.core.surface.variogram import SHAPES, Shape, Variogram
from vettore.core.surface.volumes import Covered, covered

Method = Literal["nearest", "linear", "natural", "cubic", "thin_plate", "smoothing", "kriging"]
METHODS: tuple[Method, ...] = get_args(Method)
Outside = Literal["blank", "continue"]
# Methods that triangles carry: they have nothing to say beyond the sites.
INSIDE_ONLY = ("linear", "natural", "cubic")
# The way to fill when nothing is said: through the sites, and least led astray by long thin triangles at the edge.
USUAL: Method = "thin_plate"
SHAPE = (80, 80)
MOST_CELLS = 4_000_000
# Sites left out, one at a time; of more, this many evenly chosen ones.
MOST_LEFT_OUT = 1000
# Those that know their ±.
WITH_ERROR = (Smoothing, Kriging, Fitted)
# Places of a section.
SECTION = 401


@dataclass(frozen=True, eq=False)
class Section:
    """The surface along a line: ``along`` (n,) from its start, x, y, z and ± (NaN where not known)."""

    along: Array
    x: Array
    y: Array
    z: Array
    standard_error: Array


@dataclass(frozen=True, eq=False)
class Grid:
    """The surface on an even grid: x (columns,), y (rows,), z and ±, each (rows, columns)."""

    x: Array
    y: Array
    z: Array
    standard_error: Array
    sites: Sites

    @cached_property
    def guess(self) -> Mask:
        """Whether each place (rows, columns) is farther from every site than neighbouring sites are from each other."""
        return self.sites.far_from(*np.meshgrid(self.sites.across.scaled(self.x), self.sites.along.scaled(self.y)))


class Surface(Noted):
    """Made by ``grid``, or of a fit by ``fitted_surface``.

    ``x``, ``y``, ``z`` are the sites used (n,), repeats averaged; ``method`` says how it fills between them. Calling it gives
    z at x and y of any one shape: NaN outside the outermost sites, unless ``outside`` is "continue".
    """

    def __init__(
        self,
        method: Method | Literal["fitted"],
        sites: Sites,
        kernel: Kernel,
        shape: tuple[int, int],
        outside: Outside,
        check: Callable[[], object],
    ) -> None:
        self.method, self.sites, self.kernel = method, sites, kernel
        self.shape, self.outside, self._check = shape, outside, check
        self.remarks: tuple[Remark, ...] = sites.remarks

    def __repr__(self) -> str:
        return f"<Surface: {self.method} over {len(self.sites)} sites, left-out error {self.left_out_error:.3g}>"

    def settle(self) -> None:
        """Ask no longer whether the work is given up: it is done."""
        self._check = go_on
        self.kernel.settle()

    @property
    def x(self) -> Array:
        """x of the sites (n,)."""
        return self.sites.x

    @property
    def y(self) -> Array:
        """y of the sites (n,)."""
        return self.sites.y

    @property
    def z(self) -> Array:
        """z of the sites (n,)."""
        return self.sites.z

    def __call__(self, x: Array | float, y: Array | float) -> Array:
        """Return z at x and y."""
        return self._over(x, y, lambda u, v, triangle: self.kernel.value(u, v, triangle))

    def gradient(self, x: Array | float, y: Array | float) -> tuple[Array, Array]:
        """Return ∂z/∂x and ∂z/∂y."""
        across, along = self._over(x, y, lambda u, v, triangle: np.stack(self.kernel.gradient(u, v, triangle)), (2,))
        return across / self.sites.across.unit, along / self.sites.along.unit

    def slope(self, x: Array | float, y: Array | float) -> Array:
        """Return how steep it is: the size of the gradient."""
        return np.hypot(*self.gradient(x, y))

    def aspect(self, x: Array | float, y: Array | float) -> Array:
        """Return the direction downhill in degrees clockwise from +y, 0 … 360."""
        across, along = self.gradient(x, y)
        return np.degrees(np.arctan2(-across, -along)) % 360

    def standard_error(self, x: Array | float, y: Array | float) -> Array:
        """Return the ± of z, NaN for a method that knows none.

        That of kriging is the ± of a value found there; that of smoothing the ± of the surface.
        """
        return self._over(x, y, lambda u, v, triangle: _root(self.kernel.variance(u, v), u))

    def smooth_error(self, x: Array | float, y: Array | float) -> Array:
        """Return the ± of what of z is smooth: without the nugget of kriging, which every place has of its own."""
        return self._over(x, y, lambda u, v, triangle: _root(self.kernel.smooth_variance(u, v), u))

    @property
    def knows_error(self) -> bool:
        """Whether standard_error is known."""
        return isinstance(self.kernel, WITH_ERROR)

    @property
    def noise(self) -> float | None:
        """The scatter of one reading about the surface, where the method tells it."""
        return self.kernel.noise_of_reading if isinstance(self.kernel, WITH_ERROR) else None

    @property
    def variogram(self) -> Variogram | None:
        """The variogram of kriging; its range is on the common scale."""
        return self.kernel.variogram if isinstance(self.kernel, Kriging) else None

    def inside(self, x: Array | float, y: Array | float) -> Mask:
        """Whether places are within the outermost sites."""
        u, v = self._scaled(x, y)
        return (self.sites.triangle_at(u.ravel(), v.ravel()) >= 0).reshape(u.shape)

    def nearest(self, x: Array | float, y: Array | float) -> tuple[Array, Rows]:
        """Return the distance to the nearest site, in the units of x and y together, and the site's place among the sites."""
        u, v = self._scaled(x, y)
        _, site = self.sites.nearest(u, v)
        distance = np.hypot(self.sites.x[site] - np.asarray(x), self.sites.y[site] - np.asarray(y))
        return distance, site

    def guess(self, x: Array | float, y: Array | float) -> Mask:
        """Whether places are farther from every site than neighbouring sites are from each other."""
        return self.sites.far_from(*self._scaled(x, y))

    @cached_property
    def left_out(self) -> Array:
        """What the other sites say at each site (n,), NaN where they do not reach, or were not asked of many sites."""
        chosen = self.sites.evenly(MOST_LEFT_OUT)
        values = np.full(len(self.sites), np.nan)
        if len(self.sites) > 3:
            values[chosen] = self.kernel.left_out(chosen)
        return values

    @cached_property
    def left_out_error(self) -> float:
        """The root mean square of what left-out sites are missed by; NaN when none can be left out."""
        missed = self.left_out - self.sites.z
        known = missed[np.isfinite(missed)]
        return float(np.sqrt(np.mean(known**2))) if len(known) else float("nan")

    @cached_property
    def grid(self) -> Grid:
        """The surface on its even grid over the span of the sites."""
        x = np.linspace(float(self.x.min()), float(self.x.max()), self.shape[0])
        y = np.linspace(float(self.y.min()), float(self.y.max()), self.shape[1])
        across, along = self.sites.across.scaled(x), self.sites.along.scaled(y)
        u, v = np.tile(across, len(y)), np.repeat(along, len(x))
        triangle = self.sites.triangles.over_grid(across, along)
        inside = triangle >= 0 if self.outside == "blank" else np.ones(len(u), dtype=bool)
        pair = u[inside], v[inside]
        z, error = np.full(len(u), np.nan), np.full(len(u), np.nan)
        self._check()
        z[inside] = self.kernel.value(*pair, triangle[inside])
        self._check()
        if self.knows_error:
            error[inside] = _root(self.kernel.variance(*pair), pair[0])
        rows = (len(y), len(x))
        return Grid(x, y, z.reshape(rows), error.reshape(rows), self.sites)

    def summits(self, prominence: float | None = None) -> tuple[Summit, ...]:
        """Return hills, hollows and saddles, the most prominent first.

        Those that stand out by less than ``prominence`` are merged; left out, by less than noise and the method's own
        doubt could make. Saddles are those between what is returned.
        """
        if prominence is None:
            return self._usual_summits
        return summits_of(self, a_number(prominence, "The prominence"))

    @cached_property
    def _usual_summits(self) -> tuple[Summit, ...]:
        return summits_of(self, None)

    def section(self, start: tuple[float, float], end: tuple[float, float], places: int = SECTION) -> Section:
        """Return the surface along the straight line between two places."""
        if places < 2 or tuple(start) == tuple(end):
            raise DataError("A section needs two different ends and at least two places.", Fault.TOO_FEW)
        t = np.linspace(0.0, 1.0, places)
        x = start[0] + t * (end[0] - start[0])
        y = start[1] + t * (end[1] - start[1])
        length = float(np.hypot(end[0] - start[0], end[1] - start[1]))
        return Section(t * length, x, y, self(x, y), self.standard_error(x, y))

    def contours(self, levels: Values) -> tuple[Contour, ...]:
        """Return the lines where the surface has each level, followed through the cells of the grid."""
        wanted = np.atleast_1d(np.asarray(levels, dtype=np.float64))
        return tuple(contours_of(self.grid.x, self.grid.y, self.grid.z, float(level)) for level in wanted)

    def covered(self, level: float | None = None, within: Values | None = None) -> Covered:
        """Return area, mean and volume over the sites, or within a polygon (m, 2); above and below ``level`` apart."""
        return covered(self, level, None if within is None else np.asarray(within, dtype=np.float64))

    def volume(self, above: float | None = None, within: Values | None = None) -> float:
        """Return the volume under the surface; above a level that of what stands over it only."""
        answer = self.covered(above, within)
        return answer.volume if above is None else answer.above

    def area_above(self, level: float, within: Values | None = None) -> float:
        """Return the area where the surface is above a level."""
        return self.covered(level, within).area_above

    def mean(self, within: Values | None = None) -> float:
        """Return the mean over the area that the sites cover."""
        return self.covered(None, within).mean

    def _scaled(self, x: Array | float, y: Array | float) -> tuple[Array, Array]:
        both = np.broadcast_arrays(np.asarray(x, dtype=np.float64), np.asarray(y, dtype=np.float64))
        return self.sites.across.scaled(both[0]), self.sites.along.scaled(both[1])

    def _over(
        self,
        x: Array | float,
        y: Array | float,
        what: Callable[[Array, Array, Whole], Array],
        each: tuple[int, ...] = (),
    ) -> Array:
        """Return what a function gives at places (k,) of the kernel, (*each, k), in the shape of x and y; NaN elsewhere."""
        u, v = self._scaled(x, y)
        flat_u, flat_v = u.ravel(), v.ravel()
        triangle = self.sites.triangle_at(flat_u, flat_v)
        wanted = np.isfinite(flat_u) & np.isfinite(flat_v)
        if self.outside == "blank":
            wanted &= triangle >= 0
        values = np.full((*each, len(flat_u)), np.nan)
        if wanted.any():
            values[..., wanted] = what(flat_u[wanted], flat_v[wanted], triangle[wanted])
        return values.reshape((*each, *u.shape))


def _root(variance: Array | None, u: Array) -> Array:
    return np.full(len(u), np.nan) if variance is None else np.sqrt(variance)


def grid(
    x: Values,
    y: Values,
    z: Values,
    *,
    method: Method = USUAL,
    shape: tuple[int, int] = SHAPE,
    outside: Outside = "blank",
    penalty: float | None = None,
    variogram: Shape | None = None,
    scaling: Scaling = "spans",
    check: Callable[[], object] = go_on,
) -> Surface:
    """Return the surface over sites x, y with values z, columns (m,).

    ``method`` is one of METHODS. ``shape`` is that of ``.grid``, (across, along). ``penalty`` is that of "smoothing" and
    ``variogram`` the shape for "kriging"; each is found from the sites when left out. ``scaling`` "spans" brings x and y to
    their spans before distances are taken, "alike" keeps a unit of x as long as one of y. ``check`` is called now and then,
    and may raise to give the work up. Raises DataError for fewer than three sites, sites on one line, or arguments that
    have no meaning.

    >>> from vettore import core
    >>> bed = core.grid([0, 1, 0, 1, 0.5], [0, 0, 1, 1, 0.5], [1, 2, 2, 3, 2.5], method="linear")
    >>> bed([0.25], [0.25]).round(6).tolist()
    [1.75]
    """
    _check_method(method, outside, penalty, variogram)
    columns, rows = _checked_shape(shape)
    sites = check_sites(x, y, z, scaling)
    check()
    return Surface(method, sites, _kernel(method, sites, penalty, variogram, check), (columns, rows), outside, check)


def fitted_surface(
    x: Values,
    y: Values,
    z: Values,
    result: FitResult,
    formula: str,
    names: tuple[str, str, str],
    rows: Whole,
    *,
    shape: tuple[int, int] = SHAPE,
    scaling: Scaling = "spans",
) -> Surface:
    """Return the surface of a fit of z over x and y, whose columns are called ``names``, over sites (m,) as grid takes them.

    ``rows`` (n,) are the places among those of the rows that the fit used. Raises DataError when the formula is no surface.
    """
    sites = check_sites(x, y, z, scaling)
    kernel = Fitted(sites, result, formula, names, rows)
    return Surface("fitted", sites, kernel, _checked_shape(shape), "blank", go_on)


def _check_method(method: str, outside: str, penalty: float | None, variogram: str | None) -> None:
    """Refuse a method that there is not, and what has no meaning with the one that was chosen. Raises DataError."""
    if method not in METHODS:
        raise DataError(
            f"There is no way “{method}” to fill between sites. There are: {', '.join(METHODS)}.",
            Fault.NO_SUCH_CHOICE,
        )
    if outside not in get_args(Outside):
        words = f"Outside the sites there may be “blank” or “continue”; {outside!r} was given."
        raise DataError(words, Fault.NO_SUCH_CHOICE)
    if outside == "continue" and method in INSIDE_ONLY:
        raise DataError(
            f"The method “{method}” knows nothing outside the sites. Take nearest, thin_plate, smoothing or kriging.",
            Fault.OUTSIDE_DATA,
        )
    if penalty is not None:
        if method != "smoothing":
            raise DataError("A penalty has no effect here: it is that of the method “smoothing”.", Fault.NO_EFFECT)
        if not a_number(penalty, "The penalty") > 0:
            raise DataError(f"The penalty is above 0; {penalty!r} was given.", Fault.OUT_OF_BOUNDS)
    if variogram is not None:
        if method != "kriging":
            words = "The shape of a variogram has no effect here: it is that of the method “kriging”."
            raise DataError(words, Fault.NO_EFFECT)
        if variogram not in SHAPES:
            words = f"There is no variogram “{variogram}”. There are: {', '.join(SHAPES)}."
            raise DataError(words, Fault.NO_SUCH_CHOICE)


def _checked_shape(shape: tuple[int, int]) -> tuple[int, int]:
    try:
        columns, rows = (int(count) for count in shape)
    except (TypeError, ValueError):
        raise DataError(
            f"The shape of a grid is two whole numbers, as (80, 54); {shape!r} was given.", Fault.WRONG_KIND
        ) from None
    if columns < 2 or rows < 2 or columns * rows > MOST_CELLS:
        raise DataError(
            f"A grid has at least 2 × 2 and at most {MOST_CELLS:,} places; {columns} × {rows} was given.",
            Fault.OUT_OF_BOUNDS,
        )
    return columns, rows


def _kernel(
    method: Method, sites: Sites, penalty: float | None, variogram: Shape | None, check: Callable[[], object]
) -> Kernel:
    match method:
        case "nearest":
            return Nearest(sites)
        case "linear":
            return Linear(sites)
        case "natural":
            return Natural(sites)
        case "cubic":
            return Cubic(sites)
        case "thin_plate":
            return thin_plate(sites, check)
        case "smoothing":
            return Smoothing(sites, penalty, check)
        case "kriging":
            return Kriging(sites, variogram, check)
