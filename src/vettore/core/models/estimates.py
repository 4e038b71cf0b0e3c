"""Starts that catalogue models estimate from the data: x and y of shape (n,), sorted by x.

Each returns several sets for the nonlinear coefficients, so that agreement among them can be seen. They only have to be
near: a search goes on from them.
"""

from __future__ import annotations

import numpy as np

from vettore.core.arrays import Array

Sets = list[dict[str, float]]
# Multiples of a first guess that are tried beside it.
AROUND = (1.0, 0.3, 3.0)
MOST_IN_PERIODOGRAM = 500


def _span(x: Array) -> float:
    return float(x[-1] - x[0]) or abs(float(x[0])) or 1.0


def _ends(y: Array) -> tuple[float, float]:
    """Return y near the first and the last x, smoothed over a twentieth of the rows."""
    few = max(len(y) // 20, 1)
    return float(np.median(y[:few])), float(np.median(y[-few:]))


def _rate(x: Array, y: Array, level: float) -> float:
    """Return the slope of ln|y − level| over x, weighted by the size of y − level."""
    rest = y - level
    sign = np.sign(rest[np.argmax(np.abs(rest))])
    good = rest * sign > 0.05 * np.max(np.abs(rest))
    if good.sum() < 2 or np.ptp(x[good]) == 0:
        return 3 / _span(x)
    t, z, w = x[good], np.log(rest[good] * sign), np.abs(rest[good])
    middle = np.average(t, weights=w)
    spread = np.average((t - middle) ** 2, weights=w)
    return float(np.average((t - middle) * (z - np.average(z, weights=w)), weights=w) / spread)


def decay(x: Array, y: Array) -> Sets:
    """Return rates of a decay to zero."""
    rate = -_rate(x, y, 0.0)
    return [{"k": rate * factor} for factor in (1.0, 0.5, 2.0)]


def growth(x: Array, y: Array) -> Sets:
    """Return rates of a growth from zero."""
    return [{"k": -by_name["k"]} for by_name in decay(x, y)]


def decay_to_level(x: Array, y: Array) -> Sets:
    """Return rates of a decay to, or a rise towards, a level."""
    first, last = _ends(y)
    guess = abs(_rate(x, y, last - 0.05 * (first - last))) or 3 / _span(x)
    turned = -abs(_rate(x, y, first + 0.05 * (first - last)))
    return [*({"k": guess * factor} for factor in AROUND), {"k": 3 / _span(x)}, {"k": turned}, {"k": turned * 2}]


def growth_to_level(x: Array, y: Array) -> Sets:
    """Return rates of a growth above a level."""
    return [{"k": -by_name["k"]} for by_name in decay_to_level(x, y)]


def two_decays(x: Array, y: Array) -> Sets:
    """Return pairs of rates a few times apart."""
    guess = abs(_rate(x, y, 0.0)) or 1 / _span(x)
    return [{"k": guess * low, "q": guess * high} for low, high in ((0.5, 5.0), (1.0, 10.0), (0.3, 2.0), (0.1, 3.0))]


def stretched(x: Array, y: Array) -> Sets:
    """Return rates with exponents around one."""
    guess = abs(_rate(x, y, 0.0)) or 1 / _span(x)
    return [{"k": guess * f, "n": n} for f in (1.0, 3.0) for n in (0.5, 1.0, 2.0)]


def sigmoid(x: Array, y: Array) -> Sets:
    """Return midpoints where y is half way, with rates from how far apart quarter and three quarters are."""
    low, high = float(y.min()), float(y.max())
    share = (y - low) / ((high - low) or 1.0)
    if _ends(y)[1] < _ends(y)[0]:
        share = 1 - share
    quarter, half, three = (float(x[int(np.argmax(share >= level))]) for level in (0.25, 0.5, 0.75))
    width = abs(three - quarter) or _span(x) / 10
    rate = 2.2 / width
    rate = rate if _ends(y)[1] >= _ends(y)[0] else -rate
    return [
        {"k": rate * f, "m": m}
        for f, m in ((1.0, half), (0.5, half), (2.0, half), (1.0, float(x[-1])), (1.0, float(x.mean())))
    ]


def richards(x: Array, y: Array) -> Sets:
    """Return those of a sigmoid with several shapes."""
    return [{**by_name, "v": v} for by_name in sigmoid(x, y)[:3] for v in (1.0, 0.3, 3.0)]


def _half_x(x: Array, y: Array) -> float:
    """Return x where y has come half way from its value at the smallest x to its extreme."""
    first = _ends(y)[0]
    far = y[int(np.argmax(np.abs(y - first)))]
    reached = np.abs(y - first) >= 0.5 * abs(far - first)
    return abs(float(x[int(np.argmax(reached))])) or _span(x) / 3


def saturation(x: Array, y: Array) -> Sets:
    """Return half-saturation constants."""
    half = _half_x(x, y)
    return [{"K": half * f} for f in AROUND]


def hill(x: Array, y: Array) -> Sets:
    """Return half-saturation constants with exponents."""
    half = _half_x(x, y)
    return [{"K": half * f, "n": n} for f in (1.0, 2.0) for n in (1.0, 2.0, 4.0)]


def falling_hill(x: Array, y: Array) -> Sets:
    """Return those of a dose response, rising or falling."""
    return [*hill(x, y), *({**by_name, "n": -by_name["n"]} for by_name in hill(x, y)[:3])]


def inhibition(x: Array, y: Array) -> Sets:
    """Return constants on both sides of the largest y."""
    top = abs(float(x[int(np.argmax(y))])) or _span(x) / 3
    return [{"K": top * f, "J": top / f} for f in (0.3, 0.6, 1.0, 0.1)]


def saturating_light(x: Array, y: Array) -> Sets:
    """Return the x at which a curve begins to bend."""
    half = _half_x(x, y)
    return [{"L": half * f} for f in (2.0, 1.0, 4.0)]


def power(x: Array, y: Array) -> Sets:
    """Return exponents from ln y over ln x, and common ones."""
    good = (x > 0) & (y > 0)
    sets = [{"n": n} for n in (1.0, 2.0, 0.5)]
    if good.sum() > 1 and np.ptp(x[good]) > 0:
        t, z = np.log(x[good]), np.log(y[good])
        slope = float(np.sum((t - t.mean()) * (z - z.mean())) / np.sum((t - t.mean()) ** 2))
        sets = [{"n": slope}, {"n": slope * 1.3}, {"n": slope * 0.7}, *sets]
    return sets


def power_with_offset(x: Array, y: Array) -> Sets:
    """Return exponents of both signs."""
    return [*power(x, y)[:1], *({"n": n} for n in (0.5, 1.5, 2.5, -1.0))]


def _half_width(x: Array, y: Array, top: int, base: float) -> float:
    """Return half of the width at half height of the peak at a place."""
    half = base + (y[top] - base) / 2
    above = (y - half) * np.sign(y[top] - base) > 0
    left, right = top, top
    while left > 0 and above[left - 1]:
        left -= 1
    while right < len(y) - 1 and above[right + 1]:
        right += 1
    width = float(x[right] - x[left]) / 2
    return width or _span(x) / max(len(x), 10)


def _tops(x: Array, y: Array, count: int, base: float) -> list[tuple[float, float]]:
    """Return (place, half width) of the largest peaks, each found in what the others leave."""
    rest, pairs = y - base, []
    for _ in range(count):
        top = int(np.argmax(np.abs(rest)))
        width = _half_width(x, rest, top, 0.0)
        pairs.append((float(x[top]), width))
        rest = rest - rest[top] * np.exp(-np.log(2) * ((x - x[top]) / width) ** 2)
    return pairs


def _base(y: Array) -> float:
    return float(np.median([*_ends(y)]))


def peak(x: Array, y: Array) -> Sets:
    """Return place and standard deviation of one peak."""
    sets = []
    for base in (_base(y), 0.0, float(y.min()), float(y.max())):
        place, width = _tops(x, y, 1, base)[0]
        sets += [{"m": place, "s": width / 1.18}, {"m": place, "s": 3 * width}]
    return [*sets, {"m": float(x.mean()), "s": _span(x) / 2}]


def lorentzian(x: Array, y: Array) -> Sets:
    """Return place and half width at half height."""
    return [{"m": by_name["m"], "w": by_name["s"] * 1.18} for by_name in peak(x, y)]


def pseudo_voigt(x: Array, y: Array) -> Sets:
    """Return those of a Lorentzian with a share of a half."""
    return [{**by_name, "f": f} for by_name in lorentzian(x, y)[:4] for f in (0.3, 0.7)]


def lognormal(x: Array, y: Array) -> Sets:
    """Return place and width on a logarithmic axis."""
    sets = []
    for base in (_base(y), 0.0):
        place, width = _tops(x, y, 1, base)[0]
        place = place if place > 0 else _span(x) / 10
        sets += [{"m": place, "s": min(f * width / place, 2.0)} for f in (1.0, 0.5)]
    return sets


def _sought(x: Array, y: Array, names: tuple[tuple[str, str], ...]) -> Sets:
    """Return as many peaks as there are names (of place and width) where the search for peaks has them."""
    # Loaded only here: it needs all of the fitting, which other estimates do not.
    from vettore.core.peaks.begin import Beginning
    from vettore.core.peaks.request import PeaksRequest
    from vettore.core.peaks.shapes import FWHM, SHAPES

    count, order = len(names), np.argsort(x, kind="stable")
    if len(x) < 4 * count or x[order[0]] == x[order[-1]]:
        return []
    request = PeaksRequest(SHAPES["gaussian"], count, "level")
    state, _, _ = Beginning(request, x[order], y[order], None).thinned().begun()
    if state.count < count:
        return []
    peaks = state.p[np.argsort(state.p[:, 0])]
    values = [(float(place), float(np.exp(width)) / FWHM) for place, width in peaks]
    return [
        {name: value for own, pair in zip(names, values, strict=True) for name, value in zip(own, pair, strict=True)}
    ]


def two_peaks(x: Array, y: Array) -> Sets:
    """Return the two largest peaks, and one split in two."""
    sets = _sought(x, y, (("m", "s"), ("n", "r")))
    for base in (float(y.min()), _base(y), float(y.max())):
        (a, v), (b, w) = sorted(_tops(x, y, 2, base))
        sets.append({"m": a, "s": v / 1.18, "n": b, "r": w / 1.18})
        place, width = _tops(x, y, 1, base)[0]
        sets.append({"m": place - width / 2, "s": width / 2, "n": place + width / 2, "r": width / 2})
        sets.append({"m": a, "s": 0.7 * v, "n": b, "r": 0.7 * w})
    return sets


def three_peaks(x: Array, y: Array) -> Sets:
    """Return the three largest peaks."""
    sets = _sought(x, y, (("m", "s"), ("n", "r"), ("o", "q")))
    for base in (float(y.min()), _base(y)):
        (a, u), (b, v), (c, w) = sorted(_tops(x, y, 3, base))
        for f in (1.0, 0.6):
            sets.append({"m": a, "s": f * u / 1.18, "n": b, "r": f * v / 1.18, "o": c, "q": f * w / 1.18})
    return sets


def _angular(x: Array, y: Array, count: int = 3) -> list[float]:
    """Return the angular frequencies that take up most of y, from a least-squares periodogram."""
    span = _span(x)
    steps = np.diff(np.unique(x))
    highest = min(0.5 / float(np.median(steps)) if len(steps) else 5 / span, 500 / span)
    frequencies = np.arange(0.25 / span, max(highest, 2 / span), 0.1 / span)
    if len(x) > MOST_IN_PERIODOGRAM:
        # Drawn at random: a regular choice would fold fast waves into slow ones.
        few = np.random.default_rng(3).choice(len(x), MOST_IN_PERIODOGRAM, replace=False)
        x, y = x[few], y[few]
    z = y - y.mean()
    phase = np.exp(-2j * np.pi * np.outer(frequencies, x - x[0]))
    power = np.abs(phase @ z)
    inner = (power[1:-1] >= power[:-2]) & (power[1:-1] >= power[2:])
    tops = np.flatnonzero(inner) + 1
    best = sorted(tops.tolist() or [int(np.argmax(power))], key=lambda i: -power[i])[:count]
    return [float(2 * np.pi * frequencies[i]) for i in best]


def wave(x: Array, y: Array) -> Sets:
    """Return angular frequencies with several phases."""
    return [{"w": w, "p": p} for w in _angular(x, y) for p in (0.0, 0.8, 1.6)]


def damped_wave(x: Array, y: Array) -> Sets:
    """Return those of a wave with slow dampings."""
    return [{**by_name, "k": f / _span(x)} for by_name in wave(x, y)[:4] for f in (1.0, 4.0)]


def rational(x: Array, y: Array) -> Sets:
    """Return none: the linearised form that every ratio is searched with does better."""
    return []


def arrhenius(x: Array, y: Array) -> Sets:
    """Return B from ln|y| over 1/x."""
    good = (y > 0) & (x != 0)
    if good.sum() < 2:
        return [{"B": float(np.mean(x))}]
    t, z = 1 / x[good], np.log(y[good])
    slope = float(np.sum((t - t.mean()) * (z - z.mean())) / (np.sum((t - t.mean()) ** 2) or 1.0))
    return [{"B": -slope * f} for f in (1.0, 0.7, 1.4)]


def broken_line(x: Array, y: Array) -> Sets:
    """Return bends at eight places inside the data."""
    inside = np.quantile(x, np.linspace(0.1, 0.9, 9))
    return [{"m": float(place)} for place in inside]
