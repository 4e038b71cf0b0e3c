"""What may be given: tables of any kind, keys and usual names of models, functions of a script; and what comes back."""

import copy
import math
import pickle

import numpy as np
import pandas as pd
import pytest

from vettore import core

T = np.linspace(0, 10, 30)
Y = 3 * np.exp(-0.4 * T) + 0.5 + np.random.default_rng(0).normal(0, 0.02, 30)
TABLE = {"t": T, "y": Y}
FORMULA = "y = A*exp(-k*t) + C"


class OtherFrame:
    """A table of another library: it has columns, and gives one by its name."""

    columns = ("t", "y")

    def __getitem__(self, name):
        return TABLE[name].tolist()


def in_a_loop(t, A, k, C):
    out = np.zeros_like(t)
    for i in range(len(t)):
        out[i] = A * math.exp(-k * t[i]) + C if t[i] > -1 else 0
    return out


def figures(fit):
    return [(c.value, c.standard_error, c.low, c.high) for c in fit.coefficients.values()]


@pytest.mark.parametrize(
    "table",
    [
        pd.DataFrame(TABLE),
        pd.DataFrame(TABLE).convert_dtypes(),
        np.array(list(zip(T, Y, strict=True)), dtype=[("t", float), ("y", float)]),
        OtherFrame(),
    ],
)
def test_tables_of_any_kind_go_in(table):
    assert figures(core.fit(FORMULA, table)) == figures(core.fit(FORMULA, TABLE))


def test_what_is_no_table_is_refused():
    with pytest.raises(core.DataError, match="columns by name"):
        core.fit(FORMULA, [T, Y])
    with pytest.raises(core.DataError, match="two columns called t"):
        core.fit(FORMULA, pd.DataFrame(np.column_stack([T, T, Y]), columns=["t", "t", "y"]))


def test_groups_of_a_frame_are_series():
    long = pd.concat([pd.DataFrame(TABLE).assign(site=site, y=by * Y) for site, by in (("north", 1), ("south", 2))])
    fits = core.fit_many(FORMULA, long.groupby("site"))
    assert fits.labels == ("north", "south")
    assert fits.values[:, 0] == pytest.approx([fits.values[0, 0], 2 * fits.values[0, 0]])
    assert core.fit_shared(lambda t, A, k, C: A * np.exp(-k * t) + C, long.groupby("site"), ["k"]).coefficients[1][
        "k"
    ].value == pytest.approx(0.403, abs=1e-3)


@pytest.mark.parametrize(
    "name", ["exponential-decay-level", "Decay to a level", "decay with offset", "Newton cooling"]
)
def test_a_model_may_be_called_by_other_names(name):
    assert figures(core.fit(name, TABLE)) == figures(core.fit(FORMULA, TABLE))


@pytest.mark.parametrize(
    ("name", "key"),
    [
        ("michaelis-menten", "saturation"),
        ("4PL", "dose-response"),
        ("first-order", "exponential-decay"),
        ("Gauss", "gaussian"),
    ],
)
def test_names_of_the_trade(name, key):
    assert core.model(name).key == key


def test_a_name_that_nearly_is_one_is_said():
    with pytest.raises(core.DataError, match=r"Did you mean saturation \(y = V\*x/\(K \+ x\)\)"):
        core.fit("saturatoin", TABLE)


def test_no_two_models_have_one_name():
    from vettore.core.models.synonyms import SYNONYMS, flat, synonyms_of

    listed = [flat(name) for key in core.CATALOGUE for name in (*synonyms_of(key), key, core.CATALOGUE[key].name)]
    other = {name for name in listed if name in SYNONYMS and SYNONYMS[name] != core.model(name).key}
    assert not other
    assert set(SYNONYMS.values()) <= set(core.CATALOGUE)


def test_a_function_is_read_as_its_formula():
    fit = core.fit(lambda t, A, k, C: A * np.exp(-k * t) + C, TABLE)
    assert fit.formula == FORMULA
    assert figures(fit) == figures(core.fit(FORMULA, TABLE))
    assert not fit.warnings


def test_a_function_with_no_formula_is_fitted_by_differences():
    fit, exact = core.fit(in_a_loop, TABLE), core.fit(FORMULA, TABLE)
    assert np.array(figures(fit)) == pytest.approx(np.array(figures(exact)), rel=1e-8)
    assert fit.curve.slope(3.0) == pytest.approx(exact.curve.slope(3.0), rel=1e-8)
    assert any("worked out by differences" in text for text in fit.warnings)


def test_a_function_of_a_branch_and_a_default():
    def bent(t, A, m, slope=0.5):
        return np.where(t < m, A, A + slope * (t - m))

    y = bent(T, 2.0, 4.3) + np.random.default_rng(4).normal(0, 0.01, 30)
    fit = core.fit(bent, {"t": T, "y": y})
    assert {name: entry.value for name, entry in fit.coefficients.items()} == pytest.approx(
        {"A": 2.0, "m": 4.3}, abs=0.05
    )


@pytest.mark.parametrize(
    ("work", "data", "sentence"),
    [
        (lambda x: x, TABLE, "no coefficients"),
        (lambda *x: x, TABLE, "a name for each coefficient"),
        (lambda x, a: a * x, {"p": T, "q": T, "r": Y}, "x is no column"),
        (lambda t, a: a * t, {"t": T, "q": T, "r": Y}, "Which column was measured"),
        (lambda t, a: np.array([a, 1.0]), TABLE, "one number for each row"),
    ],
)
def test_functions_that_cannot_be_fitted_say_why(work, data, sentence):
    with pytest.raises(core.DataError, match=sentence):
        core.fit(work, data)


def test_what_comes_back_is_as_scripts_expect():
    fit = core.fit(FORMULA, TABLE)
    assert fit.coefficients.values.tolist() == list(fit.values)
    assert list(fit.coefficients.values()) == [fit.coefficients[name] for name in fit.coefficients]
    assert fit.coefficients.standard_errors[1] == fit.coefficients["k"].standard_error
    assert fit.predict(T) == pytest.approx(fit.fitted, rel=1e-12)
    assert fit.predict(pd.DataFrame(TABLE)) == pytest.approx(fit.fitted, rel=1e-12)
    assert float(fit.predict(2.0)) == pytest.approx(float(fit.curve(2.0)))
    for same in (pickle.loads(pickle.dumps(fit)), copy.copy(fit)):
        assert same.coefficients.values.tolist() == list(fit.values)


def test_several_columns_are_predicted_from_a_table():
    fit = core.fit("y = a + b*t + c*u", {"t": T, "u": T**2, "y": 1 + 2 * T + 3 * T**2})
    assert fit.predict({"t": [1.0], "u": [10.0]}) == pytest.approx([33.0])
    with pytest.raises(core.DataError, match="no column u; they have t"):
        fit.predict({"t": [1.0]})


def test_a_fit_draws_itself():
    from matplotlib.figure import Figure

    ax = Figure().subplots()
    fit = core.fit(FORMULA, TABLE)
    assert fit.plot(ax) is ax
    rows, curve = ax.lines
    assert rows.get_ydata() == pytest.approx(Y)
    assert curve.get_ydata() == pytest.approx(fit.curve(curve.get_xdata()))
    assert len(ax.collections) == 1
