"""How often a fit without a start ends at the least squares, on rows that are uneven, few, or spread over decades.

The least are those of the better of two fits: without a start, and from the values that the data were made with.

python -m tools.measures.starts
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from vettore import core
from vettore.core.arrays import Array

SETS = 60
# Squares this much above the least are another minimum.
MORE = 1.0001


class Case(NamedTuple):
    """A kind of data: its formula, rows and coefficients drawn anew for each set, its scatter."""

    name: str
    formula: str
    make: Callable[[np.random.Generator], tuple[Array, dict[str, float]]]
    curve: Callable[[Array, dict[str, float]], Array]
    noise: float


def uneven(rng: np.random.Generator, n: int, end: float) -> Array:
    """Rows at random places."""
    return np.sort(rng.uniform(0, end, n))


def _wave(rng: np.random.Generator) -> tuple[Array, dict[str, float]]:
    return uneven(rng, 30, 20), {
        "A": rng.uniform(2, 5),
        "k": rng.uniform(0.02, 0.5),
        "w": rng.uniform(0.5, 9),
        "p": rng.uniform(-3, 3),
        "C": rng.uniform(-1, 1),
    }


def _doses(rng: np.random.Generator) -> tuple[Array, dict[str, float]]:
    low = 10 ** rng.uniform(-9.5, -8)
    return np.geomspace(1e-11, 1e-4, 22), {
        "T": rng.uniform(80, 120),
        "B": rng.uniform(0, 10),
        "f": rng.uniform(0.3, 0.7),
        "p": low,
        "q": low * 10 ** rng.uniform(1.5, 3),
        "g": rng.uniform(0.8, 1.5),
        "h": rng.uniform(0.8, 1.5),
    }


def _peaks(rng: np.random.Generator) -> tuple[Array, dict[str, float]]:
    return np.linspace(0, 100, 150), {
        "A": 10.0,
        "m": rng.uniform(35, 65),
        "s": rng.uniform(10, 18),
        "B": rng.uniform(0.8, 2),
        "u": rng.uniform(15, 85),
        "v": rng.uniform(0.7, 1.5),
        "C": 1.0,
    }


def _decays(rng: np.random.Generator) -> tuple[Array, dict[str, float]]:
    return np.geomspace(0.1, 100, 18), {
        "A": rng.uniform(3, 6),
        "k": rng.uniform(0.5, 2),
        "B": rng.uniform(2, 5),
        "l": rng.uniform(0.02, 0.08),
        "C": 0.5,
    }


def _few(rng: np.random.Generator) -> tuple[Array, dict[str, float]]:
    return uneven(rng, 8, 10), {"V": rng.uniform(5, 10), "K": rng.uniform(0.5, 4), "C": rng.uniform(0, 1)}


def _growth(rng: np.random.Generator) -> tuple[Array, dict[str, float]]:
    return uneven(rng, 9, 30), {"L": rng.uniform(5, 10), "k": rng.uniform(0.3, 0.8), "m": rng.uniform(8, 20)}


def _turns(rng: np.random.Generator) -> tuple[Array, dict[str, float]]:
    return uneven(rng, 25, 12), {
        "A": rng.uniform(1, 3),
        "T": rng.uniform(0.8, 5),
        "p": rng.uniform(-3, 3),
        "C": rng.uniform(-1, 1),
    }


CASES = (
    Case(
        "damped wave, uneven rows",
        "y = A*exp(-k*x)*sin(w*x + p) + C",
        _wave,
        lambda x, c: c["A"] * np.exp(-c["k"] * x) * np.sin(c["w"] * x + c["p"]) + c["C"],
        0.1,
    ),
    Case(
        "wave by its period, uneven rows",
        "y = A*sin(2*pi*x/T + p) + C",
        _turns,
        lambda x, c: c["A"] * np.sin(2 * np.pi * x / c["T"] + c["p"]) + c["C"],
        0.1,
    ),
    Case(
        "biphasic dose response, seven decades",
        "y = B + (T - B)*(f/(1 + (x/p)^g) + (1 - f)/(1 + (x/q)^h))",
        _doses,
        lambda x, c: (
            c["B"]
            + (c["T"] - c["B"])
            * (c["f"] / (1 + (x / c["p"]) ** c["g"]) + (1 - c["f"]) / (1 + (x / c["q"]) ** c["h"]))
        ),
        1.0,
    ),
    Case(
        "weak narrow peak beside a broad one",
        "y = A*exp(-((x - m)/s)^2) + B*exp(-((x - u)/v)^2) + C",
        _peaks,
        lambda x, c: (
            c["A"] * np.exp(-(((x - c["m"]) / c["s"]) ** 2))
            + c["B"] * np.exp(-(((x - c["u"]) / c["v"]) ** 2))
            + c["C"]
        ),
        0.15,
    ),
    Case(
        "two decays, three decades",
        "y = A*exp(-k*x) + B*exp(-l*x) + C",
        _decays,
        lambda x, c: c["A"] * np.exp(-c["k"] * x) + c["B"] * np.exp(-c["l"] * x) + c["C"],
        0.05,
    ),
    Case("saturation, 8 rows", "y = C + V*x/(K + x)", _few, lambda x, c: c["C"] + c["V"] * x / (c["K"] + x), 0.1),
    Case(
        "logistic growth, 9 rows",
        "y = L/(1 + exp(-k*(x - m)))",
        _growth,
        lambda x, c: c["L"] / (1 + np.exp(-c["k"] * (x - c["m"]))),
        0.1,
    ),
)


def counted(case: Case) -> tuple[int, int]:
    """Return how many of the sets ended above the least squares, and how many of these say that they may have."""
    rng, above, said = np.random.default_rng(17), 0, 0
    for _ in range(SETS):
        x, true = case.make(rng)
        y = case.curve(x, true) + rng.normal(size=len(x)) * case.noise
        data = {"x": x, "y": y}
        free, near = core.fit(case.formula, data), core.fit(case.formula, data, start=true)
        if free.sum_of_squares > MORE * near.sum_of_squares:
            above += 1
            said += any("other answers" in text for text in free.warnings) or not free.converged
    return above, said


def lines() -> list[str]:
    """Return the table."""
    out = ["| Data | fits | above the least squares | of these, said to be doubtful |", "|---|---|---|---|"]
    for case in CASES:
        above, said = counted(case)
        out.append(f"| {case.name} | {SETS} | {above} | {said} |")
    return out


if __name__ == "__main__":
    print("\n".join(lines()))
