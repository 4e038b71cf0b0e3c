"""How near surfaces between scattered sites come to made-up truths, beside independent witnesses; intervals and summits."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from scipy.interpolate import CloughTocher2DInterpolator, LinearNDInterpolator, RBFInterpolator

from vettore import core
from vettore.core.surface.surface import METHODS

Truth = Callable[[np.ndarray, np.ndarray], np.ndarray]
TRUTHS: dict[str, Truth] = {
    "Franke": lambda x, y: (
        0.75 * np.exp(-((9 * x - 2) ** 2 + (9 * y - 2) ** 2) / 4)
        + 0.75 * np.exp(-((9 * x + 1) ** 2) / 49 - (9 * y + 1) / 10)
        + 0.5 * np.exp(-((9 * x - 7) ** 2 + (9 * y - 3) ** 2) / 4)
        - 0.2 * np.exp(-((9 * x - 4) ** 2) - (9 * y - 7) ** 2)
    ),
    "plane": lambda x, y: 1 + 2 * x - 3 * y,
    "quadric": lambda x, y: 1 + x - 2 * y + 3 * x * x - x * y + 2 * y * y,
    "ridge": lambda x, y: np.exp(-30 * (x + 0.5 * y - 0.7) ** 2),
    "cliff": lambda x, y: np.tanh(9 * (y - x)) / 9 + 1 / 9,
    "peak": lambda x, y: np.exp(-20 * ((x - 0.5) ** 2 + (y - 0.45) ** 2)),
}
COUNTS, SEEDS, FIELDS = (50, 200, 2000), 3, 200
# New values in each field, and from how many sites they are kriged.
NEW, KRIGED = 40, (10, 12, 15, 20, 50, 110)
PLACES = 80


def _rms(missed: np.ndarray) -> float:
    return float(np.sqrt(np.nanmean(missed**2)))


def _row(name: str, count: int) -> list[float]:
    truth = TRUTHS[name]
    at = np.stack(np.meshgrid(np.linspace(0, 1, PLACES), np.linspace(0, 1, PLACES)), axis=-1).reshape(-1, 2)
    found = []
    for seed in range(SEEDS):
        sites = np.random.default_rng([seed, count]).uniform(0, 1, (count, 2))
        z = truth(*sites.T)
        inside = np.isfinite(LinearNDInterpolator(sites, z)(at))
        here, known = at[inside], truth(*at[inside].T)
        row = [_rms(core.grid(*sites.T, z, method=method)(*here.T) - known) for method in METHODS]
        row += [
            _rms(LinearNDInterpolator(sites, z)(here) - known),
            _rms(CloughTocher2DInterpolator(sites, z)(here) - known),
        ]
        row.append(_rms(RBFInterpolator(sites, z, kernel="thin_plate_spline")(here) - known))
        found.append(row)
    return np.mean(found, axis=0).tolist()


def coverage(sites: int) -> tuple[float, int]:
    """Return how often a value lies within 1.96 ± of the one kriged from so many sites, and over how many values."""
    held, told, count = 0, 0, sites + NEW
    for seed in range(FIELDS):
        rng = np.random.default_rng([seed, 44])
        places = rng.uniform(0, 1, (count, 2))
        apart = np.hypot(*(places[:, None] - places[None]).transpose(2, 0, 1))
        range_, nugget = rng.uniform(0.2, 0.5), rng.choice([0.0, 0.1])
        t = apart / range_
        alike = (np.where(t < 1, 1 - 1.5 * t + 0.5 * t**3, 0.0), np.exp(-2 * t), np.exp(-((2 * t) ** 2)))[seed % 3]
        z = np.linalg.cholesky(alike + (nugget + 1e-8) * np.eye(count)) @ rng.normal(size=count)
        surface = core.grid(*places[:sites].T, z[:sites], method="kriging")
        value, error = surface(*places[sites:].T), surface.standard_error(*places[sites:].T)
        known = np.isfinite(value)
        held += int(np.sum(np.abs(value - z[sites:])[known] < 1.96 * error[known]))
        told += int(known.sum())
    return held / told, told


def lines() -> list[str]:
    """Return the section."""
    rows = []
    for name in TRUTHS:
        for count in COUNTS:
            cells = " | ".join(f"{value:.1e}" if value > 1e-13 else "0" for value in _row(name, count))
            rows.append(f"| {name} | {count} | {cells} |")
    shares = [(sites, *coverage(sites)) for sites in KRIGED]
    told = (
        f"Root mean square error of made-up surfaces over the unit square from random sites, mean of {SEEDS} sets, at "
        f"{PLACES} × {PLACES} places inside the outermost sites; columns with * are independent witnesses."
    )
    held = (
        f"How often the 95 % interval of kriging holds new values in {FIELDS} simulated fields (spherical, exponential, "
        "Gaussian; with and without nugget):"
    )
    heads = " | ".join(
        (*(method.replace("_", " ") for method in METHODS), "linear *", "Clough–Tocher *", "thin plate *")
    )
    return [
        "## Surfaces between scattered sites",
        "",
        told,
        "",
        f"| truth | sites | {heads} |",
        "|---" * (len(METHODS) + 5) + "|",
        *rows,
        "",
        held,
        "",
        "| sites | new values | held |",
        "|---|---|---|",
        *(f"| {sites} | {values:,} | {100 * share:.1f} % |" for sites, share, values in shares),
    ]
