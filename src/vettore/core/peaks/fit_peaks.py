"""Peaks on a background, as many as there are: found by search.py, then fitted all together as one formula.

The search gives places, widths and what a shape has beside; the fit begins there and there only, so that every kind of noise,
the ± and all checks are those of any other fit, and the background's part in the ± of an area is in its covariance.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace
from typing import Unpack

import numpy as np

from vettore.core.arrays import Array, Values
from vettore.core.errors import DataError, Fault, check_level
from vettore.core.fitting.fit import fit_request
from vettore.core.fitting.record import Noise
from vettore.core.fitting.request import FitRequest
from vettore.core.fitting.result import FitResult
from vettore.core.fitting.rows import choose_rows
from vettore.core.formula.formula import read_formula
from vettore.core.formula.write import name_text, to_text
from vettore.core.peaks.backgrounds import Background
from vettore.core.peaks.begin import Beginning, roots_of, widths_of
from vettore.core.peaks.matching import numbered
from vettore.core.peaks.request import (
    OF_ALL,
    USUAL_MOST,
    Ends,
    PeaksOptions,
    PeaksRequest,
    check_options,
    checked_count,
    checked_limits,
    read_links,
)
from vettore.core.peaks.result import PeaksFit
from vettore.core.peaks.search import MOST
from vettore.core.peaks.shapes import shape_of
from vettore.core.peaks.trace import OUTSIDE, State
from vettore.core.remarks import RemarkKind

# The coefficients of each peak, in order.
PeakNames = tuple[tuple[str, ...], ...]


def fit_peaks(
    x: Values,
    y: Values,
    shape: str = "gaussian",
    *,
    count: int | None = None,
    background: str = "slope",
    sigma: Values | None = None,
    noise: str = Noise.NORMAL,
    limits: Mapping[str, tuple[float | None, float | None]] | None = None,
    equal_widths: bool = False,
    level: float = 0.95,
    **options: Unpack[PeaksOptions],
) -> PeaksFit:
    """Fit peaks of one shape on a background to points (n,): no starting values are needed, nor their number.

    ``shape`` is gaussian, lorentzian, mixed, voigt, tailed, split, log-normal, or a formula of u = (x − m)/w with its top at
    u = 0. Without a ``count`` as many peaks are found as chance would not have made. ``background`` is none,
    level, slope, parabola, smooth, or a formula of x with coefficients of its own. ``sigma`` and ``noise`` are those of fit;
    ``limits`` bound "place" and "width" of all peaks, or one coefficient as "place2"; with ``equal_widths`` all have one.

    Options: with ``places`` the search begins with peaks there, up to ``most`` are looked for, and those that point down where
    ``negative``. Numbered by their places, ``hold`` gives coefficients their values ({"place2": 470.0}) and ``links`` lets
    them follow others by formulas ({"place2": "place1 + 6", "width2": "width1", "height2": "height1/2"} for a doublet).
    Those ``expected``, as (place, width), keep their numbers where there are peaks within their widths; what is gone or new
    is said. ``absolute_sigma`` is that of fit, ``names`` are those of x and y in the formula; ``progress(count, sum of
    squares)`` is told of every number of peaks and may end the search by returning True. Raises DataError or FormulaError.

    >>> import numpy as np
    >>> from vettore import core
    >>> x = np.arange(201) / 20
    >>> y = 3 * np.exp(-((x - 4) ** 2)) + 2 * np.exp(-((x - 6) ** 2)) + 0.1 * x + 0.01 * np.sin(40 * x)
    >>> [round(peak.place.value, 2) for peak in core.fit_peaks(x, y).peaks]
    [4.0, 6.0]
    """
    check_level(level)
    check_options(options)
    names = options.get("names", ("x", "y"))
    request = PeaksRequest(
        shape_of(shape),
        checked_count(count),
        background,
        options.get("negative", False),
        equal_widths,
        tuple(options.get("places", ())),
        checked_limits(limits),
        dict(options.get("hold", {})),
        read_links(options.get("links", {})),
        checked_count(options.get("most", USUAL_MOST)) or MOST,
        options.get("progress"),
        names,
        tuple(options.get("expected", ())),
    )
    known = options.get("absolute_sigma", False)
    data = dict(zip(names, (x, y), strict=True))
    return peaks_of(request, FitRequest("", data, sigma=sigma, absolute_sigma=known, noise=noise, level=level))


def peaks_of(request: PeaksRequest, plain_fit: FitRequest) -> PeaksFit:
    """Return the peaks that are asked for, fitted as a request of a fit says whose formula is theirs. Raises VettoreError."""
    x, y = (plain_fit.data[name] for name in request.names)
    rows = choose_rows(x, y, plain_fit.sigma, None, request.names)  # type: ignore[arg-type]
    order = np.argsort(rows.x, kind="stable")
    xs, ys = rows.x[order], rows.y[order]
    if len(xs) < 6 or xs[0] == xs[-1]:
        raise DataError(f"Peaks need at least 6 rows at different x; there are {len(xs)} rows.", Fault.TOO_FEW)
    root = roots_of(ys, None if rows.sigma is None else rows.sigma[order], plain_fit.noise)
    state, candidates, ground = Beginning(request, xs, ys, root).thinned().begun()
    if not state.count:
        raise DataError(
            "No peak stands out from the scatter of these rows. Give a count to fit peaks all the same.",
            Fault.NOT_TOLD,
        )
    names, start = _named(request, state, ground)
    _check_names(request, {*start, *ground.names})
    fixed = {*request.links, *request.hold}
    whole = plain_fit.with_(
        formula=_formula(request, names, ground),
        start={name: value for name, value in start.items() if name not in fixed},
        hold=dict(request.hold) or None,
        limits={name: ends for name, ends in _limits(request, names, xs).items() if name not in fixed},
    )
    rest = ground.formula or "0", names, ground.names, tuple(candidates)
    answer = PeaksFit(_without_mirrors(fit_request(whole)), request, *rest)
    by_place = tuple(sorted(names, key=lambda own: answer.values[own[1]]))
    if by_place == names or fixed or request.expected:
        return replace(answer, names=by_place)
    # Two changed places on the way: each takes the number of where it came to lie.
    pairs = [pair for own, new in zip(by_place, names, strict=True) for pair in zip(own, new, strict=True)]
    start |= {new: answer.values[own] for own, new in pairs}
    return replace(answer, fit=_without_mirrors(fit_request(whole.with_(start=start))))


def _named(request: PeaksRequest, state: State, ground: Background) -> tuple[PeakNames, dict[str, float]]:
    """Return the names of each peak's coefficients (height, place, width, extras), and where the nonlinear ones begin."""
    extras = request.shape.extras
    names, start = [], dict(ground.start)
    taken = set(request.names)
    numbers = numbered(state.p[:, 0], np.exp(state.p[:, 1]), request.expected)
    for i in np.argsort(state.p[:, 0], kind="stable").tolist():
        number = numbers[i]
        width = "width" if request.equal_widths else f"width{number}"
        plain = (f"height{number}", f"place{number}", width, *(f"{extra.name}{number}" for extra in extras))
        own = tuple(f"{name}_0" if name in taken else name for name in plain)
        values = [state.heights[i], state.p[i, 0], math.exp(state.p[i, 1]), *state.p[i, 2:]]
        start |= {name: float(value) for name, value in zip(own, values, strict=True)}
        names.append(own)
    both = [name for name in ground.names if any(name in own for own in names)]
    if both:
        raise DataError(
            f"{both[0]} is a coefficient of the peaks; call that of the background otherwise.", Fault.CONFLICT
        )
    return tuple(names), start


def _check_names(request: PeaksRequest, names: set[str]) -> None:
    """Refuse what is decided of a coefficient that there is none of. Raises DataError."""
    linked = [name for tree in request.links.values() for name in read_formula(to_text(tree), ()).coefficients]
    for name in (*request.hold, *request.links, *linked, *(name for name in request.limits if name not in OF_ALL)):
        if name not in names:
            raise DataError(
                f"There is no coefficient “{name}” here. There are {', '.join(sorted(names))}.", Fault.NO_SUCH_NAME
            )


def _formula(request: PeaksRequest, names: PeakNames, ground: Background) -> str:
    x, y = map(name_text, request.names)
    links = {name: f"({to_text(tree)})" for name, tree in request.links.items()}
    parts = []
    for own in names:
        height, place, width, *extras = (links.get(name, name) for name in own)
        parts.append(f"{height}*{request.shape.written(place, width, extras, x)}")
    return f"{y} = " + " + ".join([*parts, *([ground.formula] if ground.formula else [])])


def _limits(request: PeaksRequest, names: PeakNames, x: Array) -> dict[str, Ends]:
    """Return the limits of the coefficients: those that were given, and those of what a shape has beside."""
    out: dict[str, Ends] = {}
    aside = OUTSIDE * float(x[-1] - x[0])
    outermost = float(x[0]) - aside, float(x[-1]) + aside
    for own in names:
        if not request.negative:
            out[own[0]] = (0.0, None)
        out[own[1]] = request.limits.get("place", outermost)
        out[own[2]] = request.limits.get("width", (0.0, widths_of(request, x)[1]))
        for name, extra in zip(own[3:], request.shape.extras, strict=True):
            out[name] = (extra.low, extra.high)
    return out | {name: ends for name, ends in request.limits.items() if name not in OF_ALL}


def _without_mirrors(fit: FitResult) -> FitResult:
    """Return a fit without what is no news of peaks: that two change places, and that other searches may end elsewhere."""
    trace = replace(fit.trace, beside=None)
    own = tuple(remark for remark in fit.own_remarks if remark.kind is not RemarkKind.AS_GOOD)
    return replace(fit, trace=trace, own_remarks=own)
