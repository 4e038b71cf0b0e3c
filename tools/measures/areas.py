"""Areas under 200 functions whose exact value is known: is the printed error a bound, and is nothing settled that is wrong?"""

from __future__ import annotations

import math
import random
from collections.abc import Iterator

from vettore import core
from vettore.core.errors import DataError

INF = math.inf
ROOT_PI = math.sqrt(math.pi)
# Formula, limits, and the exact area or None where there is none.
Case = tuple[str, str, float, float, float | None]


def battery() -> Iterator[Case]:
    """Yield kind, formula, limits and exact area of 200 integrands."""
    rng = random.Random(7)
    yield from _peaks(rng)
    yield from _corners(rng)
    yield from _singular(rng)
    yield from _waves(rng)
    yield from _smooth(rng)
    yield from _divergent()


def _peaks(rng: random.Random) -> Iterator[Case]:
    for k in range(30):
        w, c, h = 10.0 ** -(1 + k % 6), rng.uniform(0.5, 9.5), rng.uniform(0.5, 50)
        # The tails beyond 0 … 10 are left out where they count.
        area = h * w * ROOT_PI / 2 * (math.erf(c / w) + math.erf((10 - c) / w))
        yield "narrow Gaussian peaks", f"{h!r}*exp(-((x - {c!r})/{w!r})^2)", 0, 10, area
    for k in range(24):
        w, c = 10.0 ** -(1 + k % 6), rng.uniform(0.5, 9.5)
        yield (
            "narrow Lorentzian peaks",
            f"1 + 1/(1 + ((x - {c!r})/{w!r})^2)",
            0,
            10,
            10 + w * (math.atan((10 - c) / w) + math.atan(c / w)),
        )
    for k in range(12):
        c, s = rng.uniform(50, 5000), 10.0 ** rng.uniform(-2, 1)
        ends = (0, INF) if k % 2 else (-INF, INF)
        yield "peaks far out", f"exp(-((x - {c!r})/{s!r})^2)", *ends, s * ROOT_PI
    for k in range(10):
        w = 10.0 ** -(k % 6)
        yield "fast decays", f"exp(-x/{w!r})", 0, INF, w


def _corners(rng: random.Random) -> Iterator[Case]:
    for _ in range(14):
        c = rng.choice([10.0 ** rng.uniform(-6, -1), 10 - 10.0 ** rng.uniform(-6, -1), rng.uniform(1, 9)])
        yield "corners", f"abs(x - {c!r})", 0, 10, (c**2 + (10 - c) ** 2) / 2
        yield "steps", f"if(x < {c!r}, 2, 3*exp(-(x - {c!r})))", 0, 10, 2 * c + 3 * (1 - math.exp(c - 10))
        yield "rises", f"max(x - {c!r}, 0)^2", 0, 10, (10 - c) ** 3 / 3


def _singular(rng: random.Random) -> Iterator[Case]:
    for _ in range(10):
        p = rng.uniform(-0.9, 0.9)
        yield "powers at an end", f"x^({p!r})", 0, 3, 3 ** (p + 1) / (p + 1)
        c, q = rng.uniform(0.5, 2.5), rng.uniform(-0.7, -0.1)
        both = (c ** (q + 1) + (3 - c) ** (q + 1)) / (q + 1)
        yield "powers inside", f"abs(x - {c!r})^({q!r})", 0, 3, both
        a = rng.uniform(0.5, 4)
        yield "logarithms", f"ln(x)*x^{a!r}", 0, 1, -1 / (a + 1) ** 2


def _waves(rng: random.Random) -> Iterator[Case]:
    for _ in range(10):
        w, k = rng.uniform(0.5, 30), rng.uniform(0.02, 2)
        yield "damped waves", f"exp(-{k!r}*x)*cos({w!r}*x)", 0, INF, k / (k * k + w * w)
        yield "slow waves", f"sin({w!r}*x)/x", 0, INF, math.pi / 2
        n = rng.uniform(100, 2000)
        yield "many waves", f"cos({n!r}*x)", 0, 1, math.sin(n) / n
    for _ in range(4):
        yield "waves over roots", "cos(x)/sqrt(x)", 0, INF, math.sqrt(math.pi / 2)


def _smooth(rng: random.Random) -> Iterator[Case]:
    for _ in range(8):
        a, b = rng.uniform(0.2, 3), rng.uniform(0.5, 5)
        yield "smooth", f"exp({a!r}*x)*x", 0, b, math.exp(a * b) * (b / a - 1 / a**2) + 1 / a**2
        yield "odd functions", f"x*exp(-{a!r}*x^2)", -INF, INF, 0.0
        yield "rational tails", f"1/({a!r}^2 + x^2)", -INF, INF, math.pi / a


def _divergent() -> Iterator[Case]:
    for formula, a, b in (
        ("1/x", 0, 1),
        ("1/x", 1, INF),
        ("1/(x - 0.3)", 0, 1),
        ("1/(x - 0.3)^2", 0, 1),
        ("x/(1 + x^2)", -INF, INF),
        ("x^3", -INF, INF),
        ("sin(x)", 0, INF),
        ("x^(-1.2)", 0, 1),
        ("1/sqrt(x)", 1, INF),
        ("1/ln(x)", 0.5, 2),
        ("tan(x)", 0, 3),
        ("exp(x)", 0, INF),
    ):
        yield "no area", formula, a, b, None


def lines() -> list[str]:
    """Return the section."""
    found: dict[str, list[int]] = {}
    for kind, formula, a, b, exact in battery():
        count = found.setdefault(kind, [0, 0, 0, 0])
        count[0] += 1
        try:
            told = core.integrate_function(formula, a, b)
            settled, miss = told.settled, math.inf if exact is None else abs(told.estimate - exact)
            error = told.error if told.error is not None else 0.0
        except DataError:
            settled, miss, error = False, math.inf, math.inf
        count[1] += settled
        count[2] += settled and miss > error
        count[3] += settled and (exact is None or miss > max(error, 1e-6 * abs(exact)) * 10)
    total = [sum(column) for column in zip(*found.values(), strict=True)]
    rows = [f"| {kind} | " + " | ".join(map(str, count)) + " |" for kind, count in found.items()]
    return [
        "## Areas under functions",
        "",
        (
            "Functions with a known area, at the usual tolerance of 1e-9: how many settled, how often the stated error was no "
            "bound of the true one, and how often something settled that is wrong or has no area."
        ),
        "",
        "| kind | functions | settled | error no bound | settled wrongly |",
        "|---|---|---|---|---|",
        *rows,
        "| **all** | " + " | ".join(f"**{value}**" for value in total) + " |",
    ]
