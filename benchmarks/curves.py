"""Many fits at once, interpolation, areas and the live equation against their witnesses."""

from __future__ import annotations

import os
import statistics
import time

import numpy as np
from scipy.integrate import quad
from scipy.interpolate import CubicSpline
from scipy.optimize import curve_fit

import vettore.core as core
from benchmarks.timing import by_turns, line

FITS, ROWS, LOOPED = 10_000, 24, 400
INTEGRANDS = (
    ("exp(x)", 0, 1),
    ("1/(1 + x^2)", 0, 5),
    ("sin(x)^2", 0, 10),
    ("sqrt(x)", 0, 1),
    ("1/sqrt(x)", 0, 1),
    ("ln(x)", 0, 1),
    ("exp(-x^2)", -np.inf, np.inf),
    ("exp(-x)", 0, np.inf),
    ("x*exp(-x)", 0, np.inf),
    ("cos(50x)", 0, 1),
    ("1/(x^2 + 0.0001)", -1, 1),
    ("1/sqrt(1 - x)", 0, 1),
    ("abs(x - 0.3)", 0, 1),
)


def _decay(t, a, k, c):
    return a * np.exp(-k * t) + c


def many() -> None:
    """Print the time of many small fits against a loop over the usual call."""
    print(f"{FITS:,} decays of {ROWS} rows at once, against a loop over curve_fit (timed for {LOOPED:,})")
    rng, t = np.random.default_rng(1), np.linspace(0, 90, ROWS)
    k, a = rng.uniform(0.02, 0.1, FITS), rng.uniform(3, 8, FITS)
    y = a[:, None] * np.exp(-k[:, None] * t) + 2 + rng.normal(0, 0.1, (FITS, ROWS))
    data = [{"t": t, "y": one} for one in y]
    for what, start in (("from a given start", {"k": 0.05}), ("without a start", None)):
        ours, theirs = by_turns(
            lambda start=start: core.fit_many("y = A*exp(-k*t) + C", data, start=start),
            lambda: [curve_fit(_decay, t, one, [1, 0.05, 0]) for one in y[:LOOPED]],
            turns=5,
        )
        theirs *= FITS / LOOPED
        print(f"  {what:42} {ours * 1e3:10.0f} ms   the loop {theirs * 1e3:10.0f} ms   {theirs / ours:6.1f} × faster")


def splines() -> None:
    """Print building and evaluating a cubic spline of a million knots."""
    print("A cubic spline of 1e6 knots, built and evaluated at 1e6 x")
    rng = np.random.default_rng(1)
    x = np.sort(rng.uniform(0, 1e4, 1_000_000))
    y, at = np.sin(x / 50), rng.uniform(1, 9999, 1_000_000)
    ours, theirs = by_turns(lambda: core.interpolate(x, y, "cubic")(at), lambda: CubicSpline(x, y)(at), turns=3)
    line("not-a-knot", ours, theirs, "CubicSpline")


def areas() -> None:
    """Print evaluations of adaptive areas against quad at the same tolerance."""
    from vettore.core.formula.evaluate import Program
    from vettore.core.formula.formula import read_formula

    print("Evaluations of adaptive areas to 1e-9, against quad")
    for formula, a, b in INTEGRANDS:
        told = core.integrate_function(formula, a, b)
        program, calls = Program(read_formula(formula, ("x", "y")).right), [0]

        def counted(x, program=program, calls=calls):
            calls[0] += 1
            return float(program({"x": np.float64(x)}))

        quad(counted, a, b, epsabs=0, epsrel=1e-9, limit=200)
        print(f"  {formula:22} {told.evaluations:6}   quad {calls[0]:6}   ratio {told.evaluations / calls[0]:5.2f}")


def drag() -> None:
    """Print how long a frame takes while a coefficient is dragged, the plot painted offscreen."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PySide6.QtWidgets import QApplication

    from vettore.app.style import dress
    from vettore.app.window import Window
    from vettore.study import edits
    from vettore.study.study import Study
    from vettore.study.table import RawColumn, Source, Table

    app = QApplication.instance() or QApplication([])
    dress(app)  # type: ignore[arg-type]
    x = np.linspace(0, 90, 100_000)
    y = _decay(x, 6, 0.04, 2) + np.random.default_rng(1).normal(0, 0.1, len(x))
    table = Table((RawColumn("t", "min", x), RawColumn("y", "mg/L", y)), Source("made"))
    study = edits.add_model(edits.add_series(Study(), table, "long"), "s1", "exponential-decay-level")
    window = Window()
    window.start(study)
    window.show_page("Fit")
    window.show()
    page = window.pages["Fit"]
    page.filler.fill = lambda *_: None
    end = time.monotonic() + 60
    while page.fit is None and time.monotonic() < end:
        app.processEvents()
    frames = []
    for step in range(60):
        begun = time.perf_counter()
        page.strip.shaped.emit("k", 0.04 + 0.0002 * step)
        page.plot.grab()
        page.strip.grab()
        frames.append((time.perf_counter() - begun) * 1e3)
    frames.sort()
    print("A frame while a coefficient is dragged at 1e5 rows, painting included")
    print(f"  median {statistics.median(frames):.1f} ms   95th percentile {frames[56]:.1f} ms")
    window.session.background.stop()


def main() -> None:
    """Print the figures."""
    many()
    splines()
    areas()
    drag()
