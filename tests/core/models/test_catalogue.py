"""Every model of the catalogue fits its own practice data, says what it gives, and can be pulled by its grips."""

import numpy as np
import pytest

import vettore.core as core
from tests.core.models.truth import TRUTH
from vettore.core.fitting.after.propagate import propagate, quantities
from vettore.core.formula.coefficient_units import coefficient_units
from vettore.core.formula.evaluate import Program
from vettore.core.formula.formula import read_formula
from vettore.core.formula.reader import Reader
from vettore.core.models.model import own_model
from vettore.core.models.pulling import pull_through
from vettore.words.fits import conflict_in_words

X = np.linspace(1, 40, 79)
MODELS = list(core.CATALOGUE.values())


def value(text, known):
    program = Program(Reader(text, frozenset(known)).read_all())
    return float(program({name: np.float64(known[name]) for name in program.inputs}))


@pytest.mark.parametrize("model", MODELS, ids=lambda one: one.key)
def test_a_model_fits_its_practice_data_without_starts(model):
    """At or below the truth's sum of squares, with x in seconds, columns named like coefficients, and converged."""
    made = core.practice(model.formula, TRUTH[model.key], x=X, noise=0.1, seed=3)
    result = core.fit(model, {"k": made.x * 60, "A": made.y})
    assert result.sum_of_squares <= float(np.sum((made.y - made.true_y) ** 2)) * (1 + 1e-9)
    assert result.converged
    assert not result.warnings
    called = model.names_beside(("k", "A"))
    assert set(result.coefficients) == set(called.values())
    for one in quantities(model, result, called):
        assert np.isfinite(one.value)
        assert one.standard_error is None or one.standard_error >= 0


@pytest.mark.parametrize("model", MODELS, ids=lambda one: one.key)
def test_a_model_is_described_whole(model):
    """Meanings for every coefficient, quantities and grips over its coefficients, a unit without contradiction."""
    assert set(model.meanings) == set(model.coefficients) == set(TRUTH[model.key])
    assert model.use.endswith(".")
    units = coefficient_units(model.read, {"x": "min", "y": "mg/L"})
    assert not units.contradictions
    known = {**TRUTH[model.key], "near": 1.0, "mid": 20.0, "far": 40.0}
    curve = Program(model.read.right)
    for quantity in model.quantities:
        assert np.isfinite(value(quantity.formula, known))
        units.of(Reader(quantity.formula, frozenset(model.coefficients)).read_all())
    for grip in model.grips:
        x, y = value(grip.x, known), value(grip.y, known)
        level = grip.name in {"level", "plateau", "ceiling", "background"}
        on_curve = float(curve({**TRUTH[model.key], "x": np.float64(x)}))
        assert level or on_curve == pytest.approx(y, rel=0.01)
        # Pulled to where it is, a grip changes nothing; pulled elsewhere, it follows.
        pulled = {**known, "px": x, "py": y}
        for name, formula in grip.sets.items():
            assert value(formula, pulled) == pytest.approx(known[name], rel=1e-9)
        moved = {**known, "px": x * 1.02 + 0.01, "py": y * 1.03}
        after = {**known, **{name: value(formula, moved) for name, formula in grip.sets.items()}}
        follows = [abs(value(grip.x, after) - moved["px"]) < 1e-9, abs(value(grip.y, after) - moved["py"]) < 1e-9]
        assert any(follows)


def test_a_curve_is_pulled_through_points_by_the_least_change():
    """It meets the points; of all changes that do, none is smaller in the metric; what it cannot follow is None."""
    read = read_formula("y = a + b*x + c*x^2", ("x", "y"))
    rng = np.random.default_rng(3)
    values, free = {"a": 1.0, "b": -2.0, "c": 0.5}, ("a", "b", "c")
    root = rng.normal(size=(3, 3))
    metric = root @ root.T
    points = [(0.5, 3.0), (2.0, -1.0)]
    moved = pull_through(read.right, "x", values, free, metric, points)
    change = np.array([moved[n] - values[n] for n in free])
    for x, y in points:
        assert moved["a"] + moved["b"] * x + moved["c"] * x * x == pytest.approx(y, abs=1e-9)
    # Along the only change that keeps both points, the size is at its least.
    still = np.array([1.0, -2.5, 1.0])
    assert abs(change @ np.linalg.solve(metric, still)) < 1e-7 * np.linalg.norm(change)
    decay = read_formula("y = A*exp(-k*x)", ("x", "y"))
    told = pull_through(decay.right, "x", {"A": 6.0, "k": 0.1}, ("A", "k"), None, [(8.0, 4.0)])
    assert told["A"] * np.exp(-told["k"] * 8) == pytest.approx(4.0)
    assert pull_through(decay.right, "x", {"A": 6.0, "k": 0.1}, (), None, [(8.0, 4.0)]) is None


def test_units_of_coefficients_and_contradictions_are_worked_out():
    """k in 1/min, A in mg/L; a sum of unlike things is named."""
    columns = {"t": "min", "y": "mg/L"}
    decay = coefficient_units(read_formula("y = A*exp(-k*t) + C", columns), columns)
    assert decay.units == {"A": "mg/L", "k": "1/min", "C": "mg/L"}
    area = coefficient_units(core.model("gaussian").read, {"x": "min", "y": "mg/L"})
    assert area.of(Reader("A*s", frozenset("As")).read_all()) == "mg·min/L"
    power = coefficient_units(read_formula("y = A*t^n + C", columns), columns)
    assert power.units == {"A": None, "n": "", "C": "mg/L"}
    bare = coefficient_units(read_formula("y = A*exp(-t)", columns), columns)
    assert "min" in conflict_in_words(bare.contradictions[0])
    twice = coefficient_units(read_formula("y = A*exp(-k*t) + k", columns), columns)
    assert len(twice.contradictions) == 1


def test_the_spread_of_a_half_life_is_that_of_many_fits():
    """The delta method against 150 practice sets."""
    x, found, told = np.linspace(0, 90, 40), [], []
    for seed in range(150):
        made = core.practice("y = A*exp(-k*x)", {"A": 6, "k": 0.04}, x=x, noise=0.1, seed=seed)
        result = core.fit(core.model("exponential-decay"), {"x": x, "y": made.y})
        half = propagate("ln(2)/k", result)
        found.append(half.value)
        told.append(half.standard_error)
    assert np.mean(told) == pytest.approx(np.std(found), rel=0.1)
    with_other = propagate("M/k", result, {"M": (5.0, 0.5)})
    assert with_other.standard_error > propagate("5/k", result).standard_error
    with pytest.raises(core.DataError, match="no value for Q"):
        propagate("Q*k", result)


def test_own_models_speak_of_x_and_y():
    """A formula over two columns becomes a model for any two."""
    mine = own_model("Slow loss", "O2 = A*exp(-k*t)", "t", "O2", "Oxygen in a jar.", {"k": "rate"})
    assert mine.formula == "y = A*exp(-k*x)"
    assert mine.over("hour", "N") == "N = A*exp(-k*hour)"
    with pytest.raises(core.DataError, match="no coefficient"):
        own_model("Slow", "y = A*x", "x", "y", meanings={"k": "rate"})


@pytest.mark.parametrize(
    "model", [one for one in MODELS if one.starts and not one.key.startswith("ratio")], ids=lambda one: one.key
)
def test_a_model_guesses_where_a_search_begins(model):
    """Of rows without noise one guess at least is within a factor of two of every coefficient that it guesses."""
    true = TRUTH[model.key]
    made = core.practice(model.formula, true, x=X, noise=0.0, seed=3)

    def far(guess):
        return max(
            abs(np.log(guess[name] / true[name])) if guess[name] * true[name] > 0 else np.inf for name in guess
        )

    guesses = model.starts(made.x, made.true_y)
    assert min(map(far, guesses)) < np.log(2)
