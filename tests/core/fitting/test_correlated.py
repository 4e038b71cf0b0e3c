"""Rows whose errors are correlated: by a known covariance, and as neighbours are alike."""

import numpy as np
import pytest

import vettore.core as core

FORMULA = "y = A*exp(-k*x)"
X = np.linspace(0.0, 12.0, 60)


def correlated(seed, phi=0.7, x=X, sd=0.4):
    """Errors whose correlation falls with the distance, made from their covariance."""
    apart = np.abs(x[:, None] - x[None, :]) / np.diff(np.sort(x)).mean()
    lower = np.linalg.cholesky(phi**apart if phi > 0 else np.eye(len(x)))
    return 10 * np.exp(-0.25 * x) + sd * lower @ np.random.default_rng(seed).normal(size=len(x))


def by_matrix(design, y, v):
    """Generalised least squares as textbooks have them."""
    inverse = np.linalg.inv(v)
    unit = np.linalg.inv(design.T @ inverse @ design)
    c = unit @ design.T @ inverse @ y
    r = y - design @ c
    return c, unit, float(r @ inverse @ r)


def test_a_known_covariance_is_the_textbooks_generalised_least_squares():
    """A line under a full matrix, relative and known, with a blank; a diagonal is what sigma gives."""
    rng = np.random.default_rng(3)
    x = rng.uniform(0, 5, 14)
    root = rng.normal(size=(14, 14))
    v = root @ root.T / 14 + 0.2 * np.eye(14)
    y = 2 + 3 * x + np.linalg.cholesky(v) @ rng.normal(size=14)
    design = np.column_stack([np.ones(14), x])
    c, unit, squares = by_matrix(design, y, v)
    relative, known = (core.fit("y = a + b*x", {"x": x, "y": y}, covariance=v, absolute_sigma=one) for one in (0, 1))
    assert relative.values == pytest.approx(c, rel=1e-10)
    assert known.chi_squared == pytest.approx(squares, rel=1e-10)
    errors = [one.standard_error for one in known.coefficients.values()]
    assert errors == pytest.approx(np.sqrt(np.diag(unit)), rel=1e-9)
    errors = [one.standard_error for one in relative.coefficients.values()]
    assert errors == pytest.approx(np.sqrt(np.diag(unit) * squares / 12), rel=1e-9)
    assert known.curve.standard_error(2.0) == pytest.approx(np.sqrt(np.array([1, 2]) @ unit @ np.array([1, 2])))
    gone = y.copy()
    gone[4] = np.nan
    kept = np.arange(14) != 4
    some = core.fit("y = a + b*x", {"x": x, "y": gone}, covariance=v)
    assert some.values == pytest.approx(by_matrix(design[kept], y[kept], v[np.ix_(kept, kept)])[0], rel=1e-10)
    sigma = rng.uniform(0.1, 0.5, 14)
    weighed = core.fit(FORMULA, {"x": x, "y": y}, sigma=sigma, absolute_sigma=True)
    matrix = core.fit(FORMULA, {"x": x, "y": y}, covariance=np.diag(sigma**2), absolute_sigma=True)
    assert matrix.values == pytest.approx(weighed.values, rel=1e-8)
    assert matrix.r_squared == pytest.approx(weighed.r_squared, rel=1e-9)
    for one, other in zip(matrix.coefficients.values(), weighed.coefficients.values(), strict=True):
        assert one.standard_error == pytest.approx(other.standard_error, rel=1e-7)


def test_how_alike_neighbours_are_is_told_and_taken_out():
    """The answer is that of its own covariance; no other correlation is likelier; the check of patterns is content."""
    data = {"x": X, "y": correlated(6)}
    told, plain = core.fit(FORMULA, data, noise="correlated"), core.fit(FORMULA, data)
    assert told.converged
    assert told.details.memory.p < 0.001
    assert told.details.memory.phi == pytest.approx(0.7, abs=0.2)
    assert told.details.memory.distance == pytest.approx(-(X[1] - X[0]) / np.log(told.details.memory.phi), rel=1e-9)
    v = told.details.memory.phi ** (np.abs(X[:, None] - X[None, :]) / (X[1] - X[0]))
    again = core.fit(FORMULA, data, covariance=v)
    assert again.values == pytest.approx(told.values, rel=1e-8)
    for one, other in zip(again.coefficients.values(), told.coefficients.values(), strict=True):
        # What is not known of φ is in the ±, too.
        assert 1.0 < other.standard_error / one.standard_error < 1.4
    assert told.coefficients["k"].standard_error > 1.3 * plain.coefficients["k"].standard_error
    assert told.aicc < plain.aicc - 5
    verdicts = [{check.kind.value: check.verdict for check in core.checks(one)}["pattern"] for one in (plain, told)]
    assert verdicts == ["bad", "good"]


def test_rows_in_any_order_and_at_any_distance():
    """Shuffled rows give the same; uneven distances count as they are."""
    rng = np.random.default_rng(8)
    x = np.sort(rng.uniform(0, 12, 60))
    y = correlated(8, 0.8, x)
    told = core.fit(FORMULA, {"x": x, "y": y}, noise="correlated")
    order = rng.permutation(60)
    mixed = core.fit(FORMULA, {"x": x[order], "y": y[order]}, noise="correlated")
    assert mixed.values == pytest.approx(told.values, rel=1e-8)
    assert mixed.details.memory.phi == pytest.approx(told.details.memory.phi, rel=1e-6)
    assert mixed.residuals == pytest.approx(told.residuals[order], rel=1e-6, abs=1e-9)
    v = told.details.memory.phi ** (np.abs(x[:, None] - x[None, :]) / np.diff(x).mean())
    assert core.fit(FORMULA, {"x": x, "y": y}, covariance=v).values == pytest.approx(told.values, rel=1e-7)


def test_ranges_hold_where_those_of_equal_weights_do_not():
    """Of 40 sets each; and errors that are not alike are seldom taken for alike."""
    held, plain, alarms = 0, 0, 0
    for seed in range(40):
        data = {"x": X, "y": correlated(seed)}
        for noise in ("correlated", "normal"):
            k = core.fit(FORMULA, data, noise=noise, start={"k": 0.25}).coefficients["k"]
            if noise == "correlated":
                held += k.low <= 0.25 <= k.high
            else:
                plain += k.low <= 0.25 <= k.high
        clean = core.fit(FORMULA, {"x": X, "y": correlated(seed, 0.0)}, noise="correlated", start={"k": 0.25})
        alarms += clean.details.memory.p < 0.05
    assert held >= 33
    assert plain <= 32
    assert alarms <= 6


@pytest.mark.parametrize(
    ("asked", "said"),
    [
        ({"covariance": np.eye(3)}, "60 by 60; one of 3 by 3"),
        ({"covariance": np.ones((60, 60))}, "no variance, or less"),
        ({"covariance": np.eye(60) + np.eye(60, k=1)}, "the same above its diagonal"),
        ({"covariance": np.eye(60), "sigma": 0.1}, "says all of the rows' errors"),
        ({"covariance": np.eye(60), "noise": "poisson"}, "says all of the rows' errors"),
        ({"noise": "correlated", "sigma": 0.1}, "told by the rows"),
        ({"absolute_sigma": True}, "absolute_sigma needs sigma"),
    ],
)
def test_what_cannot_be_asked_of_correlated_rows_is_told(asked, said):
    with pytest.raises(core.DataError, match=said):
        core.fit(FORMULA, {"x": X, "y": correlated(1)}, **asked)


def test_rows_at_one_x_tell_nothing_of_distance():
    x = X.copy()
    x[5] = x[4]
    with pytest.raises(core.DataError, match="rows 5–6 have the same x"):
        core.fit(FORMULA, {"x": x, "y": correlated(1)}, noise="correlated")
    told = core.fit(FORMULA, {"x": X, "y": correlated(1)}, noise="correlated")
    for refused in (core.profile_intervals, core.bootstrap_intervals):
        with pytest.raises(core.DataError, match="not worked out for correlated rows"):
            refused(told, {"x": X, "y": correlated(1)})
    with pytest.raises(core.DataError, match="tell the less the nearer they are"):
        core.where_next(told, X, improve="k")


def test_coefficients_that_cannot_be_told_apart_have_no_error():
    """As in the ordinary fit; the curve stands."""
    told = core.fit("y = A*B*exp(-k*x)", {"x": X, "y": correlated(6)}, noise="correlated")
    assert told.covariance is None
    assert told.coefficients["A"].standard_error is None
    assert told.fitted == pytest.approx(
        core.fit(FORMULA, {"x": X, "y": correlated(6)}, noise="correlated").fitted, rel=1e-3
    )


def test_fits_under_other_covariances_are_not_compared():
    """Under one and the same they are, and the better curve has the lower AICc."""
    data = {"x": X, "y": correlated(6)}
    v = 0.7 ** (np.abs(X[:, None] - X[None, :]) / (X[1] - X[0]))
    decay = core.fit(FORMULA, data, covariance=v)
    line = core.fit("y = a + b*x", data, covariance=v)
    assert core.compare({"line": line, "decay": decay})[0].name == "decay"
    with pytest.raises(core.DataError, match="weigh the rows differently"):
        core.compare({"decay": decay, "line": core.fit("y = a + b*x", data, covariance=v + np.eye(60))})
