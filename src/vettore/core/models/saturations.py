"""Uptake, binding, response to a dose or to light."""

from __future__ import annotations

from vettore.core.models import estimates
from vettore.core.models.model import FROM_ZERO, Grip, Model, Quantity

GROUP = "Saturation and dose"

SATURATIONS = (
    Model(
        "saturation",
        "Saturation",
        GROUP,
        "y = V*x/(K + x)",
        "A rectangular hyperbola: enzyme rates, binding to one kind of site, nutrient uptake.",
        {"V": "ceiling", "K": "x at which half the ceiling is reached"},
        (Quantity("initial slope", "V/K", "slope where x is 0"),),
        (Grip("half-saturation", "K", "V/2", {"K": "px", "V": "2*py"}),),
        estimates.saturation,
        x_above=FROM_ZERO,
    ),
    Model(
        "saturation-offset",
        "Saturation + offset",
        GROUP,
        "y = C + V*x/(K + x)",
        "Saturation above, or below, a value at x = 0: light response with respiration.",
        {"C": "y where x is 0", "V": "rise to the ceiling", "K": "x at which half the rise is reached"},
        (
            Quantity("initial slope", "V/K"),
            Quantity("ceiling", "C + V"),
            Quantity("crossing of zero", "-C*K/(C + V)", "x where y is 0: a compensation point"),
        ),
        (Grip("half-saturation", "K", "C + V/2", {"K": "px", "V": "2*(py - C)"}),),
        estimates.saturation,
        x_above=FROM_ZERO,
    ),
    Model(
        "hill",
        "Hill curve",
        GROUP,
        "y = V*x^n/(K^n + x^n)",
        "Saturation that sets in with a threshold: cooperative binding.",
        {"V": "ceiling", "n": "steepness exponent", "K": "x at which half the ceiling is reached"},
        (Quantity("steepest slope on a logarithmic axis", "V*n/4"),),
        (Grip("half-saturation", "K", "V/2", {"K": "px", "V": "2*py"}),),
        estimates.hill,
        x_above=FROM_ZERO,
    ),
    Model(
        "dose-response",
        "Dose response",
        GROUP,
        "y = C + A/(1 + (K/x)^n)",
        "Response to a dose between two levels; n below zero for a falling one.",
        {"C": "level at no dose", "A": "height of the response", "K": "dose of half the response", "n": "steepness"},
        (Quantity("EC50", "K", "dose of half the response"), Quantity("level at high dose", "C + A")),
        (Grip("EC50", "K", "C + A/2", {"K": "px"}),),
        estimates.falling_hill,
        x_above=FROM_ZERO,
    ),
    Model(
        "substrate-inhibition",
        "Substrate inhibition",
        GROUP,
        "y = V*x/(K + x + x^2/J)",
        "A rate that rises, peaks and falls again as too much inhibits.",
        {"V": "rate without inhibition at the ceiling", "K": "half-saturation", "J": "inhibition constant"},
        (
            Quantity("x of the largest y", "sqrt(K*J)"),
            Quantity("largest y", "V/(1 + 2*sqrt(K/J))"),
        ),
        (Grip("top", "sqrt(K*J)", "V/(1 + 2*sqrt(K/J))", {"V": "py*(1 + 2*sqrt(K/J))", "J": "px^2/K"}),),
        estimates.inhibition,
        x_above=FROM_ZERO,
    ),
    Model(
        "light-response",
        "Light response",
        GROUP,
        "y = P*tanh(x/L) - R",
        "Photosynthesis against light, less respiration in the dark.",
        {"P": "largest gross rate", "L": "light at which saturation sets in", "R": "respiration"},
        (
            Quantity("initial slope", "P/L"),
            Quantity("compensation point", "L*atanh(R/P)", "light at which y is 0"),
            Quantity("largest net rate", "P - R"),
        ),
        (Grip("onset of saturation", "L", "P*tanh(1) - R", {"L": "px", "P": "(py + R)/tanh(1)"}),),
        estimates.saturating_light,
    ),
)
