"""Schemes that columns over time may follow, as equations over their names: what is tried where nothing was written."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array
from vettore.core.formula.words import ARGUMENTS, CONSTANTS
from vettore.core.formula.write import name_text
from vettore.core.systems.read import read_system

_PLAIN = re.compile(r"[^\W\d]\w*")
# Names of states that stand for columns whose names are no plain words, and of coefficients in the schemes.
_STATES = ("A", "B", "C", "D", "E", "F")
# A column that keeps to one side of its start by this share of its span falls, or rises, throughout.
_ONE_WAY = 0.9
# A column that begins no farther from 0 than this share of its span begins from nothing.
NOTHING = 0.05


@dataclass(frozen=True)
class Scheme:
    """A way in which so many columns may hang together; ``equations`` writes it over the names of their states.

    ``suits`` says by the columns, in the order of their states, whether it is worth trying. No coefficient of rates is below 0
    but for ``signed`` ones. ``unseen`` states begin from 0, others from a coefficient, or from 0 where their column does.
    """

    key: str
    name: str
    columns: int
    equations: Callable[..., str]
    suits: Callable[[Sequence[Array]], bool] = lambda columns: True
    unseen: tuple[str, ...] = ()
    signed: tuple[str, ...] = ()


def _falls(column: Array) -> bool:
    good = column[np.isfinite(column)]
    return len(good) > 2 and good[0] - good.min() > _ONE_WAY * np.ptp(good)


def _rises(column: Array) -> bool:
    return _falls(-column)


def _first_falls(columns: Sequence[Array]) -> bool:
    return _falls(columns[0])


def _turns(column: Array) -> bool:
    """Whether a column swings about its middle more than once."""
    good = column[np.isfinite(column)]
    if len(good) < 6:
        return False
    smooth = np.convolve(good, np.ones(3) / 3, "valid")
    side = np.sign(smooth - (smooth.max() + smooth.min()) / 2)
    return int(np.count_nonzero(np.diff(side[side != 0]))) >= 3


SCHEMES: tuple[Scheme, ...] = (
    Scheme("first order", "First order", 1, lambda a: f"{a}' = -k*{a}", _first_falls),
    Scheme("second order", "Second order", 1, lambda a: f"{a}' = -k*{a}^2", _first_falls),
    Scheme("enzyme", "Enzyme, substrate alone", 1, lambda a: f"{a}' = -V*{a}/(K + {a})", _first_falls),
    Scheme("to a level", "To a level", 1, lambda a: f"{a}' = k*(L - {a})", signed=("L",)),
    Scheme("logistic", "Growth to a limit", 1, lambda a: f"{a}' = r*{a}*(1 - {a}/M)", lambda c: _rises(c[0])),
    Scheme(
        "oscillator",
        "Damped oscillator",
        1,
        lambda a: f"{a}'' = -w^2*({a} - L) - 2*d*{a}'\n{a}'(0) = v0",
        lambda c: _turns(c[0]),
        signed=("L", "v0"),
    ),
    Scheme(
        "two compartments",
        "Two compartments",
        1,
        lambda a, u: f"{a}' = -(ke + k12)*{a} + k21*{u}\n{u}' = k12*{a} - k21*{u}",
        _first_falls,
        unseen=("tissue",),
    ),
    Scheme("one step", "One step", 2, lambda a, b: f"{a} -> {b} ; k", _first_falls),
    Scheme("there and back", "There and back", 2, lambda a, b: f"{a} <=> {b} ; kf, kr", _first_falls),
    Scheme(
        "two steps",
        "Two steps, the last unseen",
        2,
        lambda a, b, u: f"{a} -> {b} ; k1\n{b} -> {u} ; k2",
        _first_falls,
        unseen=("gone",),
    ),
    Scheme(
        "by way of another",
        "By way of one unseen",
        2,
        lambda a, b, u: f"{a} -> {u} ; k1\n{u} -> {b} ; k2",
        _first_falls,
        unseen=("between",),
    ),
    Scheme("enzyme progress", "Enzyme", 2, lambda a, b: f"{a} -> {b} ; V*{a}/(K + {a})", _first_falls),
    Scheme("pairs", "Two make one", 2, lambda a, b: f"2 {a} -> {b} ; k", _first_falls),
    Scheme(
        "growth on food",
        "Growth on a substrate",
        2,
        lambda a, b: f"{b}' = m*{b}*{a}/(K + {a})\n{a}' = -m*{b}*{a}/(K + {a})/Y",
        lambda c: _falls(c[0]) and _rises(c[1]),
    ),
    Scheme(
        "prey and hunter",
        "Prey and hunters",
        2,
        lambda a, b: f"{a}' = r*{a} - p*{a}*{b}\n{b}' = q*{a}*{b} - d*{b}",
        lambda c: _turns(c[0]) and _turns(c[1]),
    ),
    Scheme("chain", "Two steps", 3, lambda a, b, c: f"{a} -> {b} ; k1\n{b} -> {c} ; k2", _first_falls),
    Scheme(
        "chain, first back",
        "Two steps, the first back",
        3,
        lambda a, b, c: f"{a} <=> {b} ; kf, kr\n{b} -> {c} ; k2",
        _first_falls,
    ),
    Scheme("side by side", "Side by side", 3, lambda a, b, c: f"{a} -> {b} ; k1\n{a} -> {c} ; k2", _first_falls),
    Scheme(
        "both ways",
        "Side by side and on",
        3,
        lambda a, b, c: f"{a} -> {b} ; k1\n{a} -> {c} ; k2\n{b} -> {c} ; k3",
        _first_falls,
    ),
    Scheme(
        "two into one",
        "Two join",
        3,
        lambda a, b, c: f"{a} + {b} -> {c} ; k",
        lambda c: _falls(c[0]) and _falls(c[1]),
    ),
    Scheme(
        "chain of four",
        "Three steps",
        4,
        lambda a, b, c, d: f"{a} -> {b} ; k1\n{b} -> {c} ; k2\n{c} -> {d} ; k3",
        _first_falls,
    ),
)
BY_KEY = {scheme.key: scheme for scheme in SCHEMES}


@dataclass(frozen=True)
class WrittenScheme:
    """A scheme written over the columns of some data: its equations, and which coefficients are not below 0."""

    scheme: Scheme
    text: str
    not_negative: tuple[str, ...]


def schemes_for(
    time: Array, columns: Mapping[str, Array], others: Collection[str] = (), begin: float = 0.0
) -> Iterator[WrittenScheme]:
    """Yield the schemes that suit measured columns (n,) over time, written over their names.

    Columns come in the order in which they have their time: what is there at first before what comes of it. ``others`` are
    names that no state may have, ``begin`` is the time of the initial values.
    """
    order = sorted(columns, key=lambda name: _middle(time, columns[name]))
    in_time = np.argsort(time, kind="stable")
    values = [columns[name][in_time] for name in order]
    states, shows = _states_of(order, others)
    for scheme in SCHEMES:
        if scheme.columns != len(order) or not scheme.suits(values):
            continue
        at = f"{begin:.15g}"
        unseen = [_free_name(name, (*order, *others, *states)) for name in scheme.unseen]
        rates = scheme.equations(*states, *unseen)
        begins = [f"{name}({at}) = {name}0" for name in states]
        if scheme.suits is _first_falls:
            # What comes of the first may well begin from nothing.
            pairs = zip(states[1:], values[1:], strict=True)
            begins[1:] = [f"{n}({at}) = {'0' if _from_nothing(column) else n + '0'}" for n, column in pairs]
        begins += [f"{name}({at}) = 0" for name in unseen]
        rates = rates.replace("(0) = ", f"({at}) = ")
        text = "\n".join([rates, *begins, *shows])
        system = read_system(text, (*order, *others, "\0over"), "\0over")
        free = {f"{name}0" for name in states} | {*scheme.signed}
        yield WrittenScheme(scheme, text, tuple(name for name in system.coefficients if name not in free))


def _from_nothing(column: Array) -> bool:
    """Whether a column begins near 0, beside its span."""
    good = column[np.isfinite(column)]
    return len(good) > 0 and abs(float(good[0])) <= NOTHING * float(np.ptp(good))


def _middle(time: Array, column: Array) -> float:
    """Return the time about which a column has most above its least."""
    good = np.isfinite(time) & np.isfinite(column)
    over = column[good] - column[good].min(initial=np.inf)
    total = float(over.sum())
    return float((over * time[good]).sum() / total) if total > 0 else 0.0


def _states_of(order: Sequence[str], others: Collection[str]) -> tuple[list[str], list[str]]:
    """Return the names of states for columns, and the equations of columns whose names no state may have."""
    states: list[str] = []
    shows = []
    for place, name in enumerate(order):
        if _PLAIN.fullmatch(name) and name not in ARGUMENTS and name not in CONSTANTS:
            states.append(name)
            continue
        states.append(_free_name(_STATES[place % len(_STATES)], (*order, *others, *states)))
        shows.append(f"{name_text(name)} = {states[-1]}")
    return states, shows


def _free_name(name: str, taken: Collection[str]) -> str:
    return next(text for text in (name, *(f"{name}{place}" for place in range(1, 100))) if text not in taken)
