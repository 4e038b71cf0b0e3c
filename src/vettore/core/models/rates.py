"""Decay, growth and sigmoid growth."""

from __future__ import annotations

from vettore.core.models import estimates
from vettore.core.models.model import FROM_ZERO, Grip, Model, Quantity

DECAY, GROWTH = "Decay and growth", "Growth to a ceiling"
HALF_LIFE = (
    Quantity("half-life", "ln(2)/k", "x in which what is above the level halves"),
    Quantity("time constant", "1/k", "x in which it falls to 37 %"),
)
DOUBLING = (Quantity("doubling time", "ln(2)/k", "x in which what is above the level doubles"),)

RATES = (
    Model(
        "exponential-decay",
        "Exponential decay",
        DECAY,
        "y = A*exp(-k*x)",
        "A quantity lost at a rate in proportion to what is left, down to nothing.",
        {"A": "y where x is 0", "k": "rate"},
        HALF_LIFE,
        (
            Grip("start", "0", "A", {"A": "py"}),
            Grip("half-life", "ln(2)/k", "A/2", {"k": "ln(2)/px"}),
        ),
        estimates.decay,
    ),
    Model(
        "exponential-decay-level",
        "Decay to a level",
        DECAY,
        "y = A*exp(-k*x) + C",
        "A quantity that approaches a level; with A below zero it rises to it.",
        {"A": "height above the level where x is 0", "k": "rate", "C": "level that is approached"},
        (*HALF_LIFE, Quantity("start value", "A + C", "y where x is 0")),
        (
            Grip("start", "0", "A + C", {"A": "py - C"}),
            Grip("half-life", "ln(2)/k", "A/2 + C", {"k": "ln(2)/px"}),
            Grip("level", "far", "C", {"C": "py", "A": "A + C - py"}),
        ),
        estimates.decay_to_level,
    ),
    Model(
        "two-decays",
        "Two decays",
        DECAY,
        "y = A*exp(-k*x) + B*exp(-q*x)",
        "A fast and a slow loss side by side; needs data over both.",
        {"A": "first part where x is 0", "k": "its rate", "B": "second part where x is 0", "q": "its rate"},
        (
            Quantity("half-life of the first", "ln(2)/k"),
            Quantity("half-life of the second", "ln(2)/q"),
            Quantity("share of the first", "A/(A + B)", "of the whole where x is 0"),
        ),
        (Grip("start", "0", "A + B", {"A": "py*A/(A + B)", "B": "py*B/(A + B)"}),),
        estimates.two_decays,
    ),
    Model(
        "stretched-decay",
        "Stretched decay",
        DECAY,
        "y = A*exp(-(k*x)^n)",
        "A decay with a spread of rates (n below 1), or one that sets in late (n above 1).",
        {"A": "y where x is 0", "k": "rate", "n": "stretching exponent, 1 for a plain decay"},
        (
            Quantity("time constant", "1/k", "x in which it falls to 37 %"),
            Quantity("half-life", "ln(2)^(1/n)/k"),
        ),
        (Grip("time constant", "1/k", "A/e", {"k": "1/px", "A": "py*e"}),),
        estimates.stretched,
        x_above=FROM_ZERO,
    ),
    Model(
        "exponential-growth",
        "Exponential growth",
        DECAY,
        "y = A*exp(k*x)",
        "Growth in proportion to what is there, without a limit in sight.",
        {"A": "y where x is 0", "k": "rate"},
        DOUBLING,
        (Grip("start", "0", "A", {"A": "py"}), Grip("end", "far", "A*exp(k*far)", {"k": "ln(py/A)/far"})),
        estimates.growth,
    ),
    Model(
        "exponential-growth-level",
        "Growth above a level",
        DECAY,
        "y = A*exp(k*x) + C",
        "Growth in proportion to what is above a background.",
        {"A": "height above the background where x is 0", "k": "rate", "C": "background"},
        DOUBLING,
        (Grip("start", "0", "A + C", {"A": "py - C"}),),
        estimates.growth_to_level,
    ),
    Model(
        "rise-to-plateau",
        "Rise to a plateau",
        GROWTH,
        "y = A*(1 - exp(-k*x))",
        "Filling up from nothing: uptake, charging, first-order production.",
        {"A": "plateau", "k": "rate"},
        (
            Quantity("half-time", "ln(2)/k", "x in which half the plateau is reached"),
            Quantity("initial slope", "A*k"),
        ),
        (Grip("plateau", "far", "A", {"A": "py"}), Grip("half-time", "ln(2)/k", "A/2", {"k": "ln(2)/px"})),
        estimates.decay_to_level,
    ),
    Model(
        "logistic",
        "Logistic growth",
        GROWTH,
        "y = A/(1 + exp(-k*(x - m)))",
        "Growth that is slowed evenly by its own ceiling, from zero.",
        {"A": "ceiling", "k": "rate at the start", "m": "x at which half the ceiling is reached"},
        (
            Quantity("steepest slope", "A*k/4", "slope at the midpoint"),
            Quantity("doubling time at the start", "ln(2)/k"),
        ),
        (Grip("midpoint", "m", "A/2", {"m": "px", "A": "2*py"}), Grip("ceiling", "far", "A", {"A": "py"})),
        estimates.sigmoid,
    ),
    Model(
        "logistic-base",
        "Logistic step",
        GROWTH,
        "y = C + A/(1 + exp(-k*(x - m)))",
        "A smooth step from one level to another: titrations, melting, growth from a background.",
        {"C": "level before the step", "A": "height of the step", "k": "steepness", "m": "midpoint of the step"},
        (Quantity("level after the step", "C + A"), Quantity("steepest slope", "A*k/4")),
        (
            Grip("midpoint", "m", "C + A/2", {"m": "px"}),
            Grip("steepness", "m + 2/k", "C + A/(1 + exp(-2))", {"k": "2/(px - m)"}),
        ),
        estimates.sigmoid,
    ),
    Model(
        "gompertz",
        "Gompertz growth",
        GROWTH,
        "y = A*exp(-exp(-k*(x - m)))",
        "Growth to a ceiling that is fastest early on, at 37 % of the ceiling.",
        {"A": "ceiling", "k": "rate", "m": "x of fastest growth"},
        (Quantity("steepest slope", "A*k/e"), Quantity("lag", "m - 1/k", "where the steepest tangent meets zero")),
        (Grip("fastest growth", "m", "A/e", {"m": "px", "A": "py*e"}),),
        estimates.sigmoid,
    ),
    Model(
        "richards",
        "Richards growth",
        GROWTH,
        "y = A/(1 + v*exp(-k*(x - m)))^(1/v)",
        "A sigmoid whose lopsidedness is fitted too; v = 1 is the logistic curve.",
        {"A": "ceiling", "v": "lopsidedness", "k": "rate", "m": "x of fastest growth"},
        (Quantity("steepest slope", "A*k*(1 + v)^(-1 - 1/v)"),),
        (Grip("fastest growth", "m", "A*(1 + v)^(-1/v)", {"m": "px"}),),
        estimates.richards,
    ),
)
