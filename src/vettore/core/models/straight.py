"""Lines, polynomials, powers and ratios."""

from __future__ import annotations

from vettore.core.models import estimates
from vettore.core.models.model import FROM_ZERO, Grip, Model, Quantity

LINES, CURVES = "Lines and polynomials", "Powers and ratios"


def _polynomial(degree: int, name: str, use: str) -> Model:
    powers = ["a0", "a1*x", *(f"a{k}*x^{k}" for k in range(2, degree + 1))]
    meanings = {"a0": "y where x is 0", "a1": "slope where x is 0", "a2": "half the bend where x is 0"}
    meanings |= {f"a{k}": f"coefficient of x to the power {k}" for k in range(3, degree + 1)}
    quantities = (
        (
            Quantity("turning point x", "-a1/(2*a2)", "where the slope is zero"),
            Quantity("turning point y", "a0 - a1^2/(4*a2)", "y at the turning point"),
        )
        if degree == 2
        else ()
    )
    named = {key: value for key, value in meanings.items() if int(key[1:]) <= degree}
    return Model(name.casefold(), name, LINES, f"y = {' + '.join(powers)}", use, named, quantities)


def _through(still: str, pulled: str, drop: str) -> dict[str, str]:
    """Return the line through a point that stays and one that is pulled."""
    slope = f"({drop})/({still} - {pulled})"
    return {"b": slope, "a": f"py - {pulled}*{slope}"}


STRAIGHT = (
    Model(
        "constant",
        "Constant",
        LINES,
        "y = c",
        "y does not depend on x: the value is the mean.",
        {"c": "mean of y"},
        grips=(Grip("level", "mid", "c", {"c": "py"}),),
    ),
    Model(
        "proportional",
        "Proportional",
        LINES,
        "y = b*x",
        "A line that has to pass through the origin, as a signal without a blank.",
        {"b": "slope"},
        grips=(Grip("slope", "far", "b*far", {"b": "py/far"}),),
    ),
    Model(
        "straight-line",
        "Straight line",
        LINES,
        "y = a + b*x",
        "The first thing to try: calibrations, steady rates, trends.",
        {"a": "y where x is 0", "b": "slope"},
        (Quantity("crossing of zero", "-a/b", "x where y is 0"),),
        (
            Grip(
                "left end",
                "near",
                "a + b*near",
                _through("far", "near", "a + b*far - py"),
            ),
            Grip(
                "right end",
                "far",
                "a + b*far",
                _through("near", "far", "a + b*near - py"),
            ),
        ),
    ),
    _polynomial(2, "Quadratic", "One bend: a maximum, a minimum, or a gently curved calibration."),
    _polynomial(3, "Cubic", "Two bends, or one with a lopsided shape."),
    _polynomial(4, "Quartic", "Three bends; look at the leave-one-out error before believing it."),
    _polynomial(5, "Quintic", "Four bends; rarely more than a smooth line through the data."),
    Model(
        "broken-line",
        "Broken line",
        LINES,
        "y = a + b*x + c*max(x - m, 0)",
        "A rate that changes at one point: a threshold or an onset.",
        {"a": "y where x is 0", "b": "slope before the bend", "c": "change of slope", "m": "x of the bend"},
        (
            Quantity("slope after the bend", "b + c"),
            Quantity("y at the bend", "a + b*m"),
        ),
        (Grip("bend", "m", "a + b*m", {"m": "px"}),),
        estimates.broken_line,
    ),
    Model(
        "logarithmic",
        "Logarithmic",
        CURVES,
        "y = a + b*ln(x)",
        "Equal factors of x bring equal steps of y, as with ion-selective electrodes.",
        {"a": "y where x is 1", "b": "rise of y for each factor e of x"},
        (Quantity("rise per decade", "b*ln(10)", "change of y for ten times x"),),
        x_above=0.0,
    ),
    Model(
        "square-root",
        "Square root",
        CURVES,
        "y = a + b*sqrt(x)",
        "Diffusion into a still medium; uptake that slows as the front moves on.",
        {"a": "y where x is 0", "b": "rise for each unit of √x"},
        x_above=FROM_ZERO,
    ),
    Model(
        "reciprocal",
        "Reciprocal",
        CURVES,
        "y = a + b/x",
        "y falls towards a level as one over x.",
        {"a": "level far out", "b": "excess over the level where x is 1"},
        x_above=0.0,
    ),
    Model(
        "power-law",
        "Power law",
        CURVES,
        "y = A*x^n",
        "A straight line on two logarithmic axes: size, area and flow relations.",
        {"A": "y where x is 1", "n": "exponent"},
        starts=estimates.power,
        x_above=FROM_ZERO,
    ),
    Model(
        "power-law-offset",
        "Power law + offset",
        CURVES,
        "y = A*x^n + C",
        "A power law above a background.",
        {"A": "rise above the background where x is 1", "n": "exponent", "C": "background, y where x is 0"},
        starts=estimates.power_with_offset,
        x_above=FROM_ZERO,
    ),
    Model(
        "ratio-1-1",
        "Ratio of lines",
        CURVES,
        "y = (a + b*x)/(1 + c*x)",
        "A bent curve with a level far out, when no mechanism is known.",
        {"a": "y where x is 0", "b": "slope of the upper line", "c": "slope of the lower line"},
        (Quantity("level far out", "b/c", "y for very large x"),),
        starts=estimates.rational,
    ),
    Model(
        "ratio-2-2",
        "Ratio of quadratics",
        CURVES,
        "y = (a + b*x + c*x^2)/(1 + d*x + g*x^2)",
        "A flexible smooth shape with one hump; check that the lower part is never zero inside the data.",
        {
            "a": "y where x is 0",
            "b": "upper coefficient of x",
            "c": "upper coefficient of x²",
            "d": "lower coefficient of x",
            "g": "lower coefficient of x²",
        },
        (Quantity("level far out", "c/g", "y for very large x"),),
        starts=estimates.rational,
    ),
    Model(
        "arrhenius",
        "Arrhenius-type",
        CURVES,
        "y = A*exp(-B/x)",
        "Rates against absolute temperature: ln y is a line over 1/x.",
        {"A": "y for very large x", "B": "activation energy over the gas constant, in units of x"},
        (Quantity("activation energy, if x is in K", "8.314462618*B", "J/mol"),),
        starts=estimates.arrhenius,
        x_above=FROM_ZERO,
    ),
)
