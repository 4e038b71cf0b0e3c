"""Peaks without starting values: how often they end above the squares from the truth, how often their number is right.

python -m tools.measures.peaks [SPECTRA]        squares and numbers, by shape
python -m tools.measures.peaks coverage [SETS]  how often 95 % ranges hold, by shape
"""

from __future__ import annotations

import math
import sys
import time
from dataclasses import dataclass

import numpy as np

from vettore import core
from vettore.core.arrays import Array
from vettore.core.peaks.backgrounds import plain
from vettore.core.peaks.numbers import numbers_of
from vettore.core.peaks.search import of_count, sought, weakest
from vettore.core.peaks.shapes import FWHM, SHAPES, PeakShape
from vettore.core.peaks.trace import PeakTrace, State

SPECTRA, SETS = 1000, 300
# Squares this share above those from the truth are short of the least.
SHORT = 1.001
# A peak is told where what it adds is no chance by its own F test at this level.
ADDS = 1e-4
EXTRAS = {"share": (0.0, 0.9), "tail": (0.2, 2.0), "lean": (-0.5, 0.5), "skew": (-0.6, 0.6)}


@dataclass(frozen=True)
class Spectrum:
    """A made-up spectrum, its true peaks (k, 2 + extras) and heights, and the kind of its background."""

    x: Array
    y: Array
    peaks: Array
    heights: Array
    kind: str


def spectrum(seed: int, shape: PeakShape, most: int = 10) -> Spectrum:
    """Return a spectrum of 1 to so many peaks, with shoulders down to 1.2 standard widths, on any background."""
    rng = np.random.default_rng(seed)
    n, count = int(rng.choice([100, 200, 400, 1000, 2000])), int(rng.integers(1, most + 1))
    count = min(count, n // 40)
    x = np.linspace(0, 300, n) if rng.random() < 0.7 else np.sort(rng.uniform(0, 300, n))
    broad = rng.uniform(12, 28, count) * min(1.0, 8 / count) * FWHM / 2
    room = 300 - broad.sum()
    while True:
        places = np.sort(rng.uniform(20, 280, count))
        apart = np.diff(places) / ((broad[:-1] + broad[1:]) / 2 / FWHM)
        if room < 0 or (apart > 1.2).all():
            break
    heights = 10 ** rng.uniform(-0.7, 0, count)
    extras = [rng.uniform(*EXTRAS[extra.name], count) for extra in shape.extras]
    peaks = np.column_stack([places, np.log(broad), *extras])
    kind = str(rng.choice(["level", "slope", "parabola"]))
    t = (x - 150) / 150
    ground = {"level": 0 * t, "slope": 0.1 * t, "parabola": 0.1 * t + 0.15 * t * t}[kind] + 0.2
    bare = PeakTrace(x, ground, None, plain("none", x).columns, shape)
    noise = heights.max() / 10 ** rng.uniform(1, math.log10(300))
    y = ground + bare.unit(peaks) @ heights + rng.normal(0, noise, n)
    return Spectrum(x, y, peaks, heights, kind)


def _adds(trace: PeakTrace, best: State) -> bool:
    """Whether every peak adds more than chance could, the others refitted."""
    each = len(trace.low) + 1
    freedom = len(trace.x) - each * best.count - trace.background.shape[1]
    for i in weakest(trace, best)[:2]:
        fewer = trace.refine(np.delete(best.p, i, axis=0), 200, 1e-10)
        ratio = (fewer.squares - best.squares) / each / (best.squares / freedom)
        if core_f(ratio, each, freedom) > ADDS:
            return False
    return True


def core_f(ratio: float, more: int, freedom: int) -> float:
    """Return the probability of a ratio of variances at least so large."""
    from vettore.core.columns.scatter import f_above

    return float(f_above(max(ratio, 0.0), more, freedom))


def lines(total: int = SPECTRA) -> list[str]:
    """Return the table of squares and numbers."""
    out = [
        (
            "| Shape | spectra | above the squares from the truth | number right where each peak adds | extra peaks over 5 % "
            "| median s | slowest s |"
        ),
        "|---|---|---|---|---|---|---|",
    ]
    for place, shape in enumerate(SHAPES.values()):
        short = right = clear = extra = 0
        times = []
        spectra = total // len(SHAPES)
        for seed in range(spectra):
            known = spectrum(100_000 * (place + 1) + seed, shape)
            trace = PeakTrace(known.x, known.y, None, plain(known.kind, known.x).columns, shape)
            best = trace.refine(known.peaks, 300, 1e-12)
            counted = of_count(trace, trace.start(), best.count)
            if counted.squares > SHORT * best.squares:
                short += 1
                print("short", shape.key, seed, counted.squares / best.squares, file=sys.stderr)
            begun = time.perf_counter()
            state, _ = sought(trace, trace.start(), 14)
            times.append(time.perf_counter() - begun)
            if _adds(trace, best):
                clear += 1
                right += state.count == best.count
                if state.count != best.count:
                    print("number", shape.key, seed, best.count, state.count, file=sys.stderr)
                if state.count > best.count:
                    areas = state.heights * np.exp(state.p[:, 1])
                    extra += bool(np.abs(areas).min() > 0.05 * np.abs(areas).sum())
        out.append(
            f"| {shape.key} | {spectra} | {short} | {right} of {clear} ({100 * right / max(clear, 1):.1f} %) | {extra} "
            f"| {np.median(times):.2f} | {max(times):.2f} |"
        )
    return out


def coverage(sets: int = SETS, shapes: tuple[str, ...] = ("gaussian", "lorentzian", "split", "tailed")) -> list[str]:
    """Return the table of how often 95 % ranges hold, for a peak by itself and for a shoulder."""
    out = ["| Shape | peak | place | height | width | area |", "|---|---|---|---|---|---|"]
    x = np.linspace(0, 100, 250)
    for key in shapes:
        shape = SHAPES[key]
        extras = [0.3] * len(shape.extras)
        truth = [[1.0, 30.0, 8.0, *extras], [0.8, 60.0, 9.0, *extras], [0.5, 68.0, 8.0, *extras]]
        exact = [numbers_of(shape, peak) for peak in truth]
        mu = 0.1 + 0.002 * x + sum(peak[0] * shape.unit((x - peak[1]) / peak[2], *extras) for peak in truth)
        held: list[list[list[bool]]] = []
        for seed in range(sets):
            y = mu + np.random.default_rng(seed).normal(0, 0.04, len(x))
            answer = core.fit_peaks(x, y, key, count=3)
            held.append(
                [
                    [
                        coefficient.low is None or bool(coefficient.low <= true <= (coefficient.high or math.inf))
                        for coefficient, true in zip(
                            (peak.place, peak.height, peak.width, peak.area), of, strict=True
                        )
                    ]
                    for peak, of in zip(answer.peaks, exact, strict=True)
                ]
            )
        share = np.mean(held, axis=0) * 100
        for name, row in zip(("alone", "with a shoulder", "the shoulder"), share, strict=True):
            out.append(f"| {key} | {name} | " + " | ".join(f"{value:.1f} %" for value in row) + " |")
    return out


if __name__ == "__main__":
    given = sys.argv[1:]
    number = [int(text) for text in given if text.isdecimal()]
    print("\n".join(coverage(*number) if "coverage" in given else lines(*number)))
