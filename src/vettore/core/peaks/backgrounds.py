"""What peaks stand on: nothing, a level, a slope, a parabola, a smooth curve that no peak can hide in, or a formula.

A smooth background is a cubic spline of few pieces (a cubic and (x − knot)³ from each knot on), never so many that a piece is
as short as a peak is broad; how many is told by BIC. As every other it is a formula, so that its ± goes into that of the peaks.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from vettore.core.arrays import Array
from vettore.core.errors import DataError, Fault
from vettore.core.fitting.request import FitRequest
from vettore.core.fitting.solve import solve_request
from vettore.core.formula.derivative import derivative
from vettore.core.formula.evaluate import evaluate
from vettore.core.formula.formula import read_formula
from vettore.core.formula.tree import Node
from vettore.core.formula.write import name_text

# Terms of the plain ones, and the most knots of a smooth one.
TERMS = {"none": 0, "level": 1, "slope": 2, "parabola": 3}
SMOOTH, MOST_KNOTS = "smooth", 8
# A piece of a smooth one is at least so many times as long as the broadest peak.
PIECE = 2.0
NAMES = ("a", "b", "c", "d")


@dataclass(frozen=True)
class Background:
    """A background over ``x``: its columns (n, terms) where it is linear, and its formula.

    ``start`` are values of what enters nonlinearly, found by ``settled``.
    """

    formula: str
    names: tuple[str, ...]
    columns: Array
    # What is known of the background beside its columns, (n,).
    offset: Array
    start: Mapping[str, float] = field(default_factory=dict)
    tree: Node | None = None
    # What x is called in the formula.
    over: str = "x"

    def settled(self, x: Array, c: Array) -> Background:
        """Return the background drawn straight at what its coefficients have become, given those of the columns."""
        if self.tree is None:
            return self
        return _straight(self, x, dict(zip(self.names, c.tolist(), strict=True)))


def plain(kind: str, x: Array, knots: tuple[float, ...] = (), over: str = "x") -> Background:
    """Return a background of powers of x and, with knots, of cubes from each knot on."""
    count = TERMS.get(kind, 4)
    free = [name if name != over else f"{name}_0" for name in NAMES]
    names = (*free[:count], *(f"d{i}" for i in range(1, len(knots) + 1)))
    written = name_text(over)
    powers = ["", f"*{written}", f"*{written}^2", f"*{written}^3"]
    terms = [f"{name}{power}" for name, power in zip(names, powers, strict=False)]
    terms += [f"d{i}*max({written} - {_typed(knot)}, 0)^3" for i, knot in enumerate(knots, 1)]
    middle, half = (x[0] + x[-1]) / 2, (x[-1] - x[0]) / 2 or 1.0
    t = (x - middle) / half
    columns = [t**power for power in range(count)]
    columns += [np.maximum((x - knot) / half, 0.0) ** 3 for knot in knots]
    across = np.array(columns).reshape(len(columns), len(x)).T
    return Background(" + ".join(terms), names, across, np.zeros(len(x)), over=over)


def _typed(number: float) -> str:
    return repr(number) if number >= 0 else f"({number!r})"


def knots_of(x: Array, count: int) -> tuple[float, ...]:
    """Return knots that part the span evenly, written with few digits."""
    inner = np.linspace(x[0], x[-1], count + 2)[1:-1]
    digits = 3 - math.floor(math.log10(float(x[-1] - x[0]) or 1.0))
    return tuple(round(float(knot), digits) for knot in inner)


def most_knots(x: Array, broadest: float) -> int:
    """Return how many knots leave pieces that no peak hides in."""
    if broadest <= 0:
        return MOST_KNOTS
    return max(min(int((x[-1] - x[0]) / (PIECE * broadest)) - 1, MOST_KNOTS), 0)


def read_background(text: str, x: Array, over: str = "x") -> Background | None:
    """Return a background that is written as a formula of x with coefficients of its own; None for the names of others.

    Raises VettoreError for a formula that is none.
    """
    if text in TERMS or text == SMOOTH:
        return None
    if not any(sign in text for sign in "(^*/+-"):
        raise DataError(
            f"There is no background “{text}”. It is {', '.join([*TERMS, SMOOTH])}, or a formula of x, as B*exp(-k*x).",
            Fault.NO_SUCH_CHOICE,
        )
    read = read_formula(text, [over])
    if read.left is not None or not read.coefficients:
        raise DataError(
            "The background is a formula of x with coefficients, without an =, as B*exp(-k*x).", Fault.WRONG_KIND
        )
    zeros = np.zeros((len(x), len(read.coefficients)))
    return Background(text, read.coefficients, zeros, np.zeros(len(x)), {}, read.right, over)


def started(background: Background, x: Array, y: Array, away: Array) -> Background:
    """Return a background of a formula begun where it fits the rows ``away`` (n,) from all peaks best. Raises VettoreError."""
    assert background.tree is not None
    if away.sum() < 2 * len(background.names):
        away = np.ones(len(x), dtype=np.bool_)
    y_name = "y" if background.over != "y" else "y_0"
    data = {background.over: x[away], y_name: y[away]}
    values = solve_request(FitRequest(f"{y_name} = {background.formula}", data)).coefficients
    start = {name: values[name].value for name in background.names}
    return _straight(background, x, start)


def _straight(background: Background, x: Array, at: Mapping[str, float]) -> Background:
    assert background.tree is not None
    columns, offset = straight_at(background.tree, background.names, x, at, background.over)
    return replace(background, columns=np.nan_to_num(columns), offset=np.nan_to_num(offset), start=dict(at))


def straight_at(
    tree: Node, names: tuple[str, ...], x: Array, at: Mapping[str, float], over: str = "x"
) -> tuple[Array, Array]:
    """Return the columns (n, names) of a formula drawn straight at values of its coefficients, and what is beside them (n,)."""
    given = {over: x, **{name: np.full(len(x), at[name]) for name in names}}
    with np.errstate(all="ignore"):
        value = evaluate(tree, given, len(x))
        columns = np.array([evaluate(derivative(tree, name), given, len(x)) for name in names]).T
    return columns, value - columns @ np.array([at[name] for name in names])
