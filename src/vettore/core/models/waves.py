"""Waves."""

from __future__ import annotations

from vettore.core.models import estimates
from vettore.core.models.model import Grip, Model, Quantity

GROUP = "Waves"

WAVES = (
    Model(
        "sine",
        "Sine wave",
        GROUP,
        "y = A*sin(w*x + p) + C",
        "A steady rhythm about a mean: days, tides, seasons.",
        {"A": "amplitude", "w": "angular frequency", "p": "phase where x is 0", "C": "mean"},
        (Quantity("period", "2*pi/w"), Quantity("frequency", "w/(2*pi)"), Quantity("first top", "(pi/2 - p)/w")),
        (
            Grip("crest", "(pi/2 - p)/w", "A + C", {"p": "pi/2 - w*px", "A": "py - C"}),
            Grip("next trough", "(3*pi/2 - p)/w", "C - A", {"w": "(3*pi/2 - p)/px"}),
        ),
        estimates.wave,
    ),
    Model(
        "damped-sine",
        "Damped wave",
        GROUP,
        "y = A*exp(-k*x)*sin(w*x + p) + C",
        "An oscillation that dies away.",
        {
            "A": "amplitude where x is 0",
            "k": "damping rate",
            "w": "angular frequency",
            "p": "phase where x is 0",
            "C": "level of rest",
        },
        (Quantity("period", "2*pi/w"), Quantity("half-life of the amplitude", "ln(2)/k")),
        (Grip("level", "far", "C", {"C": "py"}),),
        estimates.damped_wave,
    ),
)
