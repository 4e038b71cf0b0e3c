"""What is fitted: the ± of y carried through the left side, R² of the curve and not of its spelling, slips that are said."""

import numpy as np
import pytest

import vettore.core as core
from vettore.core.formula.coefficient_units import coefficient_units
from vettore.core.formula.formula import read_formula

X = np.linspace(1.0, 9.0, 17)
Y = 6 * np.exp(-0.3 * X) * (1 + np.random.default_rng(3).normal(0, 0.03, 17))
SIGMA = np.linspace(0.02, 0.1, 17)

# Left side, its derivative by y, worked out by hand.
LEFT_SIDES = {
    "ln(y)": lambda y: 1 / y,
    "log10(y)": lambda y: 1 / (y * np.log(10)),
    "sqrt(y)": lambda y: 0.5 / np.sqrt(y),
    "1/y": lambda y: -1 / y**2,
    "y^2": lambda y: 2 * y,
    "ln(y/(10 - y))": lambda y: 1 / y + 1 / (10 - y),
    "2*y + 1": lambda y: np.full_like(y, 2.0),
}


@pytest.mark.parametrize("left", LEFT_SIDES)
@pytest.mark.parametrize("right", ["a + b*x", "a + b*exp(-c*x)"])
def test_sigma_is_carried_through_the_left_side(left, right):
    """A fit of g(y) with σ of y is the fit of a column that holds g(y) with σ·|g′(y)|, in every number."""
    columns = {"x": X, "y": Y}
    from vettore.core.formula.evaluate import evaluate

    g = evaluate(read_formula(f"{left} = x", columns).left, columns, 17)
    by_hand = core.fit(f"g = {right}", {"x": X, "g": g}, sigma=SIGMA * np.abs(LEFT_SIDES[left](Y)))
    carried = core.fit(f"{left} = {right}", columns, sigma=SIGMA)
    np.testing.assert_allclose(carried.values, by_hand.values, rtol=1e-7)
    errors = [[c.standard_error for c in one.coefficients.values()] for one in (carried, by_hand)]
    np.testing.assert_allclose(errors[0], errors[1], rtol=1e-6)
    np.testing.assert_allclose(carried.sigma, SIGMA * np.abs(LEFT_SIDES[left](Y)), rtol=1e-12)
    plain = core.fit(f"{left} = {right}", columns)
    if left != "2*y + 1":
        assert abs(plain.values[1] - carried.values[1]) > 1e-6 * abs(plain.values[1])


def test_several_measured_columns_add_in_quadrature_and_one_sigma_is_ambiguous():
    """σ² of y/z is (σ_y/z)² + (y σ_z/z²)²; one σ for two columns, or that of another column, is refused by name."""
    z = np.linspace(2, 3, 17)
    told = core.fit("y/z = a*exp(-k*x)", {"x": X, "y": Y, "z": z}, sigma={"y": SIGMA, "z": 0.05})
    np.testing.assert_allclose(told.sigma, np.hypot(SIGMA / z, Y * 0.05 / z**2), rtol=1e-12)
    with pytest.raises(core.DataError, match="one sigma does not say whose"):
        core.fit("y/z = a*exp(-k*x)", {"x": X, "y": Y, "z": z}, sigma=SIGMA)
    with pytest.raises(core.DataError, match="is of y, but z is fitted"):
        core.fit("z = a + b*x", {"x": X, "y": Y, "z": z}, sigma={"y": SIGMA})


def test_a_sigma_that_cannot_be_carried_is_said():
    """Where the left side is flat in y its ± is zero: refused. Where σ is of the size of y, ln(y) is said to be rough."""
    y = Y.copy()
    y[4] = 0.0
    with pytest.raises(core.DataError, match="zero in row 5"):
        core.fit("y^2 = a + b*x", {"x": X, "y": y}, sigma=0.1)
    wide = SIGMA.copy()
    wide[[2, 5]] = Y[[2, 5]] * 0.7
    told = core.fit("ln(y) = a - b*x", {"x": X, "y": Y}, sigma=wide)
    assert any("rows 3 and 6" in text and "only rough" in text for text in told.warnings)


SPELLINGS = [
    ("y = d + (a - d)/(1 + (x/c)^b)", "y = a + s/(1 + (x/c)^b)"),
    ("y = a*x + b*(1 - x)", "y = p + q*x"),
    ("y = A*cosh(k*x)^2 - A*sinh(k*x)^2 + m*x", "y = p + q*x"),
    ("y = a*sin(x)^2 + b*cos(x)^2", "y = p + q*cos(2*x)"),
    ("y = ln(exp(a)*exp(b*x))", "y = a + b*x"),
]


@pytest.mark.parametrize(("one", "other"), SPELLINGS, ids=[a for a, _ in SPELLINGS])
@pytest.mark.parametrize("weighted", [False, True])
def test_r_squared_is_of_the_curve_and_not_of_its_spelling(one, other, weighted):
    """Two spellings of a curve have the same R², adjusted R² and reference; a curve without a constant keeps zero."""
    y = 1 + 5 / (1 + (X / 4) ** 2) + np.random.default_rng(4).normal(0, 0.05, 17)
    how = {"sigma": SIGMA} if weighted else {}
    hold = {"k": 0.3} if "k" in read_formula(one, ("x", "y")).coefficients else {}
    a, b = core.fit(one, {"x": X, "y": y}, hold=hold, **how), core.fit(other, {"x": X, "y": y}, **how)
    assert a.r_squared_against == b.r_squared_against == "mean"
    assert a.r_squared == pytest.approx(b.r_squared, rel=1e-6)
    none = core.fit("y = A*exp(-k*x)", {"x": X, "y": y}, **how)
    assert none.r_squared_against == "zero"
    assert core.fit_polynomial(X, y, 2, intercept=False, **how).r_squared_against == "zero"


def test_a_lone_e_is_said_and_e_as_a_base_is_not():
    """exp(-e*x) holds 2.718 where a coefficient may have been meant."""
    assert any("2.718" in text for text in core.fit("y = A*exp(-e*x)", {"x": X, "y": Y}).warnings)
    assert any("2.718" in text for text in core.fit("y = A + e*x", {"x": X, "y": Y}).warnings)
    for quiet in ("y = A*e^(-k*x)", "y = A + `e`*x", "y = A*e⁻¹ + k*x"):
        assert not any("2.718" in text for text in core.fit(quiet, {"x": X, "y": Y}).warnings)
    assert not core.fit("y = a + b*e", {"e": X, "y": Y}).warnings


UNITS = {"T": "K", "k": "1/s", "x": "mm", "y": "mg/L", "t": "min"}


@pytest.mark.parametrize(
    ("formula", "told"),
    [
        ("k = A*exp(-E/(8.314*T))", {"A": "1/s", "E": None}),
        ("k = A*exp(-E/(1.987e-3*T))", {"E": None}),
        ("y = a*x/1000", {"a": None}),
        ("y = a*(T + 273.15)", {"a": "mg/L/K"}),
        ("y = a + b*if(x < x0, 0, x - x0)", {"x0": "mm", "b": "mg/L/mm"}),
        ("y = if(x < x0 and t >= t0, a, b)", {"x0": "mm", "t0": "min", "a": "mg/L"}),
        ("y = a + b*max(x - x0, 0)", {"x0": "mm", "b": "mg/L/mm"}),
        ("y = a + b*min(0, x - x0)", {"x0": "mm"}),
        ("y = Vm*x/(K + x)", {"Vm": "mg/L", "K": "mm"}),
        ("y = A*exp(-4*ln(2)*((x - c)/w)^2)", {"A": "mg/L", "c": "mm", "w": "mm"}),
    ],
)
def test_units_are_told_or_unknown_and_never_wrong(formula, told):
    """A bare number may carry a unit that was not written, so what hangs on it is unknown; switching points have x's."""
    found = coefficient_units(read_formula(formula, UNITS), UNITS)
    assert {name: found.units[name] for name in told} == told
    assert not found.contradictions
