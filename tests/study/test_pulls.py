"""Grips: a curve pulled by one goes through where it is held, and what is held stays."""

import numpy as np
import pytest

from tests.study.test_readings import study_of
from vettore.core.formula.formula import read_formula
from vettore.core.models.model import Grip, Model
from vettore.core.models.pulling import place_grips, pull_grip, pull_through
from vettore.study import edits
from vettore.study.derive import derive_fit
from vettore.study.fitting.pulls import Pulls

T = np.linspace(0, 60, 25)


def pulls_of(study, hold=()):
    curve = study.curves[-1]
    if hold:
        study = edits.change_fit(study, curve.changed(hold=hold))
    fit = derive_fit(study, curve.id)
    return fit, Pulls(fit), {name: one.value for name, one in fit.result.coefficients.items()}


def test_a_grip_of_a_model_moves_what_it_sets_and_never_what_is_held():
    """Every grip of a decay to a level, pulled away: the curve goes there, a held level is where it was."""
    study = study_of(T, 6 * np.exp(-0.05 * T) + 2 + 0.05 * np.sin(9 * T), "exponential-decay-level")
    for hold in ((), (("C", 2.0),), (("k", 0.05),)):
        fit, pulls, values = pulls_of(study, hold)
        placed = pulls.places(values, fit.curve)
        assert placed
        for place, grip in enumerate(placed):
            pulled = pulls.pull(grip.name, place, values, fit.curve, grip.x + 1.0, grip.y + 0.2)
            assert pulled is not None
            assert pulled != values
            for name, value in hold:
                assert pulled[name] == value


@pytest.mark.parametrize("degree", [1, 2, 3])
def test_a_polynomial_goes_through_the_pulled_point_and_the_others(degree):
    """As many grips as coefficients: one moves, the curve still passes the rest."""
    study = study_of(T, 3 + 0.2 * T - 0.002 * T**2, degree=degree)
    fit, pulls, values = pulls_of(study)
    placed = pulls.places(values, fit.curve)
    # Each at the middle of its share of 0 … 60.
    assert [grip.x for grip in placed] == pytest.approx([60 * (k + 0.5) / (degree + 1) for k in range(degree + 1)])
    assert [grip.y for grip in placed] == pytest.approx([float(fit.curve(grip.x)) for grip in placed])
    x, y = placed[0].x + 1.0, placed[0].y + 2.0
    pulled = pulls.pull(placed[0].name, 0, values, fit.curve, x, y)
    curve = np.polynomial.Polynomial(list(pulled.values()))
    assert curve(x) == pytest.approx(y)
    for other in placed[1:]:
        assert curve(other.x) == pytest.approx(other.y)


def test_grips_stand_within_a_span_that_does_not_begin_at_zero():
    """Two grips of a line over 40 … 100 stand at 55 and 85."""
    study = study_of(T + 40, 3 + 0.2 * T, degree=1)
    fit, pulls, values = pulls_of(study)
    assert [grip.x for grip in pulls.places(values, fit.curve)] == pytest.approx([55, 85])


def test_a_formula_of_ones_own_is_pulled_by_the_least_change():
    """Three grips for A, k and C; with C held the curve meets the point and C stays."""
    study = study_of(T, 6 * np.exp(-0.05 * T) + 2 + 0.05 * np.sin(9 * T))
    study = edits.add_formula(study, "s1", "c = A*exp(-k*t) + C")
    for hold in ((), (("C", 2.0),)):
        fit, pulls, values = pulls_of(study, hold)
        placed = pulls.places(values, fit.curve)
        assert len(placed) == 3 - len(hold)
        pulled = pulls.pull(placed[0].name, 0, values, fit.curve, placed[0].x, placed[0].y + 0.4)
        at = pulled["A"] * np.exp(-pulled["k"] * placed[0].x) + pulled["C"]
        assert at == pytest.approx(placed[0].y + 0.4, abs=1e-6)
        for name, value in hold:
            assert pulled[name] == value


def test_a_model_with_all_that_its_grips_set_held_is_pulled_by_the_curve():
    """A decay with A held has a grip for k only; a model over other columns has none."""
    study = study_of(T, 6 * np.exp(-0.05 * T) + 0.05 * np.sin(9 * T), "exponential-decay")
    fit, pulls, values = pulls_of(study)
    assert {grip.name for grip in pulls.places(values, fit.curve)} == {"start", "half-life"}
    fit, pulls, values = pulls_of(study, (("A", 6.0),))
    assert [grip.name for grip in pulls.places(values, fit.curve)] == ["half-life"]
    pulled = pulls.pull("half-life", 0, values, fit.curve, 20.0, 3.0)
    assert pulled == pytest.approx({"A": 6.0, "k": np.log(2) / 20})


def test_a_coefficient_at_zero_can_be_pulled_away():
    """The least change counts each by its own size; one that is zero is no obstacle."""
    tree = read_formula("y = a + b*x", ("x", "y")).right
    pulled = pull_through(tree, "x", {"a": 0.0, "b": 0.0}, ("a", "b"), None, [(1.0, 3.0), (2.0, 5.0)])
    assert pulled == pytest.approx({"a": 1.0, "b": 2.0})
    assert pull_through(tree, "x", {"a": 0.0, "b": 0.0}, (), None, [(1.0, 3.0)]) is None
    # The larger one moves more: by its square, as ± that are as large as the values would have it.
    pulled = pull_through(tree, "x", {"a": 1.0, "b": 2.0}, ("a", "b"), None, [(1.0, 8.0)])
    assert pulled == pytest.approx({"a": 2.0, "b": 6.0})


def test_what_cannot_be_reached_is_said_to_be_so():
    """A curve that never gets there is not pulled, and one that starts beyond all numbers has no answer."""
    square = read_formula("y = a^2*x^2", ("x", "y")).right
    assert pull_through(square, "x", {"a": 1.0}, ("a",), None, [(1.0, 4.0)]) == pytest.approx({"a": 2.0})
    nearest = pull_through(square, "x", {"a": 1.0}, ("a",), None, [(1.0, -1.0)])
    assert nearest is None or 0 <= abs(nearest["a"]) < 1
    root = read_formula("y = sqrt(a)*x", ("x", "y")).right
    assert pull_through(root, "x", {"a": -1.0}, ("a",), None, [(1.0, 4.0)]) is None
    # Two points beyond one coefficient are met in the sense of least squares: (1·2 + 2·3)/(1 + 4).
    line = read_formula("y = b*x", ("x", "y")).right
    assert pull_through(line, "x", {"b": 1.0}, ("b",), None, [(1.0, 2.0), (2.0, 3.0)]) == pytest.approx({"b": 1.6})


def test_a_grip_without_a_place_is_left_out_and_one_that_was_pulled_stands_there():
    """Neither x nor y may be beyond all numbers; a grip of the curve goes along x with the hand."""
    grips = (
        Grip("y gone", "near", "1/(A - A)", {}),
        Grip("x gone", "1/(A - A)", "A", {}),
        Grip("there", "mid", "2*A", {"A": "py/2"}),
    )
    model = Model("m", "m", "own", "y = A*x", "", {}, grips=grips)
    (placed,) = place_grips(model, {"A": 3.0}, (0.0, 10.0))
    assert (placed.name, placed.x, placed.y) == ("there", 5.0, 6.0)
    assert pull_grip(grips[2], {"A": 3.0}, (0.0, 10.0), 5.0, 8.0) == {"A": 4.0}
    assert pull_grip(Grip("g", "near", "A", {"A": "1/(py - py)"}), {"A": 3.0}, (0.0, 10.0), 5.0, 8.0) is None
    fit, pulls, values = pulls_of(study_of(T, 3 + 0.2 * T, degree=1))
    before = pulls.places(values, fit.curve)
    pulls.pull(before[0].name, 0, values, fit.curve, before[0].x + 7.0, before[0].y)
    assert [grip.x for grip in pulls.places(values, fit.curve)] == [before[0].x + 7.0, before[1].x]


def test_a_far_pull_takes_shorter_steps_until_it_is_nearer():
    """The first whole step of exp(a·x) from a = 0 to 50 at x = 1 goes to 10²¹: halved steps find a = ln 50."""
    tree = read_formula("y = exp(a*x)", ("x", "y")).right
    pulled = pull_through(tree, "x", {"a": 0.0}, ("a",), None, [(1.0, 50.0)])
    assert pulled["a"] == pytest.approx(np.log(50))
    # What no value of a can meet is not moved away from where it was.
    beyond = pull_through(tree, "x", {"a": 0.0}, ("a",), None, [(1.0, -3.0)])
    assert beyond is None or abs(np.exp(beyond["a"]) + 3) <= 4
    weighed = pull_through(
        read_formula("y = a + b*x", ("x", "y")).right,
        "x",
        {"a": 0.0, "b": 0.0},
        ("a", "b"),
        np.diag([1.0, 4.0]),
        [(1.0, 5.0)],
    )
    # The least change in the metric: shares of the variances 1 and 4.
    assert weighed == pytest.approx({"a": 1.0, "b": 4.0})
