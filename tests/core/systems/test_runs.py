"""Several runs together: against the same as one formula of many series; common and own coefficients; what is refused."""

import numpy as np
import pytest

from vettore import core

T = np.linspace(0, 12, 15)
CHAIN = "A -> B; k1; B -> C; k2; A(0) = A0; B(0) = 0; C(0) = 0"


def decays(rates=(0.3, 0.3, 0.3), seed=1):
    rng = np.random.default_rng(seed)
    return {
        f"run {place}": {"t": T, "A": size * np.exp(-k * T) + rng.normal(0, 0.02, 15)}
        for place, (size, k) in enumerate(zip((2.0, 1.2, 3.0), rates, strict=True), 1)
    }


def test_one_column_gives_what_many_series_of_its_closed_form_give():
    runs = decays()
    fit = core.fit_runs("A' = -k*A; A(0) = A0", runs, ["k"])
    witness = core.fit_shared("A = A0*exp(-k*t)", runs, ["k"])
    assert fit.shared["k"].value == pytest.approx(witness.coefficients[0]["k"].value, rel=1e-8)
    for run, own in zip(fit.runs.values(), witness.coefficients, strict=True):
        for name in ("k", "A0"):
            assert run.coefficients[name].value == pytest.approx(own[name].value, rel=1e-7)
            assert run.coefficients[name].standard_error == pytest.approx(own[name].standard_error, rel=1e-5)
    assert fit.degrees_of_freedom == witness.result.degrees_of_freedom
    assert fit.against_apart is not None
    assert fit.against_apart.p == pytest.approx(witness.against_apart.p, rel=1e-3)


def test_what_is_not_common_is_told():
    assert core.fit_runs("A' = -k*A; A(0) = A0", decays((0.3, 0.33, 0.27)), ["k"]).against_apart.p < 1e-4
    assert core.fit_runs("A' = -k*A; A(0) = A0", decays(), ["k"]).against_apart.p > 0.01
    assert core.fit_runs("A' = -k*A; A(0) = A0", decays(), []).against_apart is None


def test_several_columns_have_one_scatter_over_all_runs():
    rng = np.random.default_rng(4)
    runs = []
    for size in (1.0, 2.0, 4.0):
        a = size * np.exp(-0.4 * T)
        b = size * 0.4 / (0.1 - 0.4) * (np.exp(-0.4 * T) - np.exp(-0.1 * T))
        b[3] = np.nan
        runs.append({"t": T, "A": a + rng.normal(0, 0.005, 15), "B": b + rng.normal(0, 0.05, 15)})
    fit = core.fit_runs(CHAIN, runs, ["k1", "k2"])
    assert fit.scatters["A"] == pytest.approx(0.005, rel=0.25)
    assert fit.scatters["B"] == pytest.approx(0.05, rel=0.25)
    for name, true in (("k1", 0.4), ("k2", 0.1)):
        entry = fit.shared[name]
        assert abs(entry.value - true) < 3 * entry.standard_error
    assert [*fit.runs] == ["1", "2", "3"]
    assert fit.n == 3 * 29
    alone = core.fit_system(CHAIN, runs[1])
    assert fit.shared["k2"].standard_error < alone.coefficients["k2"].standard_error
    assert fit.runs["2"].curves["C"](12.0) == pytest.approx(2.0, rel=0.5)
    assert fit.to_dict()["shared"]["k1"]["value"] == fit.shared["k1"].value


def test_what_cannot_be_is_refused_by_run():
    with pytest.raises(core.DataError, match="q is no coefficient that is fitted here; these are k, A0"):
        core.fit_runs("A' = -k*A; A(0) = A0", decays(), ["q"])
    with pytest.raises(core.DataError, match="There are no runs"):
        core.fit_runs("A' = -k*A; A(0) = A0", {}, ["k"])
    runs = decays()
    runs["run 2"]["A"] = np.full(15, np.nan)
    with pytest.raises(core.DataError, match=r"^Run run 2: No row has numbers for A"):
        core.fit_runs("A' = -k*A; A(0) = A0", runs, ["k"])
