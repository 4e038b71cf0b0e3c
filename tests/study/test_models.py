"""Models of the catalogue and formulas in a study: what was decided is kept, and follows the columns."""

import numpy as np
import pytest

from vettore.files.study_file import study_bytes, study_from_bytes
from vettore.study import edits
from vettore.study.derive import derive_fit
from vettore.study.fitting.quantities import coefficient_units, derived_quantities
from vettore.study.series import ColumnSettings, Role
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table


def study():
    t = np.linspace(0, 60, 40)
    y = 6 * np.exp(-0.05 * t) + 2 + 0.05 * np.sin(7 * t)
    columns = (RawColumn("time", "min", t), RawColumn("oxygen", "mg/L", y), RawColumn("A", "", t * 0 + 1))
    return edits.add_series(Study(), Table(columns, Source("chamber.csv")), "Chamber")


def test_a_model_is_fitted_with_units_and_what_follows_from_it():
    """Coefficients keep clear of a column called A; k in 1/min, the half-life in min."""
    made = edits.add_model(study(), "s1", "exponential-decay-level")
    fit = derive_fit(made, made.curves[0].id)
    assert list(fit.result.coefficients) == ["A_0", "k", "C"]
    assert list(coefficient_units(fit)) == ["mg/L", "1/min", "mg/L"]
    assert fit.recipe.name == "Decay to a level"
    found = {one.name: (one.value, unit) for one, unit in derived_quantities(fit)}
    assert found["half-life"][0] == pytest.approx(np.log(2) / fit.result.coefficients["k"].value)
    assert found["half-life"][1] == "min"
    assert fit.formula_units.contradictions == ()


def test_holds_limits_losses_and_spans_are_decisions_that_are_kept():
    """Through the file and back, and each changes the fit."""
    made = edits.add_model(study(), "s1", "exponential-decay-level")
    recipe = made.curves[0].changed(hold=(("C", 2.0),), limits=(("k", 0.0, None),), loss="huber", span=(5.0, 50.0))
    made = edits.change_fit(made, recipe)
    again = study_from_bytes(study_bytes(made), "x.vettore")
    assert again.curves == made.curves
    result = derive_fit(again, recipe.id).result
    assert result.coefficients["C"].held
    assert result.loss == "huber"
    assert result.x.min() >= 5
    assert result.x.max() <= 50


def test_a_formula_follows_a_renamed_column():
    """Also when the new name is that of a coefficient."""
    made = edits.add_formula(study(), "s1", "oxygen = B*exp(-k*time) + C")
    made = edits.set_column(made, "s1", 0, ColumnSettings("k", "min", Role.X, 0))
    assert made.curves[0].formula == "oxygen = B*exp(-k_0*k) + C"
    assert derive_fit(made, made.curves[0].id).result.converged
