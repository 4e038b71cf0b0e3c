"""Twenty formulas outside the catalogue, fitted without starts at three scales of x with three seeds, for ACCURACY.md."""

from __future__ import annotations

import time

import numpy as np

import vettore.core as core

# formula in t (and u), true coefficients, noise; t runs from 1 to 100
FORMULAS = (
    ("A*sin(w*t + p) + B*sin(v*t + q) + C", {"A": 3, "w": 0.31, "p": 0.7, "B": 1.5, "v": 0.83, "q": -0.4, "C": 5}, 0.1),
    (
        "A*exp(-((t-m)/w)^2) + B*exp(-((t-n)/v)^2) + D*exp(-((t-o)/u)^2) + C",
        {"A": 5, "m": 20, "w": 6, "B": 3, "n": 48, "v": 5, "D": 4, "o": 75, "u": 8, "C": 1},
        0.05,
    ),
    ("A*t*exp(-k*t)", {"A": 0.8, "k": 0.07}, 0.1),
    ("A*exp(-exp(b - c*t)) + C", {"A": 8, "b": 2, "c": 0.07, "C": 1}, 0.05),
    ("A*exp(-B*exp(-k*t))", {"A": 7, "B": 4, "k": 0.06}, 0.05),
    ("A*(1 - exp(-k*t))^n", {"A": 6, "k": 0.05, "n": 2.2}, 0.05),
    ("A*exp(-k*t)*(1 + B*cos(w*t))", {"A": 6, "k": 0.02, "B": 0.4, "w": 0.5}, 0.05),
    ("A/(1 + exp(-(t - m)/s)) - B/(1 + exp(-(t - n)/r))", {"A": 4, "m": 25, "s": 3, "B": 3, "n": 70, "r": 5}, 0.05),
    ("(a + b*t)*exp(-k*t) + C", {"a": 1, "b": 0.9, "k": 0.08, "C": 2}, 0.05),
    ("A*t^n*exp(-k*t)", {"A": 0.05, "n": 2.1, "k": 0.09}, 0.05),
    ("A*ln(1 + k*t) + C", {"A": 2, "k": 0.3, "C": 1}, 0.05),
    ("A*sqrt(t + b) + C", {"A": 1.5, "b": 12, "C": -2}, 0.05),
    ("A*atan(k*(t - m)) + C", {"A": 2, "k": 0.15, "m": 45, "C": 4}, 0.05),
    ("A*tanh(k*(t - m)) + B*t", {"A": 2, "k": 0.1, "m": 40, "B": 0.03}, 0.05),
    ("A*exp(-k*t) + B*exp(-((t - m)/w)^2)", {"A": 5, "k": 0.05, "B": 2, "m": 60, "w": 7}, 0.05),
    ("A/(t + b) + C*t", {"A": 60, "b": 9, "C": 0.04}, 0.05),
    ("A*sin(w*t + p)*exp(-k*t) + B*t + C", {"A": 4, "w": 0.45, "p": 1, "k": 0.03, "B": 0.02, "C": 1}, 0.05),
    ("A*max(t - m, 0)^n + C", {"A": 0.03, "m": 30, "n": 1.6, "C": 2}, 0.1),
    ("A*exp(-k*t)*s + B", {"A": 3, "k": 0.04, "B": 1}, 0.05),
    ("V*t*s/((K + t)*(L + s))", {"V": 12, "K": 15, "L": 2}, 0.05),
)  # fmt: skip
TWO_COLUMNS = (FORMULAS[-2][0], FORMULAS[-1][0])
SCALES, SEEDS = (1e-6, 1.0, 1e6), (1, 2, 3)


def table() -> list[str]:
    """Return the lines of the table; the last says how many formulas were reached always."""
    t = np.linspace(1, 100, 80)
    rng = np.random.default_rng(12)
    second = rng.uniform(0.5, 6, len(t))
    lines = ["| formula | reached | longest s |", "|---|---|---|"]
    good = 0
    for right, true, noise in FORMULAS:
        reached, longest = 0, 0.0
        exact = _value(right, true, t, second)
        y = exact + np.random.default_rng(5).normal(0, noise, len(t))
        floor = float(np.sum((y - exact) ** 2)) * (1 + 1e-9)
        for scale in SCALES:
            for seed in SEEDS:
                data = {"t": t * scale, "y": y}
                if "s" not in true and right in TWO_COLUMNS:
                    data["s"] = second
                begun = time.perf_counter()
                result = core.fit(f"y = {right}", data, seed=seed)
                longest = max(longest, time.perf_counter() - begun)
                reached += result.sum_of_squares <= floor
        good += reached == len(SCALES) * len(SEEDS)
        lines.append(f"| `{right}` | {reached} of 9 | {longest:.1f} |")
    return [*lines, "", f"{good} of {len(FORMULAS)} were reached at every scale with every seed."]


def _value(right: str, true: dict[str, float], t: np.ndarray, second: np.ndarray) -> np.ndarray:
    from vettore.core.formula.evaluate import evaluate
    from vettore.core.formula.formula import read_formula

    return evaluate(read_formula(right, ()).right, {"s": second, **true, "t": t}, len(t))
