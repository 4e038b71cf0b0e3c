"""Units as texts: powers, quotients, products, their parts, and conversions."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vettore.core import units
from vettore.core.errors import DataError


@pytest.mark.parametrize(
    ("unit", "exponent", "text"),
    [
        ("min", 2, "min²"),
        ("mg/L", 3, "(mg/L)³"),
        ("m s", 2, "(m s)²"),
        ("m", 1, "m"),
        ("m", 0, ""),
        ("", 4, ""),
        ("s", 12, "s¹²"),
    ],
)
def test_powers(unit, exponent, text):
    """Compound units get brackets."""
    assert units.power(unit, exponent) == text


@pytest.mark.parametrize(
    ("above", "below", "text"),
    [
        ("mg/L", "min", "mg/L/min"),
        ("m", "m", ""),
        ("m", "", "m"),
        ("", "s", "1/s"),
        ("", "", ""),
        ("m", "mg/L", "m/(mg/L)"),
        ("m", "a·b", "m/(a·b)"),
    ],
)
def test_quotients(above, below, text):
    """Equal units cancel; what is below stays below."""
    assert units.quotient(above, below) == text


@pytest.mark.parametrize(
    ("first", "second", "text"),
    [("mg/L", "min", "mg·min/L"), ("m", "s", "m·s"), ("", "s", "s"), ("m", "", "m"), ("", "", "")],
)
def test_products(first, second, text):
    """The second goes above the line of the first."""
    assert units.product(first, second) == text


@pytest.mark.parametrize(
    ("powers", "text"),
    [
        ({"mg/L": 1, "min": -1}, "mg/L/min"),
        ({"min": -2}, "1/min²"),
        ({"m": 0.5}, "m^0.5"),
        ({"m": 1e-12, "s": 1}, "s"),
        ({"s": -1, "m": 1, "kg": 1}, "m·kg/s"),
        ({"s": -1, "m": -1}, "1/(s·m)"),
        ({"s": -2.0000000001}, "1/s²"),
        ({}, ""),
    ],
)
def test_composed(powers, text):
    """Units to their powers as one text."""
    assert units.composed(powers) == text


@pytest.mark.parametrize(
    ("unit", "parts"),
    [
        ("mg·min/L", {"mg": 1, "min": 1, "L": -1}),
        ("1/s", {"s": -1}),
        ("m/s/s", {"m": 1, "s": -2}),
        ("m·m", {"m": 2}),
        ("m²", {"m": 2}),
        ("(mg/L)²", {"(mg/L)²": 1}),
        ("m^2", {"m": 2}),
        ("", {}),
    ],
)
def test_parts(unit, parts):
    """Taken apart, so that a mass over a concentration is a volume."""
    assert units.parts(unit) == parts


def test_conversions():
    """Factor and offset; what measures different things, or is no unit, is refused."""
    assert units.conversion("h", "s") == pytest.approx((3600, 0))
    assert units.conversion("°C", "K") == pytest.approx((1, 273.15))
    assert units.conversion("°F", "°C") == pytest.approx((5 / 9, -160 / 9))
    assert units.conversion("m³/s", "L/s") == pytest.approx((1000, 0))
    assert units.conversion("µg·m⁻¹", "mg/m") == pytest.approx((0.001, 0))
    assert units.conversion("%", "") == pytest.approx((0.01, 0))
    with pytest.raises(DataError, match="h cannot become m: they measure different things"):
        units.conversion("h", "m")
    with pytest.raises(DataError, match="No unit cannot become m"):
        units.conversion("", "m")
    with pytest.raises(DataError, match="not a unit that is known here"):
        units.conversion("splash", "m")


@pytest.mark.parametrize(
    ("unit", "text"),
    [
        ("m³/(s·m)", "m²/s"),
        ("mV/(mg/L)", "mV·L/mg"),
        ("m³/s/m³", "1/s"),
        ("mg/L·L", "mg"),
        ("mV/(mg/(L·h))", "mV·L·h/mg"),
        ("s⁻¹", "1/s"),
        ("m³/s/m^0.5", "m^2.5/s"),
        ("kg·m/s²/(m·kg)", "1/s²"),
        ("m/m", ""),
        ("°C", "°C"),
        ("%", "%"),
        # What cannot be taken apart stays.
        ("mg N/L", "mg N/L"),
        ("(m³/s)²", "(m³/s)²"),
        ("mg/L)", "mg/L)"),
        ("10/s", "10/s"),
        ("²m", "²m"),
        ("CO2", "CO2"),
        ("", ""),
    ],
)
def test_units_are_taken_together(unit, text):
    """Without turning a part into another; a second time changes nothing."""
    assert units.simplified(unit) == text
    assert units.simplified(text) == text


@given(
    st.lists(st.tuples(st.sampled_from(["m", "s", "kg", "mol", "V"]), st.integers(1, 3), st.booleans()), max_size=5)
)
def test_a_unit_taken_together_measures_the_same(parts):
    """As the registry of units tells: the factor between the two is 1."""
    written = "1"
    for name, exponent, above in parts:
        written += ("·" if above else "/") + units.power(name, exponent)
    assert units.conversion(written, units.simplified(written)) == (1.0, 0.0)


@pytest.mark.parametrize(
    ("first", "second", "product", "quotient"),
    [
        ("mg/L", "L", "mg", "mg/L²"),
        ("mg/L", "mg", "mg²/L", "1/L"),
        ("m", "m", "m²", ""),
        ("m³/s", "m", "m⁴/s", "m²/s"),
        ("mg/(L·min)", "min", "mg/L", "mg/(L·min²)"),
        ("mL", "L", "mL·L", "mL/L"),
        ("mV", "mg/L", "mV·mg/L", "mV/(mg/L)"),
        ("count per cell", "cell", "count per cell·cell", "count per cell/cell"),
    ],
)
def test_one_algebra_cancels_what_is_in_both(first, second, product, quotient):
    """Products, quotients and powers of the same units say the same, and nothing is cancelled that is not alike."""
    assert units.product(first, second) == product
    assert units.quotient(first, second) == quotient
    if first != second:
        assert units.composed({first: 1, second: -1}) == quotient


def test_coefficients_of_columns_that_share_a_unit_are_told_in_it():
    """A mass over a concentration is a volume, and a slope of one length over another has no unit."""
    from vettore.core.formula.coefficient_units import coefficient_units
    from vettore.core.formula.formula import read_formula

    told = coefficient_units(read_formula("m = V*c", ["m", "c"]), {"m": "mg", "c": "mg/L"})
    assert told.units == {"V": "L"}
    told = coefficient_units(read_formula("q = a + b*h", ["q", "h"]), {"q": "m³/s", "h": "m"})
    assert told.units == {"a": "m³/s", "b": "m²/s"}
    clash = coefficient_units(read_formula("y = x + 2*z", ["x", "y", "z"]), {"x": "mg/L", "z": "mg", "y": "mg/L"})
    assert clash.contradictions
