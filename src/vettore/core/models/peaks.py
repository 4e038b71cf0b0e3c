"""Peaks, alone, several, and on a base."""

from __future__ import annotations

from vettore.core.models import estimates
from vettore.core.models.model import FROM_ZERO, Grip, Model, Quantity

GROUP = "Peaks"
# Width at half height of a Gaussian in standard deviations, and its area in height times standard deviation.
WIDTH, AREA = "2*sqrt(2*ln(2))", "sqrt(2*pi)"
MEANINGS = {"A": "height of the peak", "m": "place of the top", "s": "standard deviation of the peak"}
GAUSSIAN = (
    Quantity("width at half height", f"{WIDTH}*s"),
    Quantity("area of the peak", f"{AREA}*A*s"),
)
SIDE = f"m + {WIDTH}/2*s"


def _several(count: int) -> str:
    letters = (("A", "m", "s"), ("B", "n", "r"), ("D", "o", "q"))[:count]
    return " + ".join(f"{a}*exp(-(x - {m})^2/(2*{s}^2))" for a, m, s in letters)


PEAKS = (
    Model(
        "gaussian",
        "Gaussian peak",
        GROUP,
        "y = A*exp(-(x - m)^2/(2*s^2))",
        "A symmetric peak that falls off fast, on a base of zero.",
        MEANINGS,
        GAUSSIAN,
        (
            Grip("top", "m", "A", {"m": "px", "A": "py"}),
            Grip("width", SIDE, "A/2", {"s": f"abs(px - m)/({WIDTH}/2)"}),
        ),
        estimates.peak,
    ),
    Model(
        "gaussian-level",
        "Peak on a level",
        GROUP,
        "y = A*exp(-(x - m)^2/(2*s^2)) + C",
        "A symmetric peak above an even background.",
        {**MEANINGS, "C": "background"},
        GAUSSIAN,
        (
            Grip("top", "m", "A + C", {"m": "px", "A": "py - C"}),
            Grip("width", SIDE, "A/2 + C", {"s": f"abs(px - m)/({WIDTH}/2)"}),
            Grip("background", "far", "C", {"C": "py", "A": "A + C - py"}),
        ),
        estimates.peak,
    ),
    Model(
        "gaussian-slope",
        "Peak on a slope",
        GROUP,
        "y = A*exp(-(x - m)^2/(2*s^2)) + C + d*x",
        "A symmetric peak above a background that drifts.",
        {**MEANINGS, "C": "background where x is 0", "d": "slope of the background"},
        GAUSSIAN,
        (Grip("top", "m", "A + C + d*m", {"m": "px", "A": "py - C - d*px"}),),
        estimates.peak,
    ),
    Model(
        "lorentzian",
        "Lorentzian peak",
        GROUP,
        "y = A/(1 + ((x - m)/w)^2)",
        "A symmetric peak with long tails: resonance and spectral lines.",
        {"A": "height of the peak", "m": "place of the top", "w": "half of the width at half height"},
        (Quantity("width at half height", "2*w"), Quantity("area of the peak", "pi*A*w")),
        (Grip("top", "m", "A", {"m": "px", "A": "py"}), Grip("width", "m + w", "A/2", {"w": "abs(px - m)"})),
        estimates.lorentzian,
    ),
    Model(
        "pseudo-voigt",
        "Mixed peak",
        GROUP,
        "y = A*(f/(1 + ((x - m)/w)^2) + (1 - f)*exp(-ln(2)*((x - m)/w)^2))",
        "Between Gaussian and Lorentzian (a pseudo-Voigt profile), for lines broadened in two ways.",
        {
            "A": "height of the peak",
            "f": "share that is Lorentzian, 0 to 1",
            "m": "place of the top",
            "w": "half of the width at half height",
        },
        (
            Quantity("width at half height", "2*w"),
            Quantity("area of the peak", "A*w*(f*pi + (1 - f)*sqrt(pi/ln(2)))"),
        ),
        (Grip("top", "m", "A", {"m": "px", "A": "py"}), Grip("width", "m + w", "A/2", {"w": "abs(px - m)"})),
        estimates.pseudo_voigt,
    ),
    Model(
        "skewed-peak",
        "Skewed peak",
        GROUP,
        "y = A*exp(-ln(x/m)^2/(2*s^2))",
        "A peak with a steep front and a long tail, for x above zero: a dye pulse, a grain size.",
        {"A": "height of the peak", "m": "place of the top", "s": "width on a logarithmic axis"},
        (
            Quantity("area of the peak", f"{AREA}*A*s*m*exp(s^2/2)"),
            Quantity("width at half height", "2*m*sinh(s*sqrt(2*ln(2)))"),
        ),
        (Grip("top", "m", "A", {"m": "px", "A": "py"}),),
        estimates.lognormal,
        FROM_ZERO,
    ),
    Model(
        "two-peaks",
        "Two peaks",
        GROUP,
        f"y = {_several(2)} + C",
        "Two symmetric peaks, overlapping or not, above an even background.",
        {
            **MEANINGS,
            "B": "height of the second peak",
            "n": "place of the second top",
            "r": "standard deviation of the second peak",
            "C": "background",
        },
        (
            Quantity("area of the first peak", f"{AREA}*A*s"),
            Quantity("area of the second peak", f"{AREA}*B*r"),
            Quantity("distance of the tops", "n - m"),
        ),
        (
            Grip("first top", "m", "A + C", {"m": "px", "A": "py - C"}),
            Grip("second top", "n", "B + C", {"n": "px", "B": "py - C"}),
        ),
        estimates.two_peaks,
    ),
    Model(
        "three-peaks",
        "Three peaks",
        GROUP,
        f"y = {_several(3)} + C",
        "Three symmetric peaks above an even background.",
        {
            **MEANINGS,
            "B": "height of the second peak",
            "n": "place of the second top",
            "r": "standard deviation of the second peak",
            "D": "height of the third peak",
            "o": "place of the third top",
            "q": "standard deviation of the third peak",
            "C": "background",
        },
        (
            Quantity("area of the first peak", f"{AREA}*A*s"),
            Quantity("area of the second peak", f"{AREA}*B*r"),
            Quantity("area of the third peak", f"{AREA}*D*q"),
        ),
        (
            Grip("first top", "m", "A + C", {"m": "px", "A": "py - C"}),
            Grip("second top", "n", "B + C", {"n": "px", "B": "py - C"}),
            Grip("third top", "o", "D + C", {"o": "px", "D": "py - C"}),
        ),
        estimates.three_peaks,
    ),
)
