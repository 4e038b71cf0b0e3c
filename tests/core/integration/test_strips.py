"""What a rule with even strips takes a function for, and the points it uses."""

import math

import numpy as np
import pytest

from vettore.core.integration.function import RULES, integrate_function
from vettore.core.integration.strips import joined, places_of_rule, weights_of_rule


@pytest.mark.parametrize("rule", RULES)
@pytest.mark.parametrize("span", [(0.0, 3.0), (3.0, 0.0)])
def test_weights_and_shape_give_the_area_of_the_rule(rule, span):
    """The weighted sum of the values, and the area under the shape, are what the rule itself returns."""
    edges = np.linspace(*span, 7)
    x = places_of_rule(rule, edges)
    values = np.exp(-x) * np.cos(x)
    known = integrate_function("exp(-x)*cos(x)", *span, strips=6, rule=rule).area
    assert math.fsum(weights_of_rule(rule, edges) * values) == pytest.approx(known, rel=1e-14)
    shape = joined(rule, edges, values)
    # Gauss's two points a strip are exact for steps, chords and parabolas.
    half, middles = 0.25, (edges[:-1] + edges[1:]) / 2
    under = sum(shape(middles + side * half / math.sqrt(3)).sum() * half for side in (-1.0, 1.0))
    assert math.copysign(under, known) == pytest.approx(known, rel=1e-13)


def test_the_shape_passes_through_the_points_used():
    """Chords and parabolas meet the function at their places; the middle of a step is at half its strip."""
    edges = np.linspace(0, 2, 5)
    for rule in ("midpoint", "trapezoid", "simpson"):
        x = places_of_rule(rule, edges)
        assert joined(rule, edges, x**3)(x) == pytest.approx(x**3)
    assert joined("left", edges, edges[:-1])(np.array([0.0, 0.49, 0.5, 2.0])).tolist() == [0, 0, 0.5, 1.5]
