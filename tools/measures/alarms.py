"""How often each check is wrong on clean data, and how often it finds what it is for."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from vettore import core
from vettore.core.fitting.after.checks import Kind, Verdict, checks

MODELS: dict[str, tuple[str, dict[str, float], tuple[float, float]]] = {
    "straight line": ("y = a + b*x", {"a": 1.0, "b": 2.0}, (0, 10)),
    "cubic": ("y = a + b*x + c*x^2 + d*x^3", {"a": 20.0, "b": -9.0, "c": 3.0, "d": -0.25}, (0, 10)),
    "decay": ("y = A*exp(-k*x) + C", {"A": 10.0, "k": 0.5, "C": 2.0}, (0, 8)),
    "saturation": ("y = V*x/(K + x)", {"V": 10.0, "K": 2.0}, (0.3, 12)),
}
ROWS = (9, 12, 30)
SCATTER = 0.2
TESTED = (
    Kind.PATTERN,
    Kind.SPREAD,
    Kind.NORMAL,
    Kind.OUTLIERS,
    Kind.INFLUENCE,
    Kind.KNOWN_SIGMA,
    Kind.LACK_OF_FIT,
    Kind.TREND,
    Kind.ROWS,
    Kind.CONVERGENCE,
    Kind.TOGETHER,
)
Noise = Callable[[np.random.Generator, np.ndarray], np.ndarray]


def normal(rng: np.random.Generator, y: np.ndarray) -> np.ndarray:
    """Scatter as it should be."""
    return rng.normal(0, SCATTER, len(y))


def outlier(place: int) -> Noise:
    """One row eight standard deviations off."""

    def noise(rng: np.random.Generator, y: np.ndarray) -> np.ndarray:
        e = rng.normal(0, SCATTER, len(y))
        e[place] += 8 * SCATTER
        return e

    return noise


def widening(rng: np.random.Generator, y: np.ndarray) -> np.ndarray:
    """Scatter that grows as y does."""
    return rng.normal(0, SCATTER, len(y)) * np.abs(y) / np.mean(np.abs(y)) ** 1.0


def heavy(rng: np.random.Generator, y: np.ndarray) -> np.ndarray:
    """Scatter with heavy tails on one side."""
    return SCATTER * (rng.lognormal(0, 1.2, len(y)) - 2.05)


def places(span: tuple[float, float], n: int, repeats: int) -> np.ndarray:
    """Even places, each taken ``repeats`` times."""
    return np.repeat(np.linspace(*span, -(-n // repeats)), repeats)[:n]


def asked(
    model: str,
    n: int,
    noise: Noise,
    sets: int,
    *,
    bend: float = 0.0,
    repeats: int = 1,
    told: float = 1.0,
    seed: int = 1,
) -> Counter:
    """Return how often each kind of check asks for a look; ``bend`` adds a shape that the model has not."""
    formula, truth, span = MODELS[model]
    x = places(span, n, repeats)
    program = core.practice(formula, truth, x=x, noise=0.0, seed=1).true_y
    t = (x - x.mean()) / np.ptp(x)
    wave = bend * SCATTER * np.cos(3 * np.pi * t)
    rng = np.random.default_rng([seed, n])
    found: Counter = Counter()
    for _ in range(sets):
        y = program + wave + noise(rng, program)
        result = core.fit(formula, {"x": x, "y": y}, start=truth, sigma=SCATTER * told, absolute_sigma=True)
        # The start is the truth, so nothing better is to be found.
        result = replace(result, beside=None)
        kinds = {one.kind for one in checks(result) if one.verdict is not Verdict.GOOD}
        found.update(kinds)
    return found


DEFECTS: dict[Kind, tuple[str, dict]] = {
    Kind.PATTERN: ("a wave of 2.5 s left in", {"noise": normal, "bend": 2.5}),
    Kind.SPREAD: ("scatter that grows as y", {"noise": widening}),
    Kind.NORMAL: ("lognormal scatter", {"noise": heavy}),
    Kind.OUTLIERS: ("a row in the middle off by 8 s", {"noise": None}),
    Kind.INFLUENCE: ("the last row off by 8 s", {"noise": outlier(-1)}),
    Kind.KNOWN_SIGMA: ("± half as large as they are", {"noise": normal, "told": 0.5}),
    Kind.LACK_OF_FIT: ("a wave of 2.5 s, x in threes", {"noise": normal, "bend": 2.5, "repeats": 3}),
}


def lines(sets: int = 1000) -> list[str]:
    """Return the section."""
    cells = [(model, n) for model in MODELS for n in ROWS]
    clean = {cell: asked(*cell, normal, sets) for cell in cells}
    repeated = {cell: asked(*cell, normal, sets, repeats=3) for cell in cells if cell[1] > 9}
    out = [
        "## Checks of a fit",
        "",
        (
            f"How often a check asks for a look, in per cent of {sets} sets: first on clean data (the largest of "
            f"{len(cells)} cells, {len(MODELS)} models with n = {', '.join(map(str, ROWS))}), then on data with the defect "
            "that it is for, by n (the mean over the models). The ± of y are told to the fit as known."
        ),
        "",
        "| check | clean, at most | clean, mean | defect | " + " | ".join(f"found, n = {n}" for n in ROWS) + " |",
        "|---|---|---|---|" + "---|" * len(ROWS),
    ]
    for kind in TESTED:
        table = repeated if kind is Kind.LACK_OF_FIT else clean
        shares = [100 * found[kind] / sets for found in table.values()]
        row = [kind.value, f"{max(shares):.1f}", f"{np.mean(shares):.1f}"]
        if kind in DEFECTS:
            words, how = DEFECTS[kind]
            row.append(words)
            for n in ROWS:
                how_here = {**how, "noise": outlier(n // 2)} if how["noise"] is None else how
                noise = how_here["noise"]
                rest = {name: value for name, value in how_here.items() if name != "noise"}
                few = max(sets // 4, 50)
                hits = [100 * asked(model, n, noise, few, seed=2, **rest)[kind] / few for model in MODELS]
                row.append(f"{np.mean(hits):.0f}")
        else:
            row += ["—", *["—"] * len(ROWS)]
        out.append("| " + " | ".join(row) + " |")
    return out
