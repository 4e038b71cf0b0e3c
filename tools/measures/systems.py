"""Rates without starting values: how often a search ends above the likelihood from the truth, and how often ranges hold.

python -m tools.measures.systems [SETS]           random schemes
python -m tools.measures.systems coverage [SETS]  how often 95 % ranges hold, by scheme
python -m tools.measures.systems witness          ten schemes against an independent solver and minimiser
"""

from __future__ import annotations

import sys

import numpy as np

from vettore import core
from vettore.core.formula.evaluate import evaluate
from vettore.core.systems.motion import Motion
from vettore.core.systems.problem import problem_of
from vettore.core.systems.read import read_system
from vettore.core.systems.search import NEAR, descend

# A scheme: its equations, what is measured of it, and coefficients about which the true ones are drawn.
SCHEMES = (
    ("A -> B; k1; B -> C; k2; A(0)=A0; B(0)=0; C(0)=0", "A B C", {"k1": 0.2, "k2": 0.07, "A0": 2}),
    ("A <=> B; kf, kr; A(0)=A0; B(0)=0", "A B", {"kf": 0.2, "kr": 0.05, "A0": 2}),
    ("A -> B; k1; A -> C; k2; A(0)=A0; B(0)=0; C(0)=0", "A B C", {"k1": 0.1, "k2": 0.05, "A0": 1}),
    ("A + B -> C; k; A(0)=A0; B(0)=B0; C(0)=0", "A B C", {"k": 0.1, "A0": 2, "B0": 3}),
    ("S -> P; V*S/(K+S); S(0)=S0; P(0)=0", "S P", {"V": 0.3, "K": 1.0, "S0": 4}),
    ("N' = r*N*(1 - N/M); N(0)=N0", "N", {"r": 0.3, "M": 10, "N0": 0.4}),
    ("x'' = -w^2*x - 2*d*x'; x(0)=x0; x'(0)=v0", "x", {"w": 0.8, "d": 0.06, "x0": 1, "v0": 0.2}),
    (
        "X' = m*X*S/(K+S); S' = -m*X*S/(K+S)/Y; X(0)=X0; S(0)=S0",
        "X S",
        {"m": 0.4, "K": 2, "Y": 0.5, "X0": 0.2, "S0": 8},
    ),
    (
        "A -> B; k1; B <=> C; k2, k3; C -> D; k4; A(0)=A0; B(0)=0; C(0)=0; D(0)=0",
        "A B C D",
        {"k1": 0.3, "k2": 0.2, "k3": 0.1, "k4": 0.08, "A0": 1},
    ),
    (
        "D' = -ka*D; P' = ka*D - ke*P - k12*P + k21*Q; Q' = k12*P - k21*Q; D(0)=100; P(0)=0; Q(0)=0; conc = P/Vd",
        "conc",
        {"ka": 0.5, "ke": 0.15, "k12": 0.1, "k21": 0.2, "Vd": 20},
    ),
    (
        "H' = a*H - b*H*L; L' = c*H*L - d*L; H(0)=H0; L(0)=L0",
        "H L",
        {"a": 0.5, "b": 0.1, "c": 0.03, "d": 0.3, "H0": 10, "L0": 4},
    ),
    (
        "2 A -> D; k; D -> E; q; A(0)=A0; D(0)=0; E(0)=0; signal = eA*A + eD*D + z",
        "signal",
        {"k": 0.1, "q": 0.05, "A0": 2, "eA": 1, "eD": 2.0, "z": 0.1},
    ),
    (
        "S' = -b*S*I; I' = b*S*I - g*I; R' = g*I; S(0)=990; I(0)=I0; R(0)=0",
        "I R",
        {"b": 0.0006, "g": 0.15, "I0": 10},
    ),
)
# Worse by more than this in the likelihood is short of the best.
SHORT = 1e-3


def columns_of(text: str, shown: list[str], true: dict[str, float], t: np.ndarray) -> dict[str, np.ndarray]:
    """Return what a scheme says of its measured columns at times."""
    system = read_system(text, ["t", *shown])
    run = Motion(system, {}).run(true, t, 1e-9, False)
    values = {
        **{k: np.float64(v) for k, v in true.items()},
        **dict(zip(system.state_names, run.states.T, strict=True)),
    }
    return {entry.name: evaluate(entry.right, {**values, "t": t}, len(t)) for entry in system.measured}


def short_by(seed: int) -> tuple[float, core.SystemFit]:
    """Return by how much the search ends above the likelihood from the truth, for one random set of a scheme."""
    rng = np.random.default_rng(seed)
    text, shown, about = SCHEMES[seed % len(SCHEMES)]
    names = shown.split()
    true = {name: value * 10 ** rng.uniform(-0.3, 0.3) for name, value in about.items()}
    n = int(rng.integers(25, 120))
    t = np.sort(rng.uniform(0, 40, n)) if rng.random() < 0.5 else np.linspace(0, 40, n)
    if len(names) > 1 and rng.random() < 0.4:
        names = names[:-1]
    exact = columns_of(text, shown.split(), true, t)
    data = {"t": t}
    for name in names:
        data[name] = exact[name] + rng.normal(0, 10 ** rng.uniform(-2, -1.3) * np.ptp(exact[name]), n)
    fit = core.fit_system(text, data)
    problem = problem_of(read_system(text, data), data, None, None, None)
    known = descend(problem, np.array([true[name] for name in problem.free]), NEAR, 80)
    return fit.end.deviance - known.deviance, fit


def lines(total: int) -> list[str]:
    """Return how many of so many random sets end short, and how many of these say so."""
    short, silent = [], 0
    for seed in range(total):
        behind, fit = short_by(seed)
        if behind > SHORT:
            short.append(seed)
            silent += not fit.warnings
            print("short", seed, behind, fit.warnings, file=sys.stderr)
    return [f"{len(short)} of {total} sets above the likelihood from the truth, {silent} of them without a word"]


def coverage(sets: int) -> list[str]:
    """Return how often 95 % ranges hold: unlike scatters, a state that is not measured, blanks."""
    t = np.linspace(0, 40, 40)
    out = ["| Scheme | coefficient | holds |", "|---|---|---|"]
    for text, shown, true in (SCHEMES[0], SCHEMES[4], SCHEMES[8]):
        names = shown.split()[:2]
        exact = columns_of(text, names, true, t)
        held = dict.fromkeys(true, 0)
        for seed in range(sets):
            rng = np.random.default_rng(seed)
            data = {"t": t}
            for name, size in zip(names, (0.01, 0.04), strict=True):
                data[name] = exact[name] + rng.normal(0, size * np.ptp(exact[name]), len(t))
                data[name][rng.random(len(t)) < 0.1] = np.nan
            fit = core.fit_system(text, data, start=true)
            for name, value in true.items():
                ends = fit.coefficients[name]
                held[name] += ends.low is not None and ends.low <= value <= ends.high
        out += [f"| {text.split(';')[0]} … | {name} | {100 * count / sets:.1f} % |" for name, count in held.items()]
    return out


def witness_of(place: int, seed: int = 7) -> tuple[float, float]:
    """Return by how many of its ± a coefficient differs most from an independent solver and minimiser, and ± by which share."""
    from scipy.integrate import solve_ivp
    from scipy.optimize import least_squares

    rng = np.random.default_rng(seed)
    text, shown, true = SCHEMES[place]
    t = np.linspace(0, 30, 40)
    exact = columns_of(text, shown.split(), true, t)
    sizes = {name: 0.02 * np.ptp(values) for name, values in exact.items()}
    data = {"t": t} | {name: values + rng.normal(0, sizes[name], len(t)) for name, values in exact.items()}
    fit = core.fit_system(text, data, sigma=sizes, absolute_sigma=True, start=true)
    system, names = read_system(text, data), list(true)

    def residuals(p: np.ndarray) -> np.ndarray:
        values = {name: np.float64(value) for name, value in zip(names, p, strict=True)}
        first = [float(evaluate(state.initial, values, 1)[0]) for state in system.states]

        def rates(now: float, y: np.ndarray) -> list[float]:
            given = {**values, "t": np.float64(now), **dict(zip(system.state_names, y, strict=True))}
            return [float(evaluate(state.rate, given, 1)[0]) for state in system.states]

        run = solve_ivp(rates, (0, 30), first, "Radau", t_eval=t, rtol=1e-9, atol=1e-11)
        given = {**values, "t": t, **dict(zip(system.state_names, run.y, strict=True))}
        parts = [(data[m.name] - evaluate(m.right, given, len(t))) / sizes[m.name] for m in system.measured]
        return np.concatenate(parts)

    begin = np.array([true[name] for name in names])
    end = least_squares(residuals, begin, x_scale=np.abs(begin), jac="3-point", xtol=1e-12, ftol=1e-12, gtol=1e-12)
    errors = np.sqrt(np.diag(np.linalg.inv(end.jac.T @ end.jac)))
    mine = np.array([fit.values[name] for name in names])
    spread = np.array([fit.coefficients[name].standard_error for name in names], dtype=float)
    return float(np.max(np.abs(mine - end.x) / errors)), float(np.max(np.abs(spread / errors - 1)))


def witnesses() -> list[str]:
    """Return, scheme by scheme, how far coefficients and ± are from those of an independent solver and minimiser."""
    out = ["| Scheme | coefficient, in ± | ±, share |", "|---|---|---|"]
    for place in range(10):
        apart, share = witness_of(place)
        out.append(f"| {SCHEMES[place][0].split(';')[0]} … | {apart:.1e} | {share:.1e} |")
    return out


if __name__ == "__main__":
    given = sys.argv[1:]
    number = [int(text) for text in given if text.isdecimal()]
    if "witness" in given:
        print("\n".join(witnesses()))
    else:
        print("\n".join(coverage(*number or [200]) if "coverage" in given else lines(*number or [60])))
