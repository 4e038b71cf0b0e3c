"""A known covariance of the rows: columns of the series, from a file on the command line, told in words and in the report."""

import json
from dataclasses import replace

import numpy as np
import pytest

from vettore import core
from vettore.cli import main
from vettore.core.rounding import NumberStyle
from vettore.files.study_file import study_bytes, study_from_bytes
from vettore.report.document import report_document
from vettore.study import edits
from vettore.study.columns import Role
from vettore.study.derive import derive_fit
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table
from vettore.words.fits import how_in_words, method_in_words

N = 12
HOUR = np.linspace(0.5, 10, N)
COVARIANCE = 0.04 * np.eye(N) + 0.09 * np.exp(-np.abs(HOUR[:, None] - HOUR) / 2)
DYE = 6 - 0.4 * HOUR + np.linalg.cholesky(COVARIANCE) @ np.random.default_rng(3).normal(size=N)


def series():
    columns = [RawColumn("hour", "h", HOUR), RawColumn("dye", "mg/L", DYE)]
    columns += [RawColumn(f"c{k}", "", COVARIANCE[k].copy()) for k in range(N)]
    return edits.add_series(
        Study(title="Reedbed"), Table((*columns, RawColumn("depth", "m", HOUR)), Source("made")), "Dye"
    )


def chosen():
    study = series()
    first = study.series[0].columns[2]
    return edits.set_column(study, "s1", 2, replace(first, role=Role.COVARIANCE))


def test_one_column_says_it_for_as_many_as_there_are_rows():
    """Those behind it that are carried along, and no more; one edit, taken back by setting it back."""
    study = chosen()
    roles = [column.role for column in study.series[0].columns]
    assert roles == [Role.X, Role.Y, *[Role.COVARIANCE] * N, Role.CARRIED]
    np.testing.assert_array_equal(study.series[0].covariance, COVARIANCE)
    short = edits.set_column(study, "s1", 5, replace(study.series[0].columns[5], role=Role.CARRIED))
    with pytest.raises(core.DataError, match="11 columns, and there are 12 rows"):
        _ = short.series[0].covariance


@pytest.mark.parametrize("known", [True, False])
@pytest.mark.parametrize("degree", [None, 1])
def test_a_fit_takes_it_and_says_so(degree, known):
    """The numbers are those of the core, with rows set aside, too; kept in the study, told in the report."""
    study = edits.set_rows_aside(chosen(), "s1", [4], "bubble")
    study = edits.add_fit(study, "s1", 1) if degree else edits.add_formula(study, "s1", "dye = A*exp(-k*hour)")
    study = edits.change_fit(study, study.curves[0].changed(noise="correlated", errors_known=known))
    fit = derive_fit(study, study.curves[0].id)
    used = np.delete(np.arange(N), 4)
    formula = "y = a0 + a1*x" if degree else "y = A*exp(-k*x)"
    rows = {"x": HOUR[used], "y": DYE[used]}
    expected = core.fit(formula, rows, covariance=COVARIANCE[np.ix_(used, used)], absolute_sigma=known)
    assert fit.result.values == expected.values
    np.testing.assert_array_equal(fit.result.covariance, expected.covariance)
    taken = "known" if known else "relative"
    assert f"a covariance of the rows, {taken}" in how_in_words(study.series[0], study.curves[0], NumberStyle())
    assert f"with the covariance of the rows' errors as given, {taken}" in method_in_words(fit)
    again = study_from_bytes(study_bytes(study), "a.vettore")
    assert again.series[0].columns == study.series[0].columns
    text = "".join(block.text for block in report_document(study).section("method").blocks)
    assert "Generalised least squares with the covariance" in text


def test_on_the_command_line(tmp_path, capsys):
    """A file of as many lines of as many numbers; another shape, text in it and ± of y beside it are refused."""
    data, matrix = tmp_path / "dye.csv", tmp_path / "covariance.txt"
    np.savetxt(data, np.column_stack([HOUR, DYE]), delimiter=",", header="hour,dye", comments="", fmt="%.17g")
    np.savetxt(matrix, COVARIANCE, fmt="%.17g", delimiter=";")

    def run(*more):
        with pytest.raises(SystemExit) as left:
            main(["fit", str(data), "--degree", "1", "--json", "--covariance", str(matrix), *more])
        return left.value.code, capsys.readouterr()

    code, out = run("--sigma-known")
    assert code == 0
    told = json.loads(out.out)
    expected = core.fit_polynomial(HOUR, DYE, 1, covariance=COVARIANCE, absolute_sigma=True)
    assert [one["value"] for one in told["coefficients"].values()] == list(expected.values)
    assert told["chi_squared"] == expected.chi_squared
    assert "it says all of the scatter" in run("--sigma", "dye")[1].err
    matrix.write_text(matrix.read_text().replace("0.13", "much", 1))
    assert "Line 1 of “covariance.txt” holds something that is no number." in run()[1].err
    np.savetxt(matrix, COVARIANCE[:5])
    assert "has 5 lines of 12 numbers, and there are 12 rows" in run()[1].err
