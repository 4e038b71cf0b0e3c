"""Fits agree with a general least-squares routine, whatever way they take inside: one factorisation or two, blocks, gaps."""

import numpy as np
import pytest
from scipy.optimize import least_squares

import vettore.core as core
from vettore.core.fitting.prepared import prepared
from vettore.core.fitting.search import nonlinear
from vettore.core.formula.evaluate import Program

# Each a formula, its truth, and the noise of y.
MODELS = {
    "each coefficient in one term": ("y = A*exp(-k*t) + C", {"A": 6, "k": 0.04, "C": 2}, 0.1),
    "no linear coefficient": ("y = exp(-k*t)*cos(w*t)", {"k": 0.02, "w": 0.3}, 0.02),
    "no constant": ("y = V*t/(K + t)", {"V": 10, "K": 20}, 0.1),
    "one coefficient in two terms": ("y = (a + b*t)*exp(-k*t) + C", {"a": 3, "b": 0.5, "k": 0.06, "C": 1}, 0.05),
    "one in the offset and in a term": ("y = t^0.5/m + A*exp(-t/m)", {"m": 9, "A": 4}, 0.05),
    "a derivative without a value at 0": ("y = A*t^n + C", {"A": 0.5, "n": 0.8, "C": 1}, 0.05),
    "a peak on a slope": (
        "y = A*exp(-((t - m)/w)^2) + b*t + C",
        {"A": 5, "m": 40, "w": 9, "b": 0.02, "C": 1},
        0.1,
    ),
    "a wave that dies away": (
        "y = A*sin(w*t + p)*exp(-k*t) + C",
        {"A": 4, "w": 0.3, "p": 0.5, "k": 0.02, "C": 3},
        0.1,
    ),
    "two columns": ("y = V*t*s/((K + t)*(L + s))", {"V": 12, "K": 15, "L": 3}, 0.05),
    "a linear model": ("y = a*sin(t) + b*t^2 + c", {"a": 2, "b": 0.001, "c": 5}, 0.2),
    "a step written with if": ("y = if(t < m, a, a + b*(t - m))", {"m": 45.3, "a": 2, "b": 0.1}, 0.05),
}


def made(formula, truth, noise, n, seed=1):
    """Return columns that a formula makes, with noise that grows along t, and its standard deviations."""
    rng = np.random.default_rng(seed)
    data = {"t": np.linspace(0, 90, n), "s": rng.uniform(1, 9, n)}
    program = Program(prepared(formula, ["t", "s", "y"]).formula.right)
    values = {**data, **{name: np.float64(value) for name, value in truth.items()}}
    sigma = noise * np.linspace(0.5, 1.5, n)
    with np.errstate(all="ignore"):
        curve = program({name: values[name] for name in program.inputs})
    return {**data, "y": curve + rng.normal(0, sigma)}, sigma


def witness(formula, data, truth, sigma, hold):
    """Return values and covariance by a general routine that starts at the truth."""
    program = Program(prepared(formula, ["t", "s", "y"]).formula.right)
    names = [name for name in truth if name not in hold]
    weight = 1 / sigma if sigma is not None else np.ones(len(data["y"]))

    def missed(at):
        values = {**data, **hold, **dict(zip(names, at, strict=True))}
        with np.errstate(all="ignore"):
            return (data["y"] - program({name: values[name] for name in program.inputs})) * weight

    scale = [abs(truth[name]) for name in names]
    found = least_squares(
        missed, [truth[name] for name in names], jac="3-point", x_scale=scale, ftol=1e-15, xtol=1e-15, gtol=1e-15
    )
    variance = 2 * found.cost / (len(weight) - len(names))
    return dict(zip(names, found.x, strict=True)), np.linalg.inv(found.jac.T @ found.jac) * variance, 2 * found.cost


@pytest.mark.parametrize("n", [40, 20_500])
@pytest.mark.parametrize("weighted", [False, True])
@pytest.mark.parametrize("what", MODELS)
def test_values_errors_and_sum_of_squares_agree(what, weighted, n):
    """With and without weights, for a few rows and for so many that they are taken in pieces, from the truth."""
    formula, truth, noise = MODELS[what]
    data, spread = made(formula, truth, noise, n)
    sigma = spread if weighted else None
    fit = core.fit(formula, data, start=truth, sigma=sigma)
    assert fit.converged
    values, covariance, squares = witness(formula, data, truth, sigma, {})
    assert fit.sum_of_squares <= squares * (1 + 1e-9)
    # The routine beside it ends where its own differences do, some digits earlier.
    errors = np.sqrt(np.diag(covariance))
    for name, error in zip(values, errors, strict=True):
        assert abs(fit.coefficients[name].value - values[name]) <= 5e-3 * error, name
        assert fit.coefficients[name].standard_error == pytest.approx(error, rel=2e-3), name
    np.testing.assert_allclose(fit.fitted + fit.residuals, data["y"], rtol=1e-12)


@pytest.mark.parametrize(
    "what", ["each coefficient in one term", "one coefficient in two terms", "a peak on a slope"]
)
def test_held_and_limited_coefficients_agree(what):
    """One held a little off its best value; then one between limits that leave the answer free, and one at its limit."""
    formula, truth, noise = MODELS[what]
    data, _ = made(formula, truth, noise, 60)
    hold = {"C": truth["C"] * 1.02}
    fit = core.fit(formula, data, start=truth, hold=hold)
    values, covariance, _ = witness(formula, data, truth, None, hold)
    for name, error in zip(values, np.sqrt(np.diag(covariance)), strict=True):
        assert abs(fit.coefficients[name].value - values[name]) <= 2e-3 * error
    free = core.fit(formula, data, start=truth)
    first = next(iter(truth))
    wide = core.fit(formula, data, start=truth, limits={first: (0, 100)})
    np.testing.assert_allclose(wide.values, free.values, rtol=1e-9)
    edge = free.coefficients[first].value * 0.98
    tight = core.fit(formula, data, start=truth, limits={first: (None, edge)})
    assert tight.coefficients[first].at_limit
    assert tight.coefficients[first].value == edge
    other = core.fit(formula, data, start=truth, hold={first: edge})
    assert tight.sum_of_squares == pytest.approx(other.sum_of_squares, rel=1e-9)


def test_the_same_answer_whether_the_rows_come_at_once_in_pieces_or_shuffled():
    """A million rows are fitted in blocks, a thinning of them directly: both within their errors of the truth."""
    formula, truth, noise = MODELS["a peak on a slope"]
    data, _ = made(formula, truth, noise, 200_000)
    large = core.fit(formula, data, start=truth)
    order = np.random.default_rng(2).permutation(200_000)
    shuffled = core.fit(formula, {name: column[order] for name, column in data.items()}, start=truth)
    np.testing.assert_allclose(shuffled.values, large.values, rtol=1e-9)
    np.testing.assert_allclose(shuffled.covariance, large.covariance, rtol=1e-6)
    np.testing.assert_allclose(shuffled.leverage, large.leverage[order], rtol=1e-5)
    for name, one in large.coefficients.items():
        assert abs(one.value - truth[name]) < 5 * one.standard_error


@pytest.mark.parametrize("weighted", [False, True])
@pytest.mark.parametrize("name", ["a peak on a slope", "a wave that dies away", "one in the offset and in a term"])
def test_rows_in_blocks_give_the_answer_of_all_rows_at_once(name, weighted, monkeypatch):
    """To the noise floor: coefficients beside their errors, errors, residuals, sum of squares and leverage."""
    formula, truth, noise = MODELS[name]
    data, _ = made(formula, truth, noise, 30_011)
    sigma = 0.5 + np.linspace(0, 1, 30_011) if weighted else None
    start = {key: value * 1.02 for key, value in truth.items()}
    blocks = core.fit(formula, data, start=start, sigma=sigma)
    monkeypatch.setattr(nonlinear, "LARGE_FROM_START", 1_000_000)
    whole = core.fit(formula, data, start=start, sigma=sigma)
    errors = np.sqrt(np.diag(whole.covariance))
    assert np.all(np.abs(np.subtract(blocks.values, whole.values)) <= 1e-7 * errors)
    np.testing.assert_allclose(np.sqrt(np.diag(blocks.covariance)), errors, rtol=1e-9)
    np.testing.assert_allclose(blocks.residuals, whole.residuals, rtol=0, atol=1e-9 * whole.residual_sd)
    np.testing.assert_allclose(blocks.leverage, whole.leverage, rtol=1e-8)
    assert blocks.sum_of_squares == pytest.approx(whole.sum_of_squares, rel=1e-13)
    assert blocks.converged
    assert blocks.gradient < 1e-9


def test_a_bound_program_gives_what_the_program_gives():
    """Whichever names are free; what does not depend on them is worked out beforehand and not changed by a run."""
    text = "A*exp(-k*t)*ln(t + 1) + max(t, 3)^B + if(t < 5, C, t/C)"
    program = Program(prepared(f"y = {text}", ["t", "y"]).formula.right)
    values = {"t": np.linspace(0, 9, 13), "A": np.float64(2), "k": np.float64(0.3), "B": 0.5, "C": np.float64(4)}
    whole = program(values)
    for free in (["A"], ["k", "C"], ["t"], [], ["B", "nowhere"]):
        run = program.bound(values, free)
        for _ in range(2):
            np.testing.assert_array_equal(run([values.get(name, 0.0) for name in free])[0], whole)
    run = program.bound(values, ["A", "k", "C"])
    np.testing.assert_allclose(
        run([np.float64(1), np.float64(0.1), np.float64(2)])[0],
        program({**values, "A": 1.0, "k": 0.1, "C": 2.0}),
        rtol=1e-15,
    )
