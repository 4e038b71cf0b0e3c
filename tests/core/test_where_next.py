"""Where to measure next: foretold against refits with the new row, plans against all plans, and what cannot be foretold."""

import itertools

import numpy as np
import pytest

from vettore import core

CASES = {
    "line": ("y = a + b*x", lambda x: 1 + 2 * x, 0.5, "b"),
    "decay": ("y = A*exp(-k*x) + C", lambda x: 6 * np.exp(-0.3 * x) + 2, 0.1, "k"),
    "saturation": ("y = A*x/(x + K)", lambda x: 5 * x / (x + 3), 0.1, "K"),
    "peak": ("y = A*exp(-((x - m)/w)^2)", lambda x: 4 * np.exp(-(((x - 5) / 2) ** 2)), 0.1, "w"),
    "parabola": ("y = a + b*x + c*x^2", lambda x: 1 - 0.5 * x + 0.2 * x**2, 0.3, "c"),
}
X = np.linspace(0.5, 9.5, 12)


def fitted(case, seed=3):
    formula, curve, sigma, _ = CASES[case]
    y = curve(X) + sigma * np.random.default_rng(seed).normal(size=len(X))
    return core.fit(formula, {"x": X, "y": y}, sigma=sigma, absolute_sigma=True), y


@pytest.mark.parametrize("case", CASES)
def test_what_is_foretold_is_what_a_new_row_brings(case):
    """The ± after a row is added at a place, averaged over its noise, within a tenth; the best place is the best."""
    formula, _, sigma, name = CASES[case]
    result, y = fitted(case)
    at = np.array([0.1, 2.0, 5.0, 7.5, 12.0])
    told = core.where_next(result, at, name)
    assert told.now == pytest.approx(result.coefficients[name].standard_error)
    rng = np.random.default_rng(4)
    found = []
    start = {key: one.value for key, one in result.coefficients.items()}
    for place in at.tolist():
        errors = []
        for _ in range(12):
            # The new reading scatters about the curve that was fitted.
            new = float(result.curve(place)) + sigma * rng.normal()
            data = {"x": np.append(X, place), "y": np.append(y, new)}
            again = core.fit(
                formula, data, sigma=sigma, absolute_sigma=True, start=None if "exp" not in formula else start
            )
            errors.append(again.coefficients[name].standard_error)
        found.append(float(np.mean(errors)))
    assert told.standard_error == pytest.approx(found, rel=0.1)
    assert told.best == at[int(np.argmin(found))]


@pytest.mark.parametrize("improve", ["k", "all", ("value", 8.0), ("area", 0.0, 10.0)])
def test_a_plan_of_three_is_as_good_as_any(improve):
    """Within two in a hundred of the best of all plans on the same places."""
    result, _ = fitted("decay")
    at = np.linspace(0, 14, 9)
    told = core.where_next(result, at, improve, rows=3)
    best = min(
        core.where_next(result, np.array([c]), improve).standard_error[0]
        if a == b == c
        else _after(result, improve, (a, b, c))
        for a, b, c in itertools.combinations_with_replacement(at.tolist(), 3)
    )
    assert told.planned <= best * 1.02
    assert len(told.plan) == 3
    assert told.planned < min(told.standard_error)


def _after(result, improve, places):
    """The standard error with rows at places, by the planner of exactly these."""
    from vettore.core.design.next_rows import _candidates

    problem = _candidates(result, np.array(places), improve, None)
    return problem.error(problem.with_rows([0, 1, 2]))


def test_a_line_is_best_told_by_its_ends():
    """The slope by the far ends, by hand: var b = σ²/Σ(x − x̄)²; the mean by any place near the middle."""
    x = np.arange(11.0)
    result = core.fit(
        "y = a + b*x", {"x": x, "y": 2 * x + np.tile([0.1, -0.1], 6)[:11]}, sigma=0.5, absolute_sigma=True
    )
    told = core.where_next(result, np.array([0.0, 5.0, 10.0, 20.0]), "b", rows=2)
    for place, error in zip(told.x, told.standard_error, strict=True):
        more = np.append(x, place)
        assert error == pytest.approx(0.5 / np.sqrt(np.sum((more - more.mean()) ** 2)))
    assert (told.best, told.plan) == (20.0, (20.0, 20.0))
    dear = core.where_next(result, np.array([0.0, 20.0]), "b", price=np.array([1.0, 50.0]))
    assert dear.best == 0.0


def test_how_many_rows_are_needed():
    """For half the ± of a mean three times as many rows as there are; a target that is there already needs none."""
    y = np.tile([0.4, -0.4], 8)
    result = core.fit("y = m + 0*x", {"x": np.arange(16.0), "y": y}, sigma=1.0, absolute_sigma=True)
    now = result.coefficients["m"].standard_error
    count, places = core.rows_needed(result, [3.0], "m", now / 2)
    assert 48 <= count <= 53
    assert places == (3.0,)
    assert core.rows_needed(result, [3.0], "m", now)[0] == 0
    # More precise measurements are fewer.
    assert core.rows_needed(result, [3.0], "m", now / 2, sigma=0.5)[0] <= 14


def test_on_the_command_line(tmp_path, capsys):
    """The plan is that of the core over the span of the data."""
    import json

    from vettore.cli import main

    _, y = fitted("decay")
    path = tmp_path / "a.csv"
    path.write_text("x,y\n" + "".join(f"{a!r},{b!r}\n" for a, b in zip(X.tolist(), y.tolist(), strict=True)))
    with pytest.raises(SystemExit) as left:
        main(["fit", str(path), "--formula", CASES["decay"][0], "--next", "k", "--next-rows", "3", "--json"])
    assert left.value.code == 0
    told = json.loads(capsys.readouterr().out)["readings"][0]
    relative = core.fit(CASES["decay"][0], {"x": X, "y": y})
    expected = core.where_next(relative, np.linspace(X.min(), X.max(), 201), "k", rows=3)
    assert [number["x"] for number in told["numbers"]] == pytest.approx(list(expected.plan))
    assert told["numbers"][0]["then"] == pytest.approx(expected.planned)
    with pytest.raises(SystemExit) as left:
        main(["fit", str(path), "--next-rows", "3"])
    assert left.value.code == 2


def test_what_cannot_be_foretold_is_refused():
    """An unknown number, no x, no freedom, a plan of none."""
    result, _ = fitted("decay")
    for asked, words in (
        ({"improve": "q"}, "no fitted coefficient “q”"),
        ({"improve": ("bend", 3.0)}, "no number of a curve"),
        ({"improve": "k", "rows": 0}, "1 to 100 rows"),
        ({"improve": "k", "sigma": -1.0}, "above 0"),
    ):
        with pytest.raises(core.DataError, match=words):
            core.where_next(result, [1.0, 2.0], **asked)
    with pytest.raises(core.DataError, match="finite numbers"):
        core.where_next(result, [], "k")
    exact = core.fit("y = a + b*x", {"x": [0.0, 1.0], "y": [1.0, 2.0]})
    with pytest.raises(core.DataError, match="degrees of freedom"):
        core.where_next(exact, [1.0], "a")
    with pytest.raises(core.DataError, match="Not even"):
        core.rows_needed(result, [0.0], "k", 1e-12)


def test_all_coefficients_have_two_measures_and_both_are_what_they_are_called():
    """det^(1/2p) of the covariance after the plan beside today's, and the geometric mean of the single ±, by a fit of the plan."""
    result, _ = fitted("decay")
    told = core.where_next(result, np.linspace(0, 14, 15), "all", rows=3)
    jacobian = []
    for place in told.plan:
        step = {name: 1e-6 * (abs(one.value) or 1) for name, one in result.coefficients.items()}
        row = []
        for name, h in step.items():
            values = {n: one.value for n, one in result.coefficients.items()}
            up, down = ({**values, name: values[name] + way * h} for way in (1, -1))
            row.append(float(result.curve.with_values(up)(place) - result.curve.with_values(down)(place)) / (2 * h))
        jacobian.append(row)
    rows = np.array(jacobian) / (result.curve.residual_sd * result.curve.row_sigma)
    before = result.covariance
    after = np.linalg.inv(np.linalg.inv(before) + rows.T @ rows)
    radius = (np.linalg.det(after) / np.linalg.det(before)) ** (1 / (2 * len(before)))
    each = np.exp(np.mean(np.log(np.diag(after) / np.diag(before))) / 2)
    assert told.planned == pytest.approx(radius, rel=1e-5)
    assert told.planned_each == pytest.approx(each, rel=1e-5)
    assert told.planned != pytest.approx(told.planned_each, rel=0.01)
