"""The area under a function: a chosen number of strips, or as many as an error asks for.

A formula names the places where something happens in it (places.py), and pieces begin there; of other functions many
places on many scales are looked at first. A half line is mapped to 0 … 1 by x = a + w(1 − t)/t with the scale w that the
function has; of one that oscillates the areas of half periods are summed (waves.py). What does not settle is no area.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from itertools import pairwise
from typing import Any

import numpy as np

from vettore.core.arrays import Array
from vettore.core.errors import DataError, Fault, a_number
from vettore.core.formula.evaluate import Program
from vettore.core.formula.formula import read_formula
from vettore.core.formula.simplify import simplified
from vettore.core.formula.tree import Node, names
from vettore.core.integration.adaptive import EPS, Function, ReachedArea, Span, settle
from vettore.core.integration.places import Places, is_zero, places_of
from vettore.core.integration.strips import places_of_rule
from vettore.core.integration.waves import wave_tail
from vettore.core.telling import Tells

RULES = {"left": 1, "right": 1, "midpoint": 2, "trapezoid": 2, "simpson": 4}
MOST_STRIPS = 10_000_000
TOLERANCE = 1e-9
# Pieces of a function of which nothing is known: even ones, and ones that shrink towards both ends.
EVEN, SHRINKING = 64, 24
# Pieces of a finite range that oscillates: one a half period, up to so many.
MOST_HALF_PERIODS = 3_000


@dataclass(frozen=True, eq=False, repr=False)
class FunctionArea(Tells):
    """``error`` is a bound that the method believes in; None for a fixed number of strips (see ``ladder``).

    What did not settle has no area: it is NaN, with what was reached as the ``estimate``. ``edges`` are the borders of the
    strips or pieces.
    """

    area: float
    error: float | None
    strips: int
    evaluations: int
    settled: bool
    message: str
    edges: Array
    estimate: float = math.nan

    def _line(self) -> str:
        if not self.settled:
            return f"no area. {self.message}"
        return f"area {self.area!r}" + ("" if self.error is None else f", error below {self.error:.2g}")

    def _columns(self) -> Mapping[str, Sequence[Any]]:
        return {"from": self.edges[:-1].tolist(), "to": self.edges[1:].tolist()}

    def _facts(self) -> Mapping[str, Any]:
        return asdict(self)


def integrate_function(
    f: str | Callable[..., object],
    a: float,
    b: float,
    strips: int | None = None,
    *,
    rule: str = "trapezoid",
    tolerance: float = TOLERANCE,
    at: Sequence[float] = (),
) -> FunctionArea:
    """Return the integral of a function, or of a formula in x, from a to b; either may be infinite.

    With ``strips`` the rule left, right, midpoint, trapezoid or simpson is used as it stands; without, strips are added
    until the error is below ``tolerance`` of the area. ``at`` are places where something happens that the function does
    not tell: a step, a corner, a narrow peak. Not settling is a result with a message and without an area. Raises
    DataError or FormulaError.

    >>> from vettore import core
    >>> round(core.integrate_function("exp(-x^2)", float("-inf"), float("inf")).area, 12)
    1.772453850906
    """
    a, b = a_number(a, "The lower limit"), a_number(b, "The upper limit")
    if rule not in RULES:
        raise DataError(
            f"There is no rule “{rule}”. The rules for functions are {', '.join(RULES)}.", Fault.NO_SUCH_CHOICE
        )
    if isinstance(at, (str, int, float)):
        raise DataError(f"Places are a list of numbers, as [0.5, 2]; {at!r} was given.", Fault.WRONG_KIND)
    if strips is not None:
        if len(at):
            raise DataError(
                "Places are for an open number of strips; a fixed number of them has its own.", Fault.NO_EFFECT
            )
        return _fixed(_counted(f), a, b, strips, rule)
    if not tolerance > 0:
        raise DataError(f"The error asked for must be above zero, but is {tolerance:g}.", Fault.OUT_OF_BOUNDS)
    given = [a_number(place, "A place") for place in at]
    if not all(map(math.isfinite, given)):
        raise DataError("A place is no finite number.", Fault.NOT_A_NUMBER)
    counted = _counted(f)
    if a == b:
        return FunctionArea(0.0, 0.0, 0, 0, True, "Both limits are the same.", np.array([a, b]), 0.0)
    if a > b:
        turned = _adaptive(counted, b, a, tolerance, given)
        return replace(turned, area=-turned.area, estimate=-turned.estimate, edges=turned.edges[::-1])
    return _adaptive(counted, a, b, tolerance, given)


class _counted:
    """A function of arrays that counts its evaluations; callables that take single numbers are looped over."""

    def __init__(self, f: str | Callable[..., object]) -> None:
        self.count = 0
        if isinstance(f, str):
            read = read_formula(f, ("x", "y"))
            strange = [name for name in names(read.right) if name != "x"]
            if strange:
                raise DataError(
                    f"{strange[0]} has no value here: the function may hold x and numbers only.", Fault.MISSING
                )
            self.tree: Node | None = read.right
            program = Program(read.right)
            self._call: Callable[[Array], object] = lambda x: program({"x": x} if "x" in program.inputs else {})
        else:
            self.tree, self._call = None, f
        self._single = False

    def __call__(self, x: Array) -> Array:
        self.count += x.size
        with np.errstate(all="ignore"):
            if not self._single:
                try:
                    values = np.asarray(self._call(x), dtype=np.float64)
                    if values.shape in ((), x.shape):
                        return np.broadcast_to(values, x.shape).copy()
                except (TypeError, ValueError):
                    pass
                self._single = True
            return np.array([float(self._call(value)) for value in x.ravel().tolist()]).reshape(x.shape)  # type: ignore[arg-type]


def _fixed(f: _counted, a: float, b: float, strips: int, rule: str) -> FunctionArea:
    if not (math.isfinite(a) and math.isfinite(b)):
        raise DataError(
            "A fixed number of strips needs finite limits. Leave the number open instead.", Fault.UNAVAILABLE
        )
    if isinstance(strips, bool) or not isinstance(strips, (int, np.integer)):
        raise DataError(f"The number of strips is a whole number; {strips!r} was given.", Fault.WRONG_KIND)
    if not 1 <= strips <= MOST_STRIPS:
        raise DataError(
            f"The number of strips must be between 1 and {MOST_STRIPS:,}, but is {strips:,}.", Fault.OUT_OF_BOUNDS
        )
    if rule == "simpson" and strips % 2:
        raise DataError(
            f"Simpson’s rule needs an even number of strips, but was given {strips}.", Fault.OUT_OF_BOUNDS
        )
    edges = np.linspace(a, b, strips + 1)
    h = (b - a) / strips
    at = places_of_rule(rule, edges)
    values = f(at)
    bad = np.flatnonzero(~np.isfinite(values))
    if len(bad):
        raise DataError(
            f"The function has no finite value at x = {at[bad[0]]:g}. Move the limit or leave strips open.",
            Fault.NO_VALUE,
        )
    if rule == "trapezoid":
        area = h * (math.fsum(values) - (values[0] + values[-1]) / 2)
    elif rule == "simpson":
        area = h / 3 * (values[0] + values[-1] + 4 * math.fsum(values[1:-1:2]) + 2 * math.fsum(values[2:-1:2]))
    else:
        area = h * math.fsum(values)
    return FunctionArea(
        float(area), None, strips, f.count, True, f"{strips} strips by the {rule} rule.", edges, float(area)
    )


@dataclass(frozen=True)
class Refinement:
    """One rung of the ladder: the area with so many strips, its change from the rung before and what that tells.

    ``order`` is log₂ of the ratio of changes; ``extrapolated`` is Richardson's estimate of the limit.
    """

    strips: int
    area: float
    change: float | None
    order: float | None
    extrapolated: float | None


def ladder(
    f: str | Callable[..., object], a: float, b: float, rule: str, first: int = 2, rungs: int = 8
) -> tuple[Refinement, ...]:
    """Return areas with strips doubled again and again. Raises DataError as integrate_function does."""
    counted = _counted(f)
    areas = [_fixed(counted, float(a), float(b), first * 2**k, rule).area for k in range(rungs)]
    return climb([first * 2**k for k in range(rungs)], areas, RULES[rule])


def climb(strips: list[int], areas: list[float], theory: int) -> tuple[Refinement, ...]:
    """Return rungs with changes, observed orders, and Richardson's estimate by the order of theory."""
    out = []
    for k, (count, area) in enumerate(zip(strips, areas, strict=True)):
        change = area - areas[k - 1] if k else None
        before = areas[k - 1] - areas[k - 2] if k > 1 else None
        order = None
        noise = 8 * EPS * max(abs(area), 1e-300)
        if change is not None and before is not None and abs(change) > noise and abs(before) > noise:
            order = math.log2(abs(before / change))
        out.append(
            Refinement(count, area, change, order, None if change is None else area + change / (2**theory - 1))
        )
    return tuple(out)


def _adaptive(f: _counted, a: float, b: float, tolerance: float, given: Sequence[float]) -> FunctionArea:
    places = places_of(f.tree, a, b) if f.tree is not None else Places()
    places.borders |= set(given)
    low, high = _middle(places, a, b)
    spans, fixed = [], (0.0, 0.0)
    if low < high:
        edges = places.edges(low, high)
        spans.append(Span(f, _with_waves(edges, places) if f.tree is not None else _looked_at(edges)))
    for end, outer, way in ((low, a, -1.0), (high, b, 1.0)):
        if math.isfinite(outer):
            continue
        if places.frequencies:
            area, error, _ = wave_tail(f, end, way, math.pi / min(places.frequencies))
            if math.isfinite(error):
                fixed = (fixed[0] + area, fixed[1] + error)
                continue
        width = max(high - low, *(w for _, w in places.features)) if places.features else max(abs(end), 1.0)
        tail = _half_line(f, end, way, width)
        spans.append(Span(tail, (0.0, 1.0) if f.tree is not None else _looked_at([0.0, 1.0])))
    reached = settle(spans, tolerance, fixed)
    return _area(f, reached, a, b, places.unseen and not given)


def _middle(places: Places, a: float, b: float) -> tuple[float, float]:
    """Return the finite range on which things happen; beyond it there are tails where a limit is infinite."""
    reach = places.reach()
    low, high = reach if reach is not None else (0.0, 0.0)
    if math.isfinite(a):
        low, high = a, max(high, a)
    if math.isfinite(b):
        low, high = min(low, b), b
    return low, high


def _with_waves(edges: Sequence[float], places: Places) -> Sequence[float]:
    """Cut a range at every half period of its fastest oscillation, where the rules would not see it otherwise."""
    low, high = edges[0], edges[-1]
    if not places.frequencies:
        return edges
    count = (high - low) * max(places.frequencies) / math.pi
    if not EVEN < count <= MOST_HALF_PERIODS:
        return edges
    return sorted({*edges, *np.linspace(low, high, math.ceil(count) + 1).tolist()})


def _looked_at(edges: Sequence[float]) -> Sequence[float]:
    """Cut a range of which nothing is known into even pieces, and into ever smaller ones towards its borders."""
    out = set(edges)
    for low, high in pairwise(edges):
        shares = 0.5 ** np.arange(1, SHRINKING + 1)
        even = np.linspace(0, 1, max(EVEN // (len(edges) - 1), 4) + 1)
        out |= set((low + (high - low) * np.concatenate([even, shares, 1 - shares])).tolist())
    return sorted(out)


def _half_line(f: _counted, end: float, way: float, width: float) -> Function:
    def mapped(t: Array) -> Array:
        with np.errstate(all="ignore"):
            return np.asarray(f(end + way * width * (1 - t) / t) * (width / (t * t)))

    return mapped


def _area(f: _counted, reached: ReachedArea, a: float, b: float, unseen: bool) -> FunctionArea:
    area, error = reached.area, reached.error
    finite = math.isfinite(a) and math.isfinite(b)
    edges = np.array(reached.edges if finite else (a, b))
    if reached.settled and reached.size == 0.0 and not (f.tree is not None and is_zero(simplified(f.tree))):
        message = f"Zero at every one of the {f.count} places looked at; give places with something by at=."
        return FunctionArea(0.0, 0.0, reached.pieces, f.count, True, message, edges, 0.0)
    if reached.settled:
        message = f"Settled after {f.count} evaluations."
        if f.tree is None and finite:
            message += (
                f" Things narrower than {(b - a) / EVEN / 10:.2g} may lie between them; give their places by at=."
            )
        elif unseen:
            message += " It may change sides, by a condition, abs, max or min, at more places than were seen; give them by at=."
        return FunctionArea(area, error, reached.pieces, f.count, True, message, edges, area)
    message = f"Not settled after {f.count} evaluations: there may be no finite area."
    return FunctionArea(math.nan, error, reached.pieces, f.count, False, message, edges, area)
