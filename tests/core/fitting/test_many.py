"""Many series at once give what each gives alone."""

import numpy as np
import pytest

import vettore.core as core

FORMULA = "y = A*exp(-k*t) + C"


def series(count, rows=24, seed=1):
    rng = np.random.default_rng(seed)
    out = []
    for _ in range(count):
        t = np.linspace(0, 90, rng.integers(rows // 2, rows + 1))
        y = rng.uniform(3, 8) * np.exp(-rng.uniform(0.02, 0.1) * t) + 2 + rng.normal(0, 0.1, len(t))
        out.append({"t": t, "y": y})
    return out


@pytest.mark.parametrize("start", [None, {"k": 0.05}])
def test_every_fit_agrees_with_the_fit_alone(start):
    """Unequal lengths and blanks included; values, standard errors and the full results."""
    data = series(30)
    data[3]["y"][2] = np.nan
    many = core.fit_many(FORMULA, data, start=start)
    assert len(many) == 30
    assert many.converged.all()
    for i in (0, 3, 17):
        alone = core.fit(FORMULA, data[i])
        np.testing.assert_allclose(many.values[i], alone.values, rtol=1e-8)
        errors = [one.standard_error for one in alone.coefficients.values()]
        np.testing.assert_allclose(many.standard_errors[i], errors, rtol=1e-6)
        assert many[i].aicc == pytest.approx(alone.aicc)
        assert many[i].n == alone.n
        np.testing.assert_allclose(many[i].leverage, alone.leverage, atol=1e-8)
    assert [one.n for one in many[:2]] == [one.n for one in list(many)[:2]]


def test_linear_formulas_and_held_coefficients_go_the_same_way():
    """A line over many series, and a decay with its level held."""
    data = series(5)
    for formula, hold in (("y = a + b*t", None), (FORMULA, {"C": 2.0})):
        many = core.fit_many(formula, data, hold=hold)
        for i in range(5):
            alone = core.fit(formula, data[i], hold=hold)
            free = [one.value for one in alone.coefficients.values() if not one.held]
            np.testing.assert_allclose(many.values[i], free, rtol=1e-9)


def test_what_cannot_be_fitted_is_named_by_its_number():
    """Too few rows, a missing column, no series."""
    data = series(3)
    with pytest.raises(core.DataError, match="Series 2 has 2 rows"):
        core.fit_many(FORMULA, [data[0], {"t": [1, 2], "y": [3, 4]}, data[2]])
    with pytest.raises(core.DataError, match="Series 3 has no column"):
        core.fit_many(FORMULA, [data[0], data[1], {"t": [1, 2]}])
    with pytest.raises(core.DataError, match="no series"):
        core.fit_many(FORMULA, [])


@pytest.mark.parametrize("formula", [FORMULA, "ln(y) = a - k*t"])
@pytest.mark.parametrize("known", [False, True])
def test_the_errors_of_rows_weigh_as_in_the_fit_alone(formula, known):
    """As numbers, columns with a blank, carried through the left side; by label; relative and known."""
    data = dict(zip("PQRS", series(4, seed=7), strict=True))
    rng = np.random.default_rng(2)
    sigma = {name: rng.uniform(0.02, 0.3, len(one["y"])) for name, one in data.items()}
    sigma["Q"][4] = np.nan
    sigma["R"] = 0.2
    many = core.fit_many(formula, data, sigma=sigma, absolute_sigma=known)
    assert many.labels == ("P", "Q", "R", "S")
    for place, label in enumerate(data):
        alone = core.fit(formula, data[label], sigma=sigma[label], absolute_sigma=known)
        np.testing.assert_allclose(many.values[place], alone.values, rtol=1e-7)
        errors = [one.standard_error for one in alone.coefficients.values()]
        np.testing.assert_allclose(many.standard_errors[place], errors, rtol=1e-6)
        assert many.rows[place] == alone.n
        assert many[label].chi_squared == pytest.approx(alone.chi_squared)
        assert many[label].aicc == pytest.approx(alone.aicc)
    assert many.to_frame()["series"].tolist() == list("PQRS")


def test_limits_and_starts_of_each_series():
    """A fit that leaves its limits is made within them; every series begins at its own start."""
    data = series(6, seed=5)
    free = core.fit_many(FORMULA, data)
    most = float(np.median(free.values[:, free.coefficients.index("k")]))
    bounded = core.fit_many(FORMULA, data, limits={"k": (0, most)})
    for place in range(6):
        alone = core.fit(FORMULA, data[place], limits={"k": (0, most)})
        np.testing.assert_allclose(bounded.values[place], alone.values, rtol=1e-7)
        assert bounded[place].coefficients["k"].at_limit == alone.coefficients["k"].at_limit
        errors = [np.nan if one.standard_error is None else one.standard_error for one in alone.coefficients.values()]
        np.testing.assert_allclose(bounded.standard_errors[place], errors, rtol=1e-6)
    # Two mirrored answers: which one is taken follows from the start of the series.
    x = np.linspace(-3, 3, 25)
    waves = {name: {"x": x, "y": np.exp(-((x - 1) ** 2) / 0.5)} for name in ("left", "right")}
    both = core.fit_many("y = A*exp(-((x - m)/s)^2)", waves, start=[{"m": 1, "s": -1}, {"m": 1, "s": 1}])
    assert np.sign(both.values[:, both.coefficients.index("s")]).tolist() == [-1, 1]


def test_what_is_asked_of_many_series_wrongly_is_told():
    """As many ± and starts as series; labels in messages; unknown coefficients."""
    data = dict(zip("PQR", series(3), strict=True))
    for asked, said in (
        ({"sigma": [0.1, 0.2]}, "3 series were given, but sigma for 2"),
        ({"sigma": {"P": 0.1, "Q": 0.2}}, "no ± for series “R”"),
        ({"sigma": {"P": 0.1, "Q": -0.2, "R": 0.1}}, "Series “Q”: sigma must be above zero"),
        ({"sigma": {"P": 0.1, "Q": [0.1, 0.2], "R": 0.1}}, "Series “Q”: sigma has 2 values"),
        ({"start": [{"k": 0.1}]}, "start for 1"),
        ({"start": [{"k": 0.1}, {"k": 0.1}, {"q": 0.1}]}, "q"),
        ({"limits": {"q": (0, 1)}}, "q, which is no coefficient"),
        ({"absolute_sigma": True}, "absolute_sigma needs sigma"),
    ):
        with pytest.raises(core.DataError, match=said):
            core.fit_many(FORMULA, data, **asked)
    with pytest.raises(KeyError):
        core.fit_many(FORMULA, data)["S"]
