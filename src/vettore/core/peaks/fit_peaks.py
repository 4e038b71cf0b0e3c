"""Peaks on a background, as many as there are: found by search.py, then fitted all together as one formula.

The search gives places, widths and what a shape has beside; the fit begins there and there only, so that every kind of noise,
the ± and all checks are those of any other fit, and the background's part in the ± of an area is in its covariance.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TypedDict, Unpack

import numpy as np

from vettore.core.arrays import Array, Values
from vettore.core.errors import DataError, Fault, check_level
from vettore.core.fitting.fit import fit_request
from vettore.core.fitting.record import Noise
from vettore.core.fitting.request import FitRequest
from vettore.core.fitting.result import FitResult
from vettore.core.fitting.rows import choose_rows
from vettore.core.peaks.backgrounds import (
    MOST_KNOTS,
    SMOOTH,
    Background,
    knots_of,
    most_knots,
    plain,
    read_background,
    started,
)
from vettore.core.peaks.result import PeaksFit
from vettore.core.peaks.search import (
    CHANCE,
    MOST,
    Candidate,
    GoOn,
    bic_of,
    by_chance,
    of_count,
    placed,
    sought,
    weakest,
)
from vettore.core.peaks.shapes import PeakShape, shape_of
from vettore.core.peaks.trace import BROADEST, NARROWEST, OUTSIDE, PeakTrace, State
from vettore.core.remarks import RemarkKind

# So many peaks are looked for where no number is given.
USUAL_MOST = 12
# More rows than this are looked at as the means of neighbours.
LOOKED_AT = 3_000
# Turns in which a background that is a formula and the peaks settle beside each other.
TURNS, SETTLED = 12, 1e-6
# On a smooth background a peak is narrower than this share of the span.
GROUND = 0.25
# A row counts as away from all peaks where they come to less than this share of the highest.
AWAY = 0.01
# Neighbours over which counts are averaged to tell how they scatter.
NEIGHBOURS = 9


class PeaksOptions(TypedDict, total=False):
    """What else may be said of peaks; see fit_peaks."""

    absolute_sigma: bool
    places: Sequence[float]
    negative: bool
    most: int
    progress: GoOn | None


@dataclass(frozen=True)
class PeaksRequest:
    """What peaks are asked for; see fit_peaks."""

    shape: PeakShape
    count: int | None
    background: str
    negative: bool
    equal_widths: bool
    places: tuple[float, ...]
    limits: Mapping[str, tuple[float, float]]
    most: int
    progress: GoOn | None


def fit_peaks(
    x: Values,
    y: Values,
    shape: str = "gaussian",
    *,
    count: int | None = None,
    background: str = "slope",
    sigma: Values | None = None,
    noise: str = Noise.NORMAL,
    limits: Mapping[str, tuple[float, float]] | None = None,
    equal_widths: bool = False,
    level: float = 0.95,
    **options: Unpack[PeaksOptions],
) -> PeaksFit:
    """Fit peaks of one shape on a background to points (n,): no starting values are needed, nor their number.

    ``shape`` is gaussian, lorentzian, mixed, voigt, tailed, split, log-normal, or a formula of u = (x − m)/w with its top at
    u = 0. Without a ``count`` as many peaks are found as chance would not have made. ``background`` is none,
    level, slope, parabola, smooth, or a formula of x with coefficients of its own. ``sigma`` and ``noise`` are those of fit;
    ``limits`` bound "place" and "width" of all peaks; with ``equal_widths`` all have one. Options: with ``places`` the search
    begins with peaks there, up to ``most`` are looked for, and those that point down where ``negative``; ``absolute_sigma`` is
    that of fit; ``progress(count, sum of squares)`` is told of every number of peaks and may end the search by returning
    True. Raises DataError or FormulaError.

    >>> import numpy as np
    >>> from vettore import core
    >>> x = np.arange(201) / 20
    >>> y = 3 * np.exp(-((x - 4) ** 2)) + 2 * np.exp(-((x - 6) ** 2)) + 0.1 * x + 0.01 * np.sin(40 * x)
    >>> [round(peak.place.value, 2) for peak in core.fit_peaks(x, y).peaks]
    [4.0, 6.0]
    """
    check_level(level)
    _check_options(options)
    request = PeaksRequest(
        shape_of(shape),
        _checked_count(count),
        background,
        options.get("negative", False),
        equal_widths,
        tuple(options.get("places", ())),
        _checked_limits(limits),
        _checked_count(options.get("most", USUAL_MOST)) or MOST,
        options.get("progress"),
    )
    known = options.get("absolute_sigma", False)
    plain_fit = FitRequest("", {"x": x, "y": y}, sigma=sigma, absolute_sigma=known, noise=noise, level=level)
    return _fitted(request, plain_fit)


def _fitted(request: PeaksRequest, plain_fit: FitRequest) -> PeaksFit:
    """Return the peaks that are asked for, fitted as a request of a fit says whose formula is theirs. Raises DataError."""
    x, y, sigma, noise = plain_fit.data["x"], plain_fit.data["y"], plain_fit.sigma, plain_fit.noise
    rows = choose_rows(x, y, sigma, None, ("x", "y"))  # type: ignore[arg-type]
    order = np.argsort(rows.x, kind="stable")
    xs, ys = rows.x[order], rows.y[order]
    if len(xs) < 6 or xs[0] == xs[-1]:
        raise DataError(f"Peaks need at least 6 rows at different x; there are {len(xs)} rows.", Fault.TOO_FEW)
    root = _roots(ys, None if rows.sigma is None else rows.sigma[order], noise)
    seen = _thinned(xs, ys, root)
    state, candidates, ground = _found(request, *seen)
    if not state.count:
        raise DataError(
            "No peak stands out from the scatter of these rows. Give a count to fit peaks all the same.",
            Fault.NOT_TOLD,
        )
    names, start = _named(request, state, ground)
    formula = _formula(request.shape, names, ground)
    whole = plain_fit.with_(formula=formula, start=start, limits=_limits(request, names, xs))
    fit = _without_mirrors(fit_request(whole))
    names = _by_place(names, fit)
    return PeaksFit(fit, request.shape, ground.formula or "0", names, ground.names, tuple(candidates))


def _check_options(options: PeaksOptions) -> None:
    known = PeaksOptions.__annotations__
    strange = [name for name in options if name not in known]
    if strange:
        raise DataError(f"Peaks have no option “{strange[0]}”. There are {', '.join(known)}.", Fault.NO_SUCH_CHOICE)


def _checked_count(count: int | None) -> int | None:
    if count is not None and (isinstance(count, bool) or int(count) != count or not 1 <= count <= MOST):
        raise DataError(
            f"The number of peaks is a whole number from 1 to {MOST}; {count!r} was given.", Fault.OUT_OF_BOUNDS
        )
    return None if count is None else int(count)


def _checked_limits(limits: Mapping[str, tuple[float, float]] | None) -> dict[str, tuple[float, float]]:
    out = dict(limits or {})
    for name, (low, high) in out.items():
        if name not in ("place", "width"):
            raise DataError(
                f"Limits are those of “place” and “width” of all peaks; “{name}” was given.", Fault.NO_SUCH_NAME
            )
        if not low < high or (name == "width" and low < 0):
            raise DataError(
                f"The limits of the {name} are {low:g} and {high:g}; the lower must be below the upper.",
                Fault.OUT_OF_BOUNDS,
            )
    return out


def _roots(y: Array, sigma: Array | None, noise: str) -> Array | None:
    """Return the roots of the weights for the search, as far as they are known beforehand."""
    if sigma is not None:
        return np.asarray(1 / sigma)
    if noise != Noise.POISSON:
        return None
    kernel = np.ones(min(NEIGHBOURS, len(y)))
    level = np.convolve(y, kernel, "same") / np.convolve(np.ones(len(y)), kernel, "same")
    return np.asarray(1 / np.sqrt(np.maximum(level, 1.0)))


def _thinned(x: Array, y: Array, root: Array | None) -> tuple[Array, Array, Array | None]:
    """Return rows for the search: the means of as many neighbours as leave no more than are looked at."""
    by = math.ceil(len(x) / LOOKED_AT)
    if by == 1:
        return x, y, root
    edges = np.arange(0, len(x), by)
    weights = np.ones(len(x)) if root is None else root**2
    total = np.add.reduceat(weights, edges)
    return (
        np.add.reduceat(x * weights, edges) / total,
        np.add.reduceat(y * weights, edges) / total,
        np.asarray(np.sqrt(total)),
    )


def _found(
    request: PeaksRequest, x: Array, y: Array, root: Array | None
) -> tuple[State, list[Candidate], Background]:
    """Return the peaks, the numbers that were tried, and the background."""
    written = read_background(request.background, x)
    if written is None:
        if request.background != SMOOTH:
            ground = plain(request.background, x)
            return (*_searched(request, x, y, root, ground), ground)
        return _on_smooth(request, x, y, root)
    # Peaks on a parabola tell which rows are away from all of them; there the formula begins.
    parabola = plain("parabola", x)
    state, _ = _searched(request, x, y, root, parabola)
    ground = started(written, x, y, _away(_trace(request, x, y, root, parabola), state))
    state, tried = _searched(request, x, y, root, ground)
    state, ground = _settled(request, (x, y, root), state, ground)
    while request.count is None and state.count > 1:
        # A peak that only made up for what the background was not yet is taken out again.
        trace = _trace(request, x, y, root, ground)
        weak = weakest(trace, state)[0]
        fewer = replace(state, p=np.delete(state.p, weak, axis=0))
        fewer, its_ground = _settled(request, (x, y, root), fewer, ground)
        p = by_chance(trace, fewer, state)
        if p < CHANCE:
            break
        tried = [replace(item, p=p) if item.count == state.count else item for item in tried]
        state, ground = fewer, its_ground
    return state, tried, ground


def _settled(
    request: PeaksRequest, rows: tuple[Array, Array, Array | None], state: State, ground: Background
) -> tuple[State, Background]:
    """Return peaks and a background that is a formula after each was refined beside the other."""
    x, y, root = rows
    before = math.inf
    for _ in range(TURNS):
        state = _trace(request, x, y, root, ground).refine(state.p)
        ground = ground.settled(x, state.c[state.count :])
        if abs(before - state.squares) <= SETTLED * state.squares:
            break
        before = state.squares
    return state, ground


def _on_smooth(
    request: PeaksRequest, x: Array, y: Array, root: Array | None
) -> tuple[State, list[Candidate], Background]:
    """Return the peaks on a spline of as many pieces as BIC takes, none as short as the broadest peak."""
    best: tuple[float, State, list[Candidate], Background] | None = None
    worse = 0
    for count in range(MOST_KNOTS + 1):
        ground = plain(SMOOTH, x, knots_of(x, count))
        state, tried = _searched(request, x, y, root, ground)
        if count > most_knots(x, float(np.exp(state.p[:, 1]).max(initial=0.0))):
            continue
        each = len(request.shape.extras) + 3
        terms = ground.columns.shape[1] + each * state.count
        bic = bic_of(len(x), state.squares, terms)
        worse = worse + 1 if best is not None and bic > best[0] else 0
        if not worse:
            best = bic, state, tried, ground
        if worse == 2:
            break
    assert best is not None
    return best[1:]


def _trace(request: PeaksRequest, x: Array, y: Array, root: Array | None, ground: Background) -> PeakTrace:
    return PeakTrace(
        x,
        y - ground.offset,
        root,
        ground.columns,
        request.shape,
        negative=request.negative,
        equal=request.equal_widths,
        places=request.limits.get("place"),
        widths=request.limits.get("width", _widths(request, x)),
    )


def _widths(request: PeaksRequest, x: Array) -> tuple[float, float]:
    """Return between what widths peaks are looked for: on a smooth background those as broad as it bends are part of it."""
    span = float(x[-1] - x[0])
    return NARROWEST * span / max(len(x) - 1, 1), (GROUND if request.background == SMOOTH else BROADEST) * span


def _searched(
    request: PeaksRequest, x: Array, y: Array, root: Array | None, ground: Background
) -> tuple[State, list[Candidate]]:
    trace = _trace(request, x, y, root, ground)
    begun = placed(trace, request.places) if request.places else trace.start()
    if request.count is None:
        return sought(trace, begun, request.most, request.progress)
    return of_count(trace, begun, request.count, request.progress), []


def _away(trace: PeakTrace, state: State) -> Array:
    peaks = (trace.unit(state.p) / trace.root[:, None]) @ state.heights if state.count else np.zeros(len(trace.x))
    return np.asarray(np.abs(peaks) <= AWAY * np.abs(peaks).max(initial=0.0) + 1e-300)


def _named(
    request: PeaksRequest, state: State, ground: Background
) -> tuple[tuple[tuple[str, ...], ...], dict[str, float]]:
    """Return the names of each peak's coefficients (height, place, width, extras), and where the nonlinear ones begin."""
    extras = request.shape.extras
    names, start = [], dict(ground.start)
    for number, i in enumerate(np.argsort(state.p[:, 0], kind="stable").tolist(), 1):
        width = "width" if request.equal_widths else f"width{number}"
        own = (f"height{number}", f"place{number}", width, *(f"{extra.name}{number}" for extra in extras))
        values = [state.heights[i], state.p[i, 0], math.exp(state.p[i, 1]), *state.p[i, 2:]]
        start |= {name: float(value) for name, value in zip(own, values, strict=True)}
        names.append(own)
    both = [name for name in ground.names if any(name in own for own in names)]
    if both:
        raise DataError(
            f"{both[0]} is a coefficient of the peaks; call that of the background otherwise.", Fault.CONFLICT
        )
    return tuple(names), start


def _formula(shape: PeakShape, names: Sequence[Sequence[str]], ground: Background) -> str:
    parts = [f"{own[0]}*{shape.written(own[1], own[2], own[3:], 'x')}" for own in names]
    return "y = " + " + ".join([*parts, *([ground.formula] if ground.formula else [])])


def _limits(
    request: PeaksRequest, names: Sequence[Sequence[str]], x: Array
) -> dict[str, tuple[float | None, float | None]]:
    """Return the limits of the coefficients: those that were given, and those of what a shape has beside."""
    out: dict[str, tuple[float | None, float | None]] = {}
    aside = OUTSIDE * float(x[-1] - x[0])
    outermost = float(x[0]) - aside, float(x[-1]) + aside
    for own in names:
        if not request.negative:
            out[own[0]] = (0.0, None)
        out[own[1]] = request.limits.get("place", outermost)
        out[own[2]] = request.limits.get("width", (0.0, _widths(request, x)[1]))
        for name, extra in zip(own[3:], request.shape.extras, strict=True):
            out[name] = (extra.low, extra.high)
    return out


def _without_mirrors(fit: FitResult) -> FitResult:
    """Return a fit without what is no news of peaks: that two change places, and that other searches may end elsewhere."""
    trace = replace(fit.trace, beside=None)
    own = tuple(remark for remark in fit.own_remarks if remark.kind is not RemarkKind.AS_GOOD)
    return replace(fit, trace=trace, own_remarks=own)


def _by_place(names: tuple[tuple[str, ...], ...], fit: FitResult) -> tuple[tuple[str, ...], ...]:
    return tuple(sorted(names, key=lambda own: fit.coefficients[own[1]].value))
