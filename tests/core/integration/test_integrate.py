"""Areas agree with exact results and independent witnesses, add up, and carry their uncertainty."""

import itertools
import math
from fractions import Fraction

import numpy as np
import pytest
from scipy import integrate as witness

import vettore.core as core
from vettore.core.integration.adaptive import GAUSS, KRONROD, NODES
from vettore.core.integration.derivative import differentiate
from vettore.core.integration.function import ladder
from vettore.core.integration.peaks import _standing, find_peaks, measure_peak

RNG = np.random.default_rng(5)
BEGINNING = RNG.bit_generator.state


@pytest.fixture(autouse=True)
def _same_numbers_whatever_ran_before():
    RNG.bit_generator.state = BEGINNING


X = np.sort(RNG.uniform(0, 10, 13))
Y = np.sin(X) + 1.5
RULES = ("trapezoid", "simpson", "spline")


def test_rules_agree_with_their_witnesses():
    """On the whole range and, for the trapezoid and the spline, between points."""
    assert core.integrate(X, Y).area == pytest.approx(witness.trapezoid(Y, X), rel=1e-14)
    assert core.integrate(X, Y, "simpson").area == pytest.approx(witness.simpson(Y, x=X), rel=1e-13)
    from scipy.interpolate import CubicSpline

    assert core.integrate(X, Y, "spline", a=2.2, b=7.7).area == pytest.approx(
        float(CubicSpline(X, Y).integrate(2.2, 7.7))
    )
    even = np.linspace(0, 3, 8)
    three_eighths = witness.simpson(even[:5] ** 3, x=even[:5]) + 3 / 8 * (even[1]) * float(
        (even[4:] ** 3) @ np.array([1, 3, 3, 1])
    )
    assert core.integrate(even, even**3, "simpson").area == pytest.approx(three_eighths)


@pytest.mark.parametrize("points", [5, 8, 9])
def test_exact_results_are_exact(points):
    """Trapezoids for lines and Simpson for cubics on even points, against fractions; parabolas on uneven points."""
    x = np.arange(points) / 4.0
    exact = sum(
        (Fraction(b) - Fraction(a)) * (5 + 3 * (Fraction(a) + Fraction(b))) / 2 for a, b in itertools.pairwise(x)
    )
    line = core.integrate(x, 2.5 + 3 * x).area
    assert line == float(exact)
    end = Fraction(float(x[-1]))
    cubic = core.integrate(x, x**3 - 2 * x, "simpson").area
    assert cubic == pytest.approx(float(end**4 / 4 - end**2), rel=1e-14)
    uneven = x**1.3
    top = uneven[-1]
    for rule in ("simpson", "spline"):
        assert core.integrate(uneven, uneven**2, rule).area == pytest.approx(top**3 / 3, rel=1e-13)
    assert core.integrate(uneven, uneven**3, "spline").area == pytest.approx(top**4 / 4, rel=1e-13)


@pytest.mark.parametrize("rule", RULES)
@pytest.mark.parametrize("floor", [0.0, 1.2, "ends", [(0, 2), (8, 10)]])
def test_strips_add_up_and_limits_behave(rule, floor):
    """Sum of strips, positive and negative parts, reversed limits; splitting for floors that do not move."""
    whole = core.integrate(X, Y, rule, a=1.1, b=8.8, floor=floor)
    assert whole.area == pytest.approx(float(np.sum(whole.strips)))
    assert whole.running[-1] == pytest.approx(whole.area)
    assert whole.positive + whole.negative == pytest.approx(whole.area)
    assert whole.positive >= 0 >= whole.negative
    back = core.integrate(X, Y, rule, a=8.8, b=1.1, floor=floor)
    assert back.area == pytest.approx(-whole.area)
    assert back.standard_error == pytest.approx(whole.standard_error)
    if floor != "ends":
        parts = [core.integrate(X, Y, rule, a=a, b=b, floor=floor).area for a, b in ((1.1, 4.0), (4.0, 8.8))]
        assert sum(parts) == pytest.approx(whole.area, rel=1e-12)


@pytest.mark.parametrize("rule", RULES)
@pytest.mark.parametrize("floor", [0.0, "ends", [(0, 2), (8, 10)]])
def test_the_standard_error_is_that_of_many_areas(rule, floor):
    """Exact propagation, against unit vectors; the scatter is estimated where no σ is given."""
    sigma = RNG.uniform(0.05, 0.2, 13)
    told = core.integrate(X, Y, rule, a=1.1, b=8.8, floor=floor, sigma=sigma)
    base = told.area
    weights = []
    for j in range(13):
        moved = Y.copy()
        moved[j] += 1.0
        weights.append(core.integrate(X, moved, rule, a=1.1, b=8.8, floor=floor).area - base)
    assert told.standard_error == pytest.approx(float(np.sqrt(np.sum((np.array(weights) * sigma) ** 2))), rel=1e-9)
    x = np.linspace(0, 10, 300)
    noisy = core.integrate(x, np.sin(x) + RNG.normal(0, 0.1, 300), rule, floor=0.0)
    expected = core.integrate(x, np.sin(x), rule, sigma=np.full(300, 0.1)).standard_error
    assert noisy.standard_error == pytest.approx(expected, rel=0.2)
    assert noisy.error_from == "scatter"


def test_a_curve_can_be_the_floor():
    """The area between two curves, with what lies above and below."""
    x = np.linspace(0, 2 * np.pi, 2001)
    told = core.integrate(x, np.sin(x), "spline", floor=lambda at: np.cos(at))
    assert told.area == pytest.approx(0, abs=1e-9)
    assert told.positive == pytest.approx(2 * math.sqrt(2), rel=1e-4)


STANDARD = [
    ("exp(x)", 0, 1, math.e - 1),
    ("1/(1 + x^2)", 0, 5, math.atan(5)),
    ("sin(x)^2", 0, 10, 5 - math.sin(20) / 4),
    ("sqrt(x)", 0, 1, 2 / 3),
    ("1/sqrt(x)", 0, 1, 2.0),
    ("ln(x)", 0, 1, -1.0),
    ("exp(-x^2)", -math.inf, math.inf, math.sqrt(math.pi)),
    ("exp(-x)", 0, math.inf, 1.0),
    ("x*exp(-x)", 0, math.inf, 1.0),
    ("cos(50x)", 0, 1, math.sin(50) / 50),
    ("1/(x^2 + 0.0001)", -1, 1, 200 * math.atan(100)),
    ("1/sqrt(1 - x)", 0, 1, 2.0),
]


@pytest.mark.parametrize(("formula", "a", "b", "exact"), STANDARD, ids=[one[0] for one in STANDARD])
def test_adaptive_areas_are_within_their_stated_error_at_fair_cost(formula, a, b, exact):
    """The true error is below the stated one; at most 1.5 times the evaluations of the witness."""
    told = core.integrate_function(formula, a, b)
    assert abs(told.area - exact) <= told.error
    assert told.error <= 1e-8 * abs(exact)
    assert told.settled
    calls = []

    def counted(x):
        calls.append(x)
        return _value(formula, x)

    witness.quad(counted, a, b, epsabs=0, epsrel=1e-9, limit=200)
    assert told.evaluations <= 1.5 * len(calls)
    back = core.integrate_function(formula, b, a)
    assert back.area == -told.area


def _value(formula, x):
    from vettore.core.formula.evaluate import Program
    from vettore.core.formula.formula import read_formula

    return float(Program(read_formula(formula, ("x", "y")).right)({"x": np.float64(x)}))


def test_the_pair_of_rules_is_exact_to_its_degrees():
    """10 points to degree 19, 21 points to degree 31: every digit of the nodes and weights is checked."""
    for degree in range(32):
        exact = 2 / (degree + 1) if degree % 2 == 0 else 0.0
        assert KRONROD @ NODES**degree == pytest.approx(exact, abs=2e-15)
        if degree < 20:
            assert GAUSS @ NODES**degree == pytest.approx(exact, abs=2e-15)


def test_fixed_rules_and_the_ladder_show_their_order():
    """Left and right to first order, midpoint and trapezoid to second, Simpson to fourth; Richardson does better."""
    exact = math.e - 1
    for rule, order in (("left", 1), ("right", 1), ("midpoint", 2), ("trapezoid", 2), ("simpson", 4)):
        rungs = ladder("exp(x)", 0, 1, rule, rungs=6)
        assert rungs[-1].order == pytest.approx(order, abs=0.1)
        assert abs(rungs[-1].extrapolated - exact) < abs(rungs[-1].area - exact)
        assert core.integrate_function("exp(x)", 0, 1, strips=64, rule=rule).area == rungs[-1].area
    assert core.integrate_function(lambda x: 3.0, 0, 2).area == pytest.approx(6)
    assert core.integrate_function(lambda x: math.sqrt(x), 0, 4).area == pytest.approx(16 / 3)


@pytest.mark.parametrize(
    ("call", "words"),
    [
        (lambda: core.integrate(X, Y, "boole"), "no rule"),
        (lambda: core.integrate(X, Y, a=-5), "outside the points"),
        (lambda: core.integrate([1.0], [2.0]), "at least two"),
        (lambda: core.integrate(X, Y, floor=[(0, 0.1)]), "fewer than two"),
        (lambda: core.integrate_function("a*x", 0, 1), "no value here"),
        (lambda: core.integrate_function("1/x", 0, 1, strips=4), "no finite value at x = 0"),
        (lambda: core.integrate_function("x", 0, 1, strips=3, rule="simpson"), "even number"),
        (lambda: core.integrate_function("x", 0, math.inf, strips=3), "finite limits"),
    ],
)
def test_wrong_requests_are_refused_in_a_sentence(call, words):
    """What was found, and what to do."""
    with pytest.raises(core.DataError, match=words):
        call()


def test_an_integral_without_a_finite_value_does_not_settle():
    """1/x from 0 has no area: it is said, with what was reached."""
    assert not core.integrate_function("1/x", 0, 1).settled


def test_peaks_are_found_and_measured():
    """Three peaks on noise: place, height, width, area and share; none in noise alone."""
    x = np.linspace(0, 100, 1001)
    true = [(20, 5.0, 2.0), (50, 3.0, 4.0), (80, 8.0, 1.5)]
    y = 1 + sum(h * np.exp(-((x - m) ** 2) / (2 * s * s)) for m, h, s in true) + RNG.normal(0, 0.03, 1001)
    found = find_peaks(x, y)
    assert len(found) == 3
    whole = sum(h * s for _, h, s in true)
    for one, (m, h, s) in zip(found, true, strict=True):
        assert one.position == pytest.approx(m, abs=0.3)
        assert one.height == pytest.approx(h, rel=0.05)
        assert one.width == pytest.approx(2.355 * s, rel=0.06)
        assert one.area == pytest.approx(h * s * math.sqrt(2 * math.pi), rel=0.08)
        assert one.share == pytest.approx(h * s / whole, abs=0.02)
    assert find_peaks(x, RNG.normal(0, 1, 1001)) == ()
    narrow = measure_peak(x, y, 14, 26)
    assert narrow.area == pytest.approx(5 * 2 * math.sqrt(2 * math.pi), rel=0.05)


def test_how_far_tops_stand_out_is_told_in_one_pass():
    """Each local maximum of 400 traces with many equal heights, against the definition looked up row by row."""
    for _ in range(400):
        y = RNG.integers(0, RNG.integers(2, 9), RNG.integers(5, 40)).astype(float)
        wanted = []
        for top in range(1, len(y) - 1):
            level = [k for k in range(len(y)) if (y[min(k, top) : max(k, top) + 1] == y[top]).all()]
            before, after = level[0] - 1, level[-1] + 1
            alone = before >= 0 and after < len(y) and max(y[before], y[after]) < y[top]
            if not alone or top != (level[0] + level[-1]) // 2:
                continue
            first = max((k + 1 for k in range(top) if y[k] > y[top]), default=0)
            last = min((k for k in range(top, len(y)) if y[k] > y[top]), default=len(y))
            left, right = first + int(np.argmin(y[first : top + 1])), top + int(np.argmin(y[top:last]))
            wanted.append((top, y[top] - max(y[left], y[right]), left, right))
        assert _standing(y) == wanted


def test_slopes_of_points_are_those_of_local_polynomials():
    """Exact for their own degree at any spacing; the error is that of many repeats."""
    x = np.sort(RNG.uniform(0, 5, 40))
    told = differentiate(x, x**2 - 3 * x, width=7, degree=2)
    np.testing.assert_allclose(told.slope, 2 * x - 3, atol=1e-10)
    sigma = np.full(40, 0.1)
    many = [differentiate(x, RNG.normal(0, 0.1, 40), 7, sigma=sigma).slope[20] for _ in range(400)]
    assert np.std(many) == pytest.approx(differentiate(x, x, 7, sigma=sigma).standard_error[20], rel=0.15)
    with pytest.raises(core.DataError, match="needs at least"):
        differentiate(x, x, width=2)


SEEN = [
    ("exp(-x/1e-6)", 0, math.inf, 1e-6),
    ("exp(-((x-300)/5)^2)", 0, math.inf, 5 * math.sqrt(math.pi)),
    ("1 + 1000*exp(-((x-612.3)/0.02)^2)", 0, 1000, 1000 + 20 * math.sqrt(math.pi)),
    ("if(x < 0.02, x/0.02, exp(-(x-0.02)))", 0, 10, 0.01 + 1 - math.exp(-9.98)),
    ("exp(-abs(x-5)/1e-4)", 0, 10, 2e-4),
    ("exp(-max(x-7, 0)/1e-5)", 0, 10, 7 + 1e-5),
    ("1/(1 + ((x-0.123)/1e-6)^2)", 0, 1, math.pi * 1e-6 - 1e-12 / 0.123 - 1e-12 / 0.877),
    ("x*exp(-x^2)", -math.inf, math.inf, 0.0),
    ("sin(x)/x", 0, math.inf, math.pi / 2),
    ("exp(-x/50)*cos(x)", 0, math.inf, 0.02 / (0.02**2 + 1)),
    ("cos(x)/(1+x^2)", -math.inf, math.inf, math.pi / math.e),
    ("1/sqrt(abs(x-0.3))", 0, 1, 2 * (math.sqrt(0.3) + math.sqrt(0.7))),
]


@pytest.mark.parametrize(("formula", "a", "b", "exact"), SEEN, ids=[one[0] for one in SEEN])
def test_a_formula_names_its_own_places(formula, a, b, exact):
    """Peaks, corners, fast decays and oscillating tails that no first points would meet: right, and within the bound."""
    told = core.integrate_function(formula, a, b)
    assert told.settled
    assert abs(told.area - exact) <= told.error
    assert told.error <= 1e-7 * max(abs(exact), 1e-6)


@pytest.mark.parametrize(
    ("formula", "a", "b"),
    [
        ("1/x", 0, 1),
        ("1/x", 1, math.inf),
        ("1/(x-0.3)", 0, 1),
        ("x/(1+x^2)", -math.inf, math.inf),
        ("x^3", -math.inf, math.inf),
        ("sin(x)", 0, math.inf),
        ("(1 + 1/(x+1))*cos(3x)", 0, math.inf),
        ("tan(x)", 0, 3),
        ("exp(x)", 0, math.inf),
    ],
)
def test_what_has_no_area_prints_none(formula, a, b):
    """Odd functions do not cancel, poles do not cancel, waves that do not fall have no sum."""
    told = core.integrate_function(formula, a, b)
    assert not told.settled
    assert math.isnan(told.area)
    assert "Not settled" in told.message


def test_functions_that_tell_nothing_are_looked_at_in_many_places():
    """Decays at a border, steps and far peaks of callables; a place may be given; what may be missed is said."""
    decays = core.integrate_function(lambda x: np.exp(-np.abs(x - 5) / 1e-4), 0, 10)
    assert decays.area == pytest.approx(2e-4, rel=1e-9)
    assert core.integrate_function(lambda x: np.exp(-(((x - 300) / 5) ** 2)), 0, math.inf).area == pytest.approx(
        8.8622692545
    )
    assert "narrower" in decays.message

    def peak(x):
        return 1 + 1000 * np.exp(-(((x - 612.3) / 0.02) ** 2))

    assert core.integrate_function(peak, 0, 1000, at=[612.3]).area == pytest.approx(1000 + 20 * math.sqrt(math.pi))
    zero = core.integrate_function(lambda x: 0 * x, 0, 1)
    assert "Zero at every one of" in zero.message
    assert core.integrate_function("0*x", 0, 1).message.startswith("Settled")
    with pytest.raises(core.DataError, match="Places"):
        core.integrate_function("x", 0, 1, strips=4, at=[0.5])


def test_the_area_under_a_fitted_curve_sees_narrow_peaks():
    """A peak a millionth of the range wide: its area and its standard error are those of the formula."""
    x = np.concatenate([np.linspace(0, 1000, 40), np.linspace(612.2, 612.4, 60)])
    y = 1 + 50 * np.exp(-(((x - 612.3) / 0.002) ** 2)) + RNG.normal(0, 0.01, 100)
    told = core.fit("y = B + H*exp(-((x-c)/w)^2)", {"x": x, "y": y}, start={"c": 612.3, "w": 0.002})
    values = {name: one.value for name, one in told.coefficients.items()}
    exact = values["B"] * 1000 + values["H"] * abs(values["w"]) * math.sqrt(math.pi)
    assert told.curve.area(0, 1000) == pytest.approx(exact, rel=1e-10)
    assert told.curve.area(1000, 0) == -told.curve.area(0, 1000)
    assert told.curve.area_error(612.2, 612.4) > 0


SHAPES = {
    "line": lambda x: 3 * x,
    "parabola": lambda x: 8 * x * x,
    "cubic": lambda x: 10 * (x - 0.2) * (x - 0.5) * (x - 0.9),
    "decay": lambda x: 5 * np.exp(-5 * x),
    "growth": lambda x: np.exp(2 * x),
    "wave": lambda x: np.sin(6 * x),
    "two waves": lambda x: np.sin(12 * x),
    "hump": lambda x: 3 * np.exp(-(((x - 0.5) / 0.15) ** 2)),
    "rounded step": lambda x: 2 / (1 + np.exp(-(x - 0.5) / 0.06)),
    "saturation": lambda x: 5 * x / (0.3 + x),
}


@pytest.mark.parametrize("shape", SHAPES)
@pytest.mark.parametrize("even", [True, False])
def test_the_error_from_the_scatter_is_that_of_many_measurements(shape, even):
    """On ten shapes: the stated ± of the area over the spread of areas of 300 noisy sets lies within 0.8 and 1.25."""
    x = np.linspace(0, 1, 30) if even else np.sort(np.random.default_rng(8).uniform(0, 1, 30))
    noise = np.random.default_rng(9).normal(0, 0.05, (300, 30))
    told = [core.integrate(x, SHAPES[shape](x) + one) for one in noise]
    stated = math.sqrt(np.mean([one.standard_error**2 for one in told]))
    assert 0.8 <= stated / np.std([one.area for one in told]) <= 1.25
    assert told[0].error_from == "scatter"


def test_the_scatter_of_few_points_is_estimated_too():
    """Five points on a line: what is left of their differences is the noise."""
    x = np.array([0.0, 1.0, 1.5, 4.0, 5.0])
    found = [
        core.integrate(x, 2 * x + one).standard_error for one in np.random.default_rng(2).normal(0, 1, (2000, 5))
    ]
    exact = core.integrate(x, x, sigma=np.ones(5)).standard_error
    assert math.sqrt(np.mean(np.square(found))) == pytest.approx(exact, rel=0.05)
