"""The ± of x in a study: guessed, used, said, kept, undone, on the command line and in a report."""

import csv
import json
from dataclasses import replace

import numpy as np
import pytest

from vettore import core
from vettore.cli import main
from vettore.core.fitting.after.checks import Kind
from vettore.core.rounding import NumberStyle
from vettore.files.study_file import study_bytes, study_from_bytes
from vettore.report.document import report_document
from vettore.report.figures.of_fits import layer_of
from vettore.study import edits
from vettore.study.derive import derive_fit
from vettore.study.series import Role, guess_roles
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table
from vettore.words.fits import how_in_words, method_in_words, summary_of

N = 24
RNG = np.random.default_rng(4)
DEPTH = np.linspace(0.5, 10, N)
ROWS = {
    "depth": DEPTH + 0.35 * RNG.normal(size=N),
    "light": 6 * np.exp(-0.35 * DEPTH) + 1 + 0.15 * RNG.normal(size=N),
    "± of depth": np.full(N, 0.35),
    "± of light": np.full(N, 0.15),
}


def light():
    columns = tuple(RawColumn(name, "m" if "depth" in name else "lx", values) for name, values in ROWS.items())
    study = edits.add_series(Study(title="Light"), Table(columns, Source("made")), "Light")
    study = edits.add_model(study, "s1", "exponential-decay-level")
    return edits.change_fit(study, study.curves[0].changed(use_errors=True, errors_known=True))


@pytest.mark.parametrize(
    ("names", "roles"),
    [
        (("depth", "light", "± of depth", "± of light"), (Role.X, Role.Y, Role.X_ERROR, Role.Y_ERROR)),
        (("t", "c", "sigma t", "sigma c"), (Role.X, Role.Y, Role.X_ERROR, Role.Y_ERROR)),
        (("t", "c", "error"), (Role.X, Role.Y, Role.Y_ERROR)),
        (("dose", "dose answer", "± dose answer"), (Role.X, Role.Y, Role.Y_ERROR)),
    ],
)
def test_a_column_named_after_the_error_of_x_is_taken_for_it(names, roles):
    """And never one that may be that of y."""
    assert guess_roles(tuple(RawColumn(name, "", np.arange(3.0)) for name in names)) == roles


@pytest.mark.parametrize("degree", [None, 1])
def test_the_fit_uses_it_and_says_so(degree):
    """The numbers are those of the core; the check that it is unused goes; summary, method and how it is fitted name it."""
    study = light()
    if degree is not None:
        study = edits.add_fit(edits.remove_fit(study, study.curves[0].id), "s1", degree)
        study = edits.change_fit(study, study.curves[0].changed(use_errors=True, errors_known=True))
    recipe = study.curves[0]
    unused = derive_fit(study, recipe.id)
    assert Kind.X_ERRORS in {check.kind for check in unused.checks}
    used = edits.change_fit(study, recipe.changed(use_x_errors=True))
    fit = derive_fit(used, recipe.id)
    x, y, sigma_x, sigma_y = ROWS.values()
    formula = "y = A*exp(-k*x) + C" if degree is None else "y = a + b*x"
    expected = core.fit(formula, {"x": x, "y": y}, sigma=sigma_y, sigma_x=sigma_x, absolute_sigma=True)
    assert fit.result.values == pytest.approx(expected.values, rel=1e-9)
    assert Kind.X_ERRORS not in {check.kind for check in fit.checks}
    style = NumberStyle()
    assert "and the ± of x, known" in how_in_words(used.series[0], used.curves[0], style)
    assert "the distances of the rows in x and in y" in method_in_words(fit)
    if degree is None:
        assert "Beside the known ± of x and y, χ²\u2060/\u2060ν is 1.04" in summary_of(fit, style)
    again = study_from_bytes(study_bytes(used), "a.vettore")
    assert again.curves[0] == used.curves[0]
    document = report_document(edits.set_report(used, used.report.changed(left_out=())))
    assert (
        "Bars are ± of x and of y; weights from the ± of x and of y, taken as known. Slanted lines lead to where each row is"
        in document.section("figure").blocks[0].caption
    )
    assert document.sheets[0].blocks[0].headings[-2:] == ("± of x", "True x")
    marks = layer_of(used, fit, style, several=False).marks
    assert marks.leads[0] is fit.result.details.true_x
    np.testing.assert_array_equal(marks.leads[1], fit.curve(fit.result.details.true_x))
    assert layer_of(study, unused, style, several=False).marks.leads is None


def test_on_the_command_line(tmp_path, capsys):
    """--sigma-x with --sigma; alone it has no use, which is said."""
    path = tmp_path / "light.csv"
    lines = [
        ",".join(ROWS),
        *(",".join(map(repr, row)) for row in zip(*(v.tolist() for v in ROWS.values()), strict=True)),
    ]
    path.write_text("\n".join(lines) + "\n")
    asked = ["fit", str(path), "--model", "exponential-decay-level", "--sigma-x", "± of depth"]
    table = tmp_path / "t.csv"
    with pytest.raises(SystemExit) as left:
        main([*asked, "--sigma", "± of light", "--sigma-known", "--json", "--table", str(table)])
    assert left.value.code == 0
    told = json.loads(capsys.readouterr().out)
    assert told["method"] == "least squares with errors in x and y (orthogonal distance)"
    expected = derive_fit(
        edits.change_fit(light(), light().curves[0].changed(use_x_errors=True)), light().curves[0].id
    )
    assert [one["value"] for one in told["coefficients"].values()] == list(expected.result.values)
    rows = list(csv.DictReader(table.read_text().splitlines()))
    assert [float(row["true x"]) for row in rows] == expected.result.details.true_x.tolist()
    with pytest.raises(SystemExit) as left:
        main(asked)
    assert left.value.code == 2
    assert "it needs --sigma, the ± of y" in capsys.readouterr().err


def test_a_column_of_correlation_goes_with_the_error_of_x(tmp_path, capsys):
    """In a study and by --correlation the numbers are those of the core; without the ± of x it has no use, which is said."""
    together = np.linspace(-0.8, 0.6, N)
    columns = tuple(RawColumn(name, "", values) for name, values in {**ROWS, "r": together}.items())
    study = edits.add_series(Study(title="Light"), Table(columns, Source("made")), "Light")
    study = edits.set_column(study, "s1", 4, replace(study.series[0].columns[4], role=Role.CORRELATION))
    study = edits.add_fit(study, "s1", 1)
    study = edits.change_fit(study, study.curves[0].changed(use_errors=True, errors_known=True, use_x_errors=True))
    fit = derive_fit(study, study.curves[0].id)
    x, y, sigma_x, sigma_y = ROWS.values()
    known = {"sigma": sigma_y, "sigma_x": sigma_x, "absolute_sigma": True}
    expected = core.fit_polynomial(x, y, 1, correlation=together, **known)
    independent = core.fit_polynomial(x, y, 1, **known)
    assert fit.result.values == expected.values
    assert abs(expected.values[1] - independent.values[1]) > 0.1 * expected.coefficients["a1"].standard_error
    assert "and the ± of x, correlated as in r, known" in how_in_words(
        study.series[0], study.curves[0], NumberStyle()
    )
    document = report_document(edits.set_report(study, study.report.changed(left_out=())))
    assert "± of x and of y with their correlation, taken as known" in document.section("figure").blocks[0].caption
    assert document.sheets[0].blocks[0].headings[-1] == "Correlation"
    assert study_from_bytes(study_bytes(study), "a.vettore").series[0].columns[4].role is Role.CORRELATION
    path = tmp_path / "light.csv"
    table = np.column_stack([*ROWS.values(), together])
    np.savetxt(path, table, delimiter=",", header="depth,light,dx,dy,r", comments="", fmt="%.17g")
    asked = ["fit", str(path), "--degree", "1", "--sigma", "dy", "--sigma-known", "--correlation", "r", "--json"]
    with pytest.raises(SystemExit) as left:
        main([*asked, "--sigma-x", "dx"])
    assert left.value.code == 0
    told = json.loads(capsys.readouterr().out)
    assert [one["value"] for one in told["coefficients"].values()] == list(expected.values)
    with pytest.raises(SystemExit) as left:
        main(asked)
    assert left.value.code == 2
    assert "it needs --sigma-x" in capsys.readouterr().err
