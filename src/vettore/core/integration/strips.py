"""What a rule with even strips takes a function for: steps, chords or parabolas, and the points it uses.

With h the width of a strip the areas are h·Σf for left, right and midpoint, h·(f₀/2 + f₁ + … + fₙ/2) for the trapezoid
rule and h/3·(f₀ + 4f₁ + 2f₂ + … + 4fₙ₋₁ + fₙ) for Simpson's, the area under a parabola through the ends of each pair.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from vettore.core.arrays import Array
from vettore.core.integration.sampled import between_edges

STEPS = ("left", "right", "midpoint")


def places_of_rule(rule: str, edges: Array) -> Array:
    """Return the x at which a rule asks for the function, from the borders (n + 1,) of its strips."""
    middles = (edges[:-1] + edges[1:]) / 2
    return {"left": edges[:-1], "right": edges[1:], "midpoint": middles}.get(rule, edges)


def weights_of_rule(rule: str, edges: Array) -> Array:
    """Return by how much each of the values counts: their weighted sum is the area."""
    strips = len(edges) - 1
    h = (edges[-1] - edges[0]) / strips
    if rule in STEPS:
        return np.full(strips, h)
    weights = np.full(strips + 1, h)
    if rule == "trapezoid":
        weights[[0, -1]] = h / 2
        return weights
    weights[1:-1:2], weights[2:-1:2] = 4 * h / 3, 2 * h / 3
    weights[[0, -1]] = h / 3
    return weights


def joined(rule: str, edges: Array, values: Array) -> Callable[[Array], Array]:
    """Return what a rule puts in place of the function between the borders; ``values`` are those at its places."""
    if edges[0] > edges[-1]:
        edges, values = edges[::-1], values[::-1]
        rule = {"left": "right", "right": "left"}.get(rule, rule)
    if rule in STEPS:
        return lambda x: values[_strip(edges, x)]
    if rule == "trapezoid":
        return lambda x: between_edges(edges, values, x)

    def parabola(x: Array) -> Array:
        first = _strip(edges[::2], x) * 2
        h = edges[first + 1] - edges[first]
        t = (x - edges[first]) / h
        before, middle, after = values[first], values[first + 1], values[first + 2]
        return np.asarray(before + t * (middle - before) + t * (t - 1) / 2 * (after - 2 * middle + before))

    return parabola


def _strip(edges: Array, x: Array) -> np.ndarray:
    return np.clip(np.searchsorted(edges, x, side="right") - 1, 0, len(edges) - 2)
