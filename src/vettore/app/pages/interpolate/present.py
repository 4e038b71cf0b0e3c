"""What the Interpolate page says of a curve: a pure function of the series, what is asked, and the curve."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from vettore.core.interpolation.interpolant import Interpolant
from vettore.core.interpolation.methods import METHODS
from vettore.core.interpolation.points import wide_gaps
from vettore.core.rounding import NumberStyle
from vettore.study.derive_curves import readable
from vettore.study.kinds.interpolant import InterpolantRecipe
from vettore.study.series import Role, Series

# A gap is named when it is so many times the usual distance between points.
GAP = 3.0
MOST_GAPS, MOST_FLAGS = 6, 12


@dataclass(frozen=True, eq=False)
class Tried:
    """A method tried on a series: its curve with what it thinks of itself, or why there is none."""

    key: str
    curve: Interpolant | None
    refusal: str = ""


@dataclass(frozen=True)
class Offered:
    """A method as it is offered: its name, its note, and the sentence about it."""

    key: str
    name: str
    note: str
    about: str
    curve: Interpolant | None


@dataclass(frozen=True)
class InterpolateView:
    """What stands on the right, and the pennants: x, y and words. ``rows`` are what was read, ``full`` in all digits."""

    sentence: str
    doubts: tuple[tuple[str, str], ...] = ()
    gaps: tuple[str, ...] = ()
    header: tuple[str, ...] = ()
    rows: tuple[tuple[str, ...], ...] = ()
    full: tuple[tuple[float, ...], ...] = ()
    flags: tuple[tuple[float, float, str, bool], ...] = ()


def present(series: Series, recipe: InterpolantRecipe, curve: Interpolant, style: NumberStyle) -> InterpolateView:
    """Return what is said of a curve through the points of a series."""
    (x_name, x_unit), (y_name, y_unit) = series.name_and_unit(Role.X), series.name_and_unit(Role.Y)
    at = np.array(readable(curve, recipe.read_at))
    values, errors = (curve(at), curve.standard_error(at)) if len(at) else (at, at)
    rows, flags = [], []
    for x, y, error in zip(at.tolist(), values.tolist(), errors.tolist(), strict=True):
        text = style.pair(y, error) if math.isfinite(error) else style.number(y, 6)
        rows.append((f"{style.short(x)}, beyond" if curve.is_beyond(x) else style.short(x), text))
        flags.append((x, y, f"{text} {y_unit}".strip(), True))
    gaps = wide_gaps(curve.x, GAP)[:MOST_GAPS]
    return InterpolateView(
        f"{curve.method.name}: {curve.method.use}",
        doubts_of(curve, y_unit, style),
        tuple(f"{style.short(low)} … {style.short(high)} {x_unit}".strip() for low, high in gaps),
        (named(x_name, x_unit), named(y_name, y_unit)),
        tuple(rows),
        tuple(zip(at.tolist(), values.tolist(), strict=True)),
        tuple(flags[:MOST_FLAGS]),
    )


def doubts_of(curve: Interpolant, unit: str, style: NumberStyle) -> tuple[tuple[str, str], ...]:
    """Return how far a curve can be believed, as pairs of words and numbers."""
    error = curve.left_out_error
    doubts = [
        ("leave-one-out error", "—" if error is None else f"{style.number(error, 3)} {unit}".strip()),
        ("overshoot", f"{style.number(curve.swing, 3)} {unit}".strip()),
    ]
    if curve.penalty is not None:
        doubts.append(("smoothing penalty λ", style.number(curve.penalty, 4)))
    if curve.swelling is not None:
        doubts.append(("errors of y grow up to", f"{style.number(curve.swelling, 3)} times"))
    doubts.append(("pieces", str(curve.pieces.powers.shape[1])))
    return tuple(doubts)


def offered(tried: tuple[Tried, ...], style: NumberStyle) -> list[Offered]:
    """Return the methods with what each misses when a point is left out, the closest first, the impossible last."""

    def rank(item: Tried) -> tuple[bool, float]:
        error = None if item.curve is None else item.curve.left_out_error
        return item.curve is None, math.inf if error is None else error

    def note(curve: Interpolant | None) -> str:
        if curve is None:
            return "needs more points"
        return "—" if curve.left_out_error is None else f"± {style.number(curve.left_out_error, 2)}"

    return [
        Offered(
            each.key,
            METHODS[each.key].name,
            note(each.curve),
            each.refusal or METHODS[each.key].use,
            each.curve,
        )
        for each in sorted(tried, key=rank)
    ]


def named(name: str, unit: str) -> str:
    """Return a name with its unit."""
    return f"{name} ({unit})" if unit else name
