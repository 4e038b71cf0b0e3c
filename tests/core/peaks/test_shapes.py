"""Shapes of peaks: arrays and formulas are one; profiles by their definitions; the numbers of a peak by its curve."""

import itertools
import math

import numpy as np
import pytest
from scipy.integrate import quad
from scipy.special import wofz

from vettore.core.errors import Fault, VettoreError
from vettore.core.formula.derivative import derivative
from vettore.core.formula.evaluate import evaluate
from vettore.core.formula.formula import read_formula
from vettore.core.formula.peak_functions import tailed, voigt
from vettore.core.peaks.numbers import Outlines, numbers_of, outlines, slopes_of
from vettore.core.peaks.shapes import FWHM, SHAPES, shape_of

X = np.linspace(-3.0, 6.0, 73)
OWN = ("exp(-abs(u)^3)", "1/(1 + u^4)")
# Extras that are neither where they begin nor at their limits.
EXTRA = {"share": 0.35, "tail": 0.8, "lean": 0.3, "skew": 0.4}


def extras_of(shape):
    return [EXTRA[extra.name] for extra in shape.extras]


@pytest.mark.parametrize("key", [*SHAPES, *OWN])
def test_a_shape_as_arrays_is_the_shape_as_a_formula(key):
    """And both have the same slopes by place, width and what the shape has beside."""
    shape = shape_of(key)
    names = [extra.name for extra in shape.extras]
    at = {"m": 0.7, "w": 1.3, **dict(zip(names, extras_of(shape), strict=True))}
    read = read_formula(f"y = {shape.written('m', 'w', names, 'x')}", ["x", "y"])
    given = {"x": X, **{name: np.full(len(X), at[name]) for name in read.coefficients}}
    u = (X - at["m"]) / at["w"]
    value, (by_u, *by_extras) = shape.with_slopes(u, [np.full(len(X), extra) for extra in extras_of(shape)])
    assert value == pytest.approx(evaluate(read.right, given, len(X)), abs=1e-15)
    expected = {"m": -by_u / at["w"], "w": -by_u * u / at["w"], **dict(zip(names, by_extras, strict=True))}
    for name, slope in expected.items():
        assert slope == pytest.approx(evaluate(derivative(read.right, name), given, len(X)), abs=2e-8)


def test_voigt_is_the_real_part_of_the_faddeeva_function():
    """Height 1, with half widths of its parts by its share: 1e-10 of the definition by the convolution."""
    share, w = 0.4, 2.0
    sigma, gamma = (1 - share) * w / FWHM, share * w / 2
    u = np.linspace(-4, 4, 17)
    z = (u * w + 1j * gamma) / (sigma * math.sqrt(2))
    top = wofz(1j * gamma / (sigma * math.sqrt(2))).real
    assert SHAPES["voigt"].unit(u, share) == pytest.approx(wofz(z).real / top, rel=1e-12)
    convolved = [
        quad(
            lambda t, x=x: math.exp(-t * t) * 0.3 / (math.pi * ((x - t) ** 2 + 0.09)),
            -9,
            9,
            epsabs=0,
            epsrel=1e-12,
            points=[x],
        )[0]
        for x in (0.0, 0.4, 2.0)
    ]
    assert voigt(np.array([0.0, 0.4, 2.0]), 0.3) == pytest.approx(convolved, rel=1e-10)
    assert np.isnan(voigt(0.0, -1.0))


def test_a_tail_is_the_convolution_with_an_exponential_where_its_terms_cancel_too():
    """By quadrature, for tails short and long, on either side, near the top and far out."""
    rng = np.random.default_rng(0)
    for z, s in zip(rng.uniform(-6, 20, 60), 10 ** rng.uniform(-4, 1.5, 60) * rng.choice([-1, 1], 60), strict=True):
        size, at = abs(s), z if s > 0 else -z
        middle = max(at / size - 1 / size**2, 0.0)
        ends = sorted({0.0, min(1.0, 60 + middle), middle, 60 + middle})
        expected = sum(
            quad(
                lambda t, at=at, size=size: math.exp(-((at - size * t) ** 2) / 2 - t),
                a,
                b,
                epsabs=0,
                epsrel=1e-12,
                limit=400,
            )[0]
            for a, b in itertools.pairwise(ends)
        )
        if expected > 1e-200:
            assert float(tailed(z, s)) == pytest.approx(expected, rel=1e-10)
    assert tailed(1.3, 0.0) == math.exp(-(1.3**2) / 2)


@pytest.mark.parametrize("key", [*SHAPES, *OWN])
def test_the_numbers_of_a_peak_are_those_of_its_curve(key):
    """Place and height of the top, full width at half of it, area: looked up on a fine curve; slopes by differences."""
    shape = shape_of(key)
    coefficients = [1.7, 0.4, 0.9, *extras_of(shape)]
    place, height, width, area = numbers_of(shape, coefficients)
    x = np.linspace(-60, 60, 1_200_001)
    y = 1.7 * shape.unit((x - 0.4) / 0.9, *extras_of(shape))
    above = x[y >= height / 2]
    assert (x[np.argmax(y)], y.max()) == (pytest.approx(place, abs=2e-4), pytest.approx(height, abs=1e-7))
    assert above[-1] - above[0] == pytest.approx(width, abs=3e-4)
    assert float(np.sum((y[1:] + y[:-1]) / 2) * 1e-4) == pytest.approx(
        area, rel=8e-3 if "1 + " in shape.formula or key == "voigt" else 1e-6
    )
    slopes = slopes_of(shape, coefficients)
    for place_of, _ in enumerate(coefficients):
        ends = []
        for step in (1e-5, -1e-5):
            moved = list(coefficients)
            moved[place_of] += step
            ends.append(numbers_of(shape, moved))
        assert slopes[:, place_of] == pytest.approx((ends[0] - ends[1]) / 2e-5, abs=1e-6)


@pytest.mark.parametrize("key", ["voigt", "tailed"])
def test_the_table_of_outlines_is_near_enough_for_ranges(key):
    shape = SHAPES[key]
    at = np.linspace(*((extra.low + 0.01, extra.high - 0.01) for extra in shape.extras).__next__(), 9)
    table = Outlines(shape)
    for value, exact in zip(at.tolist(), outlines(shape, at).T, strict=True):
        place, height, width, area = table.numbers([1.0, 0.0, 1.0, value])
        assert (place, height, width, area) == pytest.approx(tuple(exact), abs=2e-4)


def test_what_is_no_shape_is_refused():
    for text, code in (
        ("triangle", Fault.NO_SUCH_CHOICE),
        ("exp(-k*u^2)", Fault.MISSING),
        ("exp(-4)", Fault.MISSING),
        ("u^2", Fault.NO_VALUE),
    ):
        with pytest.raises(VettoreError) as refused:
            shape_of(text)
        assert refused.value.code is code
