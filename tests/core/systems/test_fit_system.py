"""Systems fitted: against closed forms, with unlike scatters, blanks, several answers; the curves that come of them."""

import numpy as np
import pytest

from vettore import core

T = np.linspace(0, 30, 61)
CHAIN = "A -> B; k1; B -> C; k2; A(0) = a; B(0) = 0; C(0) = 0"


def chain(k1=0.3, k2=0.1, a=2.0, seed=3):
    """A and B of A → B → C with unlike scatters."""
    rng = np.random.default_rng(seed)
    b = a * k1 / (k2 - k1) * (np.exp(-k1 * T) - np.exp(-k2 * T))
    return {"t": T, "A": a * np.exp(-k1 * T) + rng.normal(0, 0.01, 61), "B": b + rng.normal(0, 0.05, 61)}


@pytest.mark.parametrize(
    ("system", "closed", "y"),
    [
        ("y' = -k*y; y(0) = a", "y = a*exp(-k*t)", lambda t: 3 * np.exp(-0.2 * t)),
        (
            "x'' = -w^2*x - 2*d*x'; x(0) = a; x'(0) = -d*a; y = x + c",
            "y = a*exp(-d*t)*cos(sqrt(w^2 - d^2)*t) + c",
            lambda t: np.exp(-0.05 * t) * np.cos(0.8 * t) + 2,
        ),
        (
            "A <=> y; k, q; A(0) = a; y(0) = 0",
            "y = a*k/(k + q)*(1 - exp(-(k + q)*t))",
            lambda t: 1.5 * (1 - np.exp(-0.25 * t)),
        ),
    ],
)
def test_coefficients_are_those_of_the_closed_form(system, closed, y):
    """Values to 1e-7, ± to 1e-5, also of what is told about the curve; a scheme that the rows cannot tell says so as there."""
    data = {"t": T, "y": y(T) + np.random.default_rng(5).normal(0, 0.02, 61)}
    start = {"a": 1.1, "w": 0.81, "d": 0.04, "c": 1.9} if "w" in system else None
    fit, other = core.fit_system(system, data, start=start), core.fit(closed, data)
    if "q" in system:
        assert any("cannot be told apart" in words for words in fit.warnings)
        np.testing.assert_allclose(fit.sum_of_squares["y"], other.sum_of_squares, rtol=1e-7)
        return
    for name, coefficient in other.coefficients.items():
        assert fit.coefficients[name].value == pytest.approx(coefficient.value, rel=1e-7)
        assert fit.coefficients[name].standard_error == pytest.approx(coefficient.standard_error, rel=1e-5)
        assert fit.coefficients[name].low == pytest.approx(coefficient.low, rel=1e-5)
    at = np.array([1.0, 7.5, 22.0])
    np.testing.assert_allclose(fit.curves["y"](at), other.curve(at), rtol=1e-7)
    np.testing.assert_allclose(fit.curves["y"].standard_error(at), other.curve.standard_error(at), rtol=1e-5)
    np.testing.assert_allclose(fit.curves["y"].slope(at), other.curve.slope(at), rtol=1e-6)
    assert fit.curves["y"].area(0, 20) == pytest.approx(other.curve.area(0, 20), rel=1e-8)
    assert fit.curves["y"].area_error(0, 20) == pytest.approx(other.curve.area_error(0, 20), rel=1e-5)
    total = ((data["y"] - data["y"].mean()) ** 2).sum()
    assert fit.r_squared["y"] == pytest.approx(1 - other.sum_of_squares / total, abs=1e-9)


def test_each_column_has_a_scatter_of_its_own():
    """The scatters are told, and a column in another unit changes nothing but what is in that unit."""
    data = chain()
    fit = core.fit_system(CHAIN, data)
    assert fit.scatters["A"] == pytest.approx(0.01, rel=0.25)
    assert fit.scatters["B"] == pytest.approx(0.05, rel=0.25)
    assert fit.conserved == ({"A": 1.0, "B": 1.0, "C": 1.0},)
    assert not fit.warnings
    in_milli = core.fit_system(CHAIN + "; mB = 1000*B", {"t": T, "A": data["A"], "mB": 1000 * data["B"]})
    for name in ("k1", "k2", "a"):
        assert in_milli.coefficients[name].value == pytest.approx(fit.coefficients[name].value, rel=1e-6)
        assert in_milli.coefficients[name].standard_error == pytest.approx(
            fit.coefficients[name].standard_error, rel=1e-4
        )
    # What is greatest is a likelihood: no change of a coefficient lowers n·ln of the squares of the columns.
    best = sum(61 * np.log(fit.sum_of_squares[name]) for name in "AB")
    for name, coefficient in fit.coefficients.items():
        for share in (-1e-3, 1e-3):
            other = core.fit_system(CHAIN, data, hold={**fit.values, name: coefficient.value * (1 + share)})
            assert sum(61 * np.log(other.sum_of_squares[key]) for key in "AB") > best


def test_known_scatters_blanks_limits_and_held_coefficients():
    """A blank in B leaves A's row in use; known ± count as they are; a held coefficient has none; a limit is said."""
    data = chain()
    data["B"][5:20] = np.nan
    fit = core.fit_system(CHAIN, data, sigma={"A": 0.01, "B": 0.05}, absolute_sigma=True, hold={"a": 2.0})
    assert (len(fit.residuals["A"]), len(fit.residuals["B"]), fit.n) == (61, 46, 107)
    assert fit.coefficients["a"].held
    assert fit.coefficients["k1"].standard_error is not None
    j = np.column_stack([-T * 2 * np.exp(-fit.values["k1"] * T)]) / 0.01
    assert fit.coefficients["k1"].standard_error < 1 / np.sqrt((j**2).sum())
    at_limit = core.fit_system(CHAIN, data, limits={"k2": (0.2, None)})
    assert at_limit.coefficients["k2"].at_limit
    assert "k2 is at its limit, so it has no standard error." in at_limit.warnings
    with pytest.raises(core.DataError, match="There is no ± for B"):
        core.fit_system(CHAIN, data, sigma={"A": 0.01})
    with pytest.raises(core.DataError, match="Rows 1–2 lie before t = 1"):
        core.fit_system("A' = -k*A; A(1) = a", data)


@pytest.mark.parametrize(("time", "size"), [(1e6, 1e-9), (1.0, 1e12)])
def test_units_change_nothing(time, size):
    """Seconds for days and nanomoles for moles; a coefficient of an initial value is a share, whatever its state is in."""
    rng = np.random.default_rng(4)
    a, b = (2 / (1 + 0.2 * T) + rng.normal(0, 0.02, 61) for _ in range(2))
    text = "A + B -> C; k; A(0) = A0; B(0) = b*A0; C(0) = 0"
    plain = core.fit_system(text, {"t": T, "A": a, "B": b})
    scaled = core.fit_system(text, {"t": T * time, "A": a * size, "B": b * size})
    assert scaled.values["k"] * time * size == pytest.approx(plain.values["k"], rel=1e-7)
    assert scaled.values["b"] == pytest.approx(plain.values["b"], rel=1e-7)
    assert not scaled.warnings


def test_exact_columns_and_nothing_to_find():
    """Residuals that are rounding tell of no shape that is missed; without coefficients there are still residuals."""
    exact = {"t": T, "A": 2 * np.exp(-0.3 * T)}
    fit = core.fit_system("A' = -k*A; A(0) = a", exact)
    assert (fit.values["k"], fit.warnings) == (pytest.approx(0.3, rel=1e-10), ())
    fixed = core.fit_system("A' = -0.3*A; A(0) = 2", exact)
    np.testing.assert_allclose(fixed.residuals["A"], 0, atol=1e-9)
    assert fixed.coefficients == {}


def test_two_answers_are_both_told():
    """Of A → B → C with B alone, k₁ and k₂ change places and a follows."""
    data = chain()
    fit = core.fit_system(CHAIN, {"t": T, "B": data["B"]})
    (other,) = fit.others
    assert other["k1"] == pytest.approx(fit.values["k2"], rel=1e-4)
    assert other["a"] * other["k1"] == pytest.approx(fit.values["a"] * fit.values["k1"], rel=1e-4)
    assert fit.warnings[0].startswith("Another answer fits as well: k1 = ")


def test_equations_without_rates_share_their_coefficients():
    """Two columns with one k: as one fit of both, each with its scatter."""
    rng = np.random.default_rng(8)
    data = {
        "t": T,
        "absorbance": 1.2 * np.exp(-0.15 * T) + rng.normal(0, 0.02, 61),
        "pH": 7 - 0.8 * (1 - np.exp(-0.15 * T)) + rng.normal(0, 0.02, 61),
    }
    text = "absorbance = A0*exp(-k*t)\npH = p - b*(1 - exp(-k*t))"
    fit = core.fit_system(text, data)
    assert abs(fit.values["k"] - 0.15) < 3 * fit.coefficients["k"].standard_error
    alone = core.fit("absorbance = A0*exp(-k*t)", data)
    assert fit.coefficients["k"].standard_error < alone.coefficients["k"].standard_error
    assert fit.to_dict()["coefficients"]["k"]["value"] == fit.values["k"]


def test_a_column_enters_the_rates_and_a_dose_is_added():
    """A temperature between its rows by straight lines; a dose at a known time."""
    rng = np.random.default_rng(9)
    temperature = 20 + 0.3 * T
    gone = np.where(T < 12, 0.0, 1.0)
    heat = 20 * T + 0.15 * T**2
    exact = 3 * np.exp(-0.004 * heat) + gone * 2 * np.exp(-0.004 * (heat - (20 * 12 + 0.15 * 144)))
    data = {"t": T, "warmth": temperature, "x": exact + rng.normal(0, 0.01, 61)}
    fit = core.fit_system("x' = -k*warmth*x; x(0) = x0; x jumps by D at t = 12", data)
    for name, true in (("k", 0.004), ("x0", 3.0), ("D", 2.0)):
        assert abs(fit.values[name] - true) < 4 * fit.coefficients[name].standard_error
    np.testing.assert_allclose(fit.curves["x"](T), exact, atol=0.03)


def test_readings_of_a_state_that_is_not_measured():
    """When B is greatest, where it crosses a level, its area: of the closed form with the fitted values."""
    data = chain()
    fit = core.fit_system(CHAIN + "; signal = 3*B", {"t": T, "A": data["A"], "signal": 3 * data["B"]})
    k1, k2, a = (fit.values[name] for name in ("k1", "k2", "a"))
    curve = fit.curves["B"]
    (top,) = curve.turning_points(0, 30)
    assert (top.x, top.kind) == (pytest.approx(np.log(k1 / k2) / (k1 - k2), rel=1e-6), "top")
    area = a * k1 / (k2 - k1) * ((1 - np.exp(-k1 * 30)) / k1 - (1 - np.exp(-k2 * 30)) / k2)
    assert curve.area(0, 30) == pytest.approx(area, rel=1e-8)
    for x in curve.crossings(0.5, 0, 30):
        assert curve(x) == pytest.approx(0.5, abs=1e-9)
    assert len(curve.crossings(0.5, 0, 30)) == 2
    assert np.isnan(curve(-1.0))


def test_a_shape_that_is_missed_is_said():
    """One step for what goes in two: the residuals of B lie together."""
    fit = core.fit_system("A -> B; k; A(0) = a; B(0) = 0", chain())
    assert [words for words in fit.warnings if words.startswith("Neighbouring residuals of B go the same way")]


def test_what_has_no_end_is_said_and_stop_stops():
    """Rates that blow up from every start: a sentence; a search that is stopped at once: another."""
    data = {"t": T, "A": 1 + T}
    with pytest.raises(core.DataError, match="From no start do the equations have values"):
        core.fit_system("A' = A^2 + b; A(0) = 1e6", data)
    with pytest.raises(core.DataError, match="stopped before it had an answer"):
        core.fit_system(CHAIN, chain(), stopped=lambda: True)


def test_one_text_for_both():
    columns = {"t": [0, 1, 2, 4, 7, 11], "A": [2.02, 1.47, 1.11, 0.6, 0.25, 0.07]}
    text = "A' = -k*A; A(0) = A0"
    assert core.fit(text, columns).values == core.fit_system(text, columns).values
    single = core.fit("A = A0*exp(-k*t)", columns)
    assert isinstance(single, core.FitResult)
    with pytest.raises(
        core.DataError, match=r"^loss is for a single formula; several equations are fitted without it\.$"
    ):
        core.fit(text, columns, loss="huber")


def test_ranges_where_the_likelihood_is_no_parabola():
    # One exponential whose end is not seen: with the scatter known the range is where the squares have risen by z².
    t = np.linspace(0, 4, 12)
    rng = np.random.default_rng(5)
    y = 2 * np.exp(-0.2 * t) + 1 + rng.normal(0, 0.03, 12)
    fit = core.fit_system(
        "y = A*exp(-k*t) + c; z = c",
        {"t": t, "y": y, "z": np.full(12, 1.2)},
        sigma={"y": 0.03, "z": 1.0},
        absolute_sigma=True,
    )
    assert any("by the likelihood" in sentence for sentence in fit.warnings)
    end = fit.coefficients["k"]
    for edge in (end.low, end.high):
        # Least squares over the others, at the end of the range: A and c are linear.
        table = np.vstack(
            [np.column_stack([np.exp(-edge * t), np.ones(12)]) / 0.03, np.column_stack([np.zeros(12), np.ones(12)])]
        )
        r = np.concatenate([y / 0.03, np.full(12, 1.2)])
        rest = r - table @ np.linalg.lstsq(table, r, rcond=None)[0]
        assert float(rest @ rest) - fit.end.deviance == pytest.approx(1.959964**2, rel=1e-3)
    assert end.high - end.value > 1.1 * (end.value - end.low)


def pairs_that_err_together(seed=2):
    """Two decays of one rate whose errors go together."""
    rng = np.random.default_rng(seed)
    t = np.linspace(0, 10, 25)
    common = rng.normal(0, 0.05, 25)
    u = 2 * np.exp(-0.3 * t) + common + rng.normal(0, 0.01, 25)
    v = 1.5 * np.exp(-0.3 * t) + 0.8 * common + rng.normal(0, 0.01, 25)
    return {"t": t, "u": u, "v": v}


def test_errors_that_go_together_are_weighed_by_their_determinant():
    from scipy.optimize import minimize

    columns = pairs_that_err_together()
    t = columns["t"]

    def determinant(p):
        rest = np.column_stack([columns["u"] - p[0] * np.exp(-p[2] * t), columns["v"] - p[1] * np.exp(-p[2] * t)])
        return 25 * np.linalg.slogdet(rest.T @ rest / 25)[1]

    text = "u = a*exp(-k*t); v = b*exp(-k*t)"
    fit = core.fit_system(text, columns, over="t", noise="together")
    witness = minimize(determinant, [2, 1.5, 0.3], method="BFGS", options={"gtol": 1e-9})
    assert fit.end.deviance == pytest.approx(witness.fun, abs=1e-9)
    assert [fit.values[name] for name in ("a", "b", "k")] == pytest.approx(witness.x, rel=1e-6)
    apart = core.fit_system(text, columns, over="t")
    assert fit.coefficients["k"].standard_error != pytest.approx(apart.coefficients["k"].standard_error, rel=0.05)
    assert fit.aicc < apart.aicc


def test_the_range_of_errors_that_go_together_holds():
    held = 0
    for seed in range(60):
        fit = core.fit_system(
            "u = a*exp(-k*t); v = b*exp(-k*t)",
            pairs_that_err_together(seed),
            over="t",
            noise="together",
            start={"a": 2, "b": 1.5, "k": 0.3},
        )
        held += fit.coefficients["k"].low <= 0.3 <= fit.coefficients["k"].high
    assert held >= 53


@pytest.mark.parametrize(
    ("change", "sentence"),
    [
        ({"noise": "lots"}, "is no noise of several equations; these are normal, together"),
        ({"noise": "together", "sigma": {"u": 1, "v": 1}}, "they take no sigma"),
    ],
)
def test_noises_that_cannot_be_are_refused(change, sentence):
    with pytest.raises(core.DataError, match=sentence):
        core.fit_system("u = a*exp(-k*t); v = b*exp(-k*t)", pairs_that_err_together(), over="t", **change)


def test_columns_that_follow_from_each_other_do_not_err_together():
    columns = pairs_that_err_together()
    columns["v"] = 3 - columns["u"]
    with pytest.raises(core.DataError, match="follow from each other in every row"):
        core.fit_system("u = a*exp(-k*t); v = 3 - a*exp(-k*t)", columns, over="t", noise="together")
    with pytest.raises(core.DataError, match="need several measured columns"):
        core.fit_system("u' = -k*u; u(0) = a", columns, noise="together")


def test_what_cannot_be_told_says_how_and_what_would_tell_it():
    rng = np.random.default_rng(1)
    t = np.linspace(0, 30, 31)
    signal = 3 * (1 - np.exp(-0.2 * t)) + rng.normal(0, 0.02, 31)
    warnings = core.fit_system("A -> B; k; A(0)=A0; B(0)=0; signal = E*B", {"t": t, "signal": signal}).warnings
    assert any("when together A0 by +1 % and E by −1 % change" in sentence for sentence in warnings)
    assert "Measuring A or B as well would tell all coefficients." in warnings
    assert not any("number e" in sentence for sentence in warnings)
    lone = core.fit_system(
        "signal = e*A0*(1 - exp(-k*t)); other = A0", {"t": t, "signal": signal, "other": signal}, over="t"
    )
    assert any("e" in sentence and "2.718" in sentence for sentence in lone.warnings)


def test_columns_may_have_times_of_their_own():
    columns = chain()
    early = {"A": (T[::2], columns["A"][::2]), "B": (T[1::3], columns["B"][1::3])}
    fit = core.fit_system(CHAIN, early)
    blank = {"t": T, "A": columns["A"].copy(), "B": columns["B"].copy()}
    blank["A"][np.setdiff1d(np.arange(61), np.arange(0, 61, 2))] = np.nan
    blank["B"][np.setdiff1d(np.arange(61), np.arange(1, 61, 3))] = np.nan
    same = core.fit_system(CHAIN, blank)
    assert fit.values == pytest.approx(same.values, rel=1e-7)
    assert fit.n == len(T[::2]) + len(T[1::3])
    with pytest.raises(core.DataError, match=r"^B has no times of its own, while A has"):
        core.fit_system(CHAIN, {"A": early["A"], "B": columns["B"]})
    with pytest.raises(core.DataError, match=r"^A has 3 times and 2 values"):
        core.fit_system(CHAIN, {"A": ([0, 1, 2], [1, 2]), "B": early["B"]})


def test_columns_with_nothing_in_common_are_as_each_alone():
    rng = np.random.default_rng(1)
    t = np.linspace(0, 10, 12)
    a, b = 1 + 2 * t + rng.normal(0, 0.1, 12), 3 - t + 0.1 * t**2 + rng.normal(0, 2, 12)
    b[3] = np.nan
    both = core.fit_system("a = A + B*t\nb = C + D*t + E*t^2", {"t": t, "a": a, "b": b}).coefficients
    wanted = ~np.isnan(b)
    alone = [
        core.fit("y = A + B*t", {"t": t, "y": a}),
        core.fit("y = C + D*t + E*t^2", {"t": t[wanted], "y": b[wanted]}),
    ]
    entries = [entry for fit in alone for entry in fit.coefficients.values()]
    for mine, other in zip(both.values(), entries, strict=True):
        figures = [(each.value, each.standard_error, each.low, each.high) for each in (mine, other)]
        assert figures[0] == pytest.approx(figures[1], rel=1e-7)
