"""Formulas over two columns that surfaces are often tried with; each is fitted like any formula, its start found here."""

from __future__ import annotations

import re
from collections.abc import Collection
from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array
from vettore.core.formula.write import name_text

# Frequencies along one axis that are tried at most, and how many at once.
MOST_WAVES, BLOCK = 60, 500


@dataclass(frozen=True)
class SurfaceModel:
    """A surface by its ``name``; ``shape`` is its right side over {x} and {y}, its coefficients in braces, too."""

    key: str
    name: str
    shape: str

    def names(self, x: str, y: str, z: str, others: Collection[str] = ()) -> dict[str, str]:
        """Return what stands for each name in braces; no coefficient is called like a column, or one of the ``others``."""
        known = {"x": name_text(x), "y": name_text(y)}
        taken = {x, y, z, *others}
        for name in re.findall(r"\{(\w+)\}", self.shape):
            if name in known:
                continue
            free = name
            while free in taken:
                free += "0"
            known[name] = free
            taken.add(free)
        return known

    def formula(self, x: str, y: str, z: str, others: Collection[str] = ()) -> str:
        """Return the formula of column z over columns x and y."""
        return f"{name_text(z)} = {self.shape.format(**self.names(x, y, z, others))}"

    def start(self, x: Array, y: Array, z: Array) -> dict[str, float]:
        """Return where to begin the search over sites (n,), by the names in braces; empty where it needs no help."""
        return wave_start(x, y, z) if self.key == "wave" else {}


def wave_start(x: Array, y: Array, z: Array) -> dict[str, float]:
    """Return the plane wave of the frequencies, over all that the sites can tell, that takes most from the squares."""
    good = np.isfinite(x) & np.isfinite(y) & np.isfinite(z)
    x, y, z = x[good], y[good], z[good] - z[good].mean()
    fine = [np.pi / (2 * (float(np.ptp(values)) or 1.0)) for values in (x, y)]
    most = min(int(2 * np.sqrt(len(x))), MOST_WAVES)
    u, v = (grid.ravel() for grid in np.meshgrid(fine[0] * np.arange(most + 1), fine[1] * np.arange(-most, most + 1)))
    # One of each pair of opposite frequencies, and not the level.
    new = (u > 0) | (v > 0)
    u, v = u[new], v[new]
    best, least = {"u": fine[0], "v": 0.0, "w": 0.0, "A": float(np.std(z))}, np.inf
    for start in range(0, len(u), BLOCK):
        part = slice(start, start + BLOCK)
        phase = u[part, None] * x + v[part, None] * y
        sine, cosine = np.sin(phase), np.cos(phase)
        sine -= sine.mean(axis=1, keepdims=True)
        cosine -= cosine.mean(axis=1, keepdims=True)
        ss, cc, sc = (np.einsum("kn,kn->k", a, b) for a, b in ((sine, sine), (cosine, cosine), (sine, cosine)))
        sz, cz = sine @ z, cosine @ z
        whole = np.maximum(ss * cc - sc * sc, 1e-12 * len(x) ** 2)
        a, b = (cc * sz - sc * cz) / whole, (ss * cz - sc * sz) / whole
        left = float(z @ z) - a * sz - b * cz
        place = int(np.argmin(left))
        if left[place] < least:
            least = float(left[place])
            size = float(np.hypot(a[place], b[place]))
            best = {
                "u": float(u[part][place]),
                "v": float(v[part][place]),
                "w": float(np.arctan2(b[place], a[place])),
                "A": size,
            }
    return best


PLANE = "{a} + {b}*{x} + {c}*{y}"
HILL = "{A}*exp(-(({x} - {p})^2/(2*{s}^2) + ({y} - {q})^2/(2*{t}^2)))"
SURFACE_MODELS: tuple[SurfaceModel, ...] = (
    SurfaceModel("plane", "Plane", PLANE),
    SurfaceModel("saddle", "Saddle", "{C} + {A}*({x} - {p})*({y} - {q})"),
    SurfaceModel("quadric", "Quadric", PLANE + " + {d}*{x}^2 + {f}*{x}*{y} + {g}*{y}^2"),
    SurfaceModel(
        "cubic",
        "Cubic polynomial",
        PLANE + " + {d}*{x}^2 + {f}*{x}*{y} + {g}*{y}^2 + {h}*{x}^3 + {k}*{x}^2*{y} + {m}*{x}*{y}^2 + {n}*{y}^3",
    ),
    SurfaceModel("hill", "Gaussian hill on a plane", PLANE + " + " + HILL),
    SurfaceModel(
        "two-hills",
        "Two Gaussian hills",
        "{C} + {A}*exp(-(({x} - {p})^2 + ({y} - {q})^2)/(2*{s}^2)) + {B}*exp(-(({x} - {m})^2 + ({y} - {n})^2)/(2*{t}^2))",
    ),
    SurfaceModel("wave", "Plane wave", "{C} + {A}*sin({u}*{x} + {v}*{y} + {w})"),
    SurfaceModel("decays", "Product of decays", "{A}*exp(-{k}*{x} - {m}*{y}) + {C}"),
    SurfaceModel("saturation-decay", "Saturation times decay", "{A}*{x}/({x} + {K})*exp(-{m}*{y}) + {C}"),
    SurfaceModel("saturations", "Product of saturations", "{A}*{x}/({x} + {K})*{y}/({y} + {L}) + {C}"),
)
