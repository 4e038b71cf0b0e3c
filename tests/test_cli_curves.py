"""The command line of models, comparison, interpolation, areas and polynomials, as a user types it."""

import json
from dataclasses import replace

import numpy as np
import pytest

from vettore.cli import main
from vettore.core.fitting.record import Search, Status, Trace
from vettore.demo.make_data import FOLDER
from vettore.study import derive

CHAMBER, STAGE = str(FOLDER / "oxygen-chamber-b.csv"), str(FOLDER / "stage-discharge.tsv")


def test_models_limits_and_losses_of_a_fit(run):
    """A catalogue model under a robust loss, with a limit; everything as JSON, checks among it."""
    code, out, _ = run(
        "fit", CHAMBER, "--model", "exponential-decay-level", "--limit", "k=0..", "--loss", "tukey", "--json"
    )
    told = json.loads(out)
    assert code == 0
    assert told["loss"] == "tukey"
    assert told["weighted_down"] == [10]
    assert {one["verdict"] for one in told["checks"]} <= {"good", "look", "bad"}
    code, out, _ = run("fit", CHAMBER, "--model", "exponential-decay-level", "--limit", "C=3..")
    assert "at its limit" in out
    assert run("fit", CHAMBER, "--model", "rise-of-bread")[0] == 2
    assert run("fit", CHAMBER, "--formula", "oxygen = a", "--limit", "a:3")[0] == 2
    assert "gompertz" in run("models")[1]
    assert "ceiling" in run("models", "gompertz")[1]
    assert len(json.loads(run("models", "--json")[1])["models"]) > 40


def test_a_formula_can_be_reported(run, tmp_path):
    """With its held coefficient, units and what follows."""
    page = tmp_path / "r.html"
    code, out, _ = run("fit", CHAMBER, "--model", "exponential-decay-level", "--hold", "C=2", "--report", str(page))
    assert code == 0
    assert "1/min" in out
    assert "half-life" in page.read_text()


def test_comparison_ranks_models(run):
    """Best first, with weights that add up; one model is nothing to compare."""
    code, out, _ = run("compare", STAGE, "--model", "straight-line", "--model", "quadratic", "--json")
    told = json.loads(out)["models"]
    assert code == 0
    assert told[0]["model"] == "quadratic"
    assert sum(one["weight"] for one in told) == pytest.approx(1)
    assert run("compare", STAGE, "--model", "quadratic")[0] == 2
    code, _, err = run(
        "compare", STAGE, "--formula", "discharge = a + b*stage", "--formula", "ln(discharge) = a + b*ln(stage)"
    )
    assert code == 2
    assert "measure different things" in err


def test_interpolation_and_areas(run):
    """Values at a list and at a distance; areas of points and functions, exit codes for what cannot be."""
    told = json.loads(run("interpolate", STAGE, "--method", "cubic", "--at", "0.5,0.7", "--json")[1])
    assert told["x"] == [0.5, 0.7]
    lines = run("interpolate", STAGE, "--method", "linear", "--every", "0.1")[1].splitlines()
    assert np.allclose(np.diff([float(line.split("\t")[0]) for line in lines[1:]]), 0.1)
    assert run("interpolate", STAGE, "--at", "99")[0] == 2
    area = json.loads(run("integrate", STAGE, "--rule", "simpson", "--floor", "ends", "--json")[1])
    assert area["area"] == pytest.approx(sum(area["strips"]))
    told = json.loads(run("integrate", "--formula", "exp(-x^2)", "--from", "-inf", "--to", "inf", "--json")[1])
    assert told["area"] == pytest.approx(np.sqrt(np.pi), rel=1e-14)
    assert run("integrate", "--formula", "1/x", "--from", "0", "--to", "1")[0] == 1
    assert run("integrate", "--formula", "x")[0] == 2


def test_polynomials(run):
    """By coefficients and by roots, complex pairs and all."""
    told = json.loads(run("polynomial", "--roots", "1,1,2+i,2-i", "--at", "3", "--json")[1])
    assert told["coefficients"] == [5, -14, 14, -6, 1]
    assert told["values"] == [{"x": 3.0, "y": 8.0}]
    assert [one["multiplicity"] for one in told["roots"]] == [2, 1, 1]
    assert "zero to rounding" in run("polynomial", "--coefficients", "-2,0,1")[1]
    assert run("polynomial", "--roots", "1+i")[0] == 2


def test_own_models_come_from_a_library(run, tmp_path):
    """Listed, fitted by key or name, and refused in a sentence when the library has no such model."""
    from vettore.core.models.model import own_model
    from vettore.files.library import write_library

    library = tmp_path / "ours.json"
    write_library(library, [own_model("Leaky jar", "o2 = A*exp(-k*t) + C*t", "t", "o2", "Losses.", {"k": "rate"})])
    table = tmp_path / "jar.csv"
    rows = [f"{t},{6 * 2.718281828459045 ** (-0.05 * t) + 0.01 * t + 0.01 * (-1) ** t:.6f}" for t in range(0, 60, 3)]
    table.write_text("t,o2\n" + "\n".join(rows))
    told = run("models", "leaky-jar", "--library", library)
    assert "y = A*exp(-k*x) + C*x" in told[1]
    fitted = run("fit", table, "--model", "Leaky jar", "--library", library, "--json")
    assert fitted[0] == 0
    assert abs(json.loads(fitted[1])["coefficients"]["k"]["value"] - 0.05) < 0.002
    refused = run("fit", table, "--model", "tight", "--library", library)
    assert refused[0] == 2
    assert "leaky-jar" in refused[2]


def test_a_formula_over_a_column_of_text_or_a_file_that_is_gone_is_refused_in_a_sentence(run, tmp_path):
    """The cell that is no number is named; so is the folder in which there is no such file."""
    table = tmp_path / "words.csv"
    table.write_text("time,level\n1,low\n2,3\n3,high\n4,none\n5,low\n")
    code, _, complaint = run("fit", table, "--formula", "level = a + b*time")
    assert code == 2
    assert "level holds text, as “low”" in complaint
    code, _, complaint = run("fit", tmp_path / "gone.csv")
    assert code == 2
    assert f"“gone.csv” is not in {tmp_path}" in complaint
    code, out, _ = run("fit", CHAMBER, "--formula", "oxygen = A*exp(-k*time) + C", "--limit", "k=0.1..")
    assert code == 0
    assert "k stands at a limit: the data would have it beyond.\n" in out + "\n"
    assert "()" not in out


def test_a_start_of_what_is_held_is_refused_and_a_saved_report_is_said(run, tmp_path):
    """Nothing that was asked for is left unused; with JSON the sentence goes beside it."""
    formula = ("fit", CHAMBER, "--formula", "oxygen = A*exp(-k*time) + C")
    code, _, err = run(*formula, "--hold", "C=2", "--start", "C=1", "--start", "k=0.1")
    assert (code, "C is held" in err) == (2, True)
    assert run(*formula, "--hold", "C=2", "--start", "k=0.1", "--start", "A=5")[0] == 0
    page = tmp_path / "r.html"
    code, out, err = run("fit", STAGE, "--degree", "1", "--report", str(page))
    assert f"The report was saved as {page}." in out
    code, out, err = run("fit", STAGE, "--degree", "1", "--json", "--report", str(page))
    assert json.loads(out)["n"] == 14
    assert f"The report was saved as {page}." in err


def test_what_did_not_converge_is_printed_and_told_by_the_exit_code(run, monkeypatch):
    """The numbers are there, with what to think of them, and a script sees a 1."""
    plain = derive.derive_fit

    def stopped(study, curve, progress=None):
        told = plain(study, curve, progress)
        return replace(told, result=replace(told.result, status=Status.NOT_CONVERGED, trace=Trace(search=Search(3))))

    monkeypatch.setattr(derive, "derive_fit", stopped)
    code, out, _ = run("fit", STAGE, "--degree", "1")
    assert (code, "Not converged from 3 starts" in out, "1.168 ± 0.061" in out) == (1, True, True)
    code, out, _ = run("fit", STAGE, "--degree", "1", "--json")
    assert (code, json.loads(out)["converged"]) == (1, False)


@pytest.mark.parametrize(
    ("options", "words"),
    [
        (
            ["--formula", "y = a + b*x", "--degree", "2"],
            "--degree would have no effect here: --formula says the model",
        ),
        (["--model", "straight-line", "--degree", "2"], "--degree would have no effect here: --model says the model"),
        (["--model", "straight-line", "--no-intercept"], "--model says whether there is a constant"),
        (
            ["--degree", "1", "--start", "a=1"],
            "A polynomial has one best answer; starts go with --formula or --model",
        ),
    ],
)
def test_options_without_effect_are_refused_by_their_reason(options, words, tmp_path, capsys):
    """The option and what makes it useless are both named."""
    (tmp_path / "a.csv").write_text("x,y\n1,2\n2,4.1\n3,6\n4,8.2\n")
    with pytest.raises(SystemExit) as stopped:
        main(["fit", str(tmp_path / "a.csv"), *options])
    assert stopped.value.code == 2
    assert words in capsys.readouterr().err


def test_a_span_is_that_of_the_rows_used_and_an_empty_one_is_refused(run):
    """A side left out is that of the data."""
    whole = run("fit", STAGE, "--json")
    assert run("fit", STAGE, "--span", "..", "--json")[1] != ""
    some = json.loads(run("fit", STAGE, "--span", "0.3..0.9", "--json")[1])
    assert some["n"] == 9
    assert json.loads(run("fit", STAGE, "--span", "0.3..", "--json")[1])["n"] == 11
    assert json.loads(whole[1])["n"] == 14
    code, _, said = run("fit", STAGE, "--span", "3..1")
    assert (code, "holds nothing: it runs from 3 to 1" in said) == (2, True)


def test_where_next_plans_one_row_unless_told(run):
    """Two rows lower the ± further."""
    one, told, two = (
        run("fit", STAGE, "--next", "a1", *more)[1] for more in ((), ("--next-rows", "1"), ("--next-rows", "2"))
    )
    assert one == told != two
