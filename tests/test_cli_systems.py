"""vettore fit with several equations: what is printed, written as JSON, and refused."""

import csv
import io

import numpy as np
import pytest

from tests.told import checked
from vettore import core

CHAIN = "A -> B ; k1\nB -> C ; k2\nA(0) = A0\nB(0) = 0\nC(0) = 0\n"


@pytest.fixture
def chamber(tmp_path):
    """A file of three columns with a blank, and its columns."""
    rng = np.random.default_rng(3)
    t = np.linspace(0, 40, 41)
    a = np.round(2 * np.exp(-0.3 * t) + rng.normal(0, 0.01, 41), 4)
    b = np.round(2 * 0.3 / (0.1 - 0.3) * (np.exp(-0.3 * t) - np.exp(-0.1 * t)) + rng.normal(0, 0.02, 41), 4)
    path = tmp_path / "chamber.csv"
    rows = [f"{x},{y},{'' if k == 7 else z}" for k, (x, y, z) in enumerate(zip(t, a, b, strict=True))]
    path.write_text("t (min),A (mM),B (mM)\n" + "\n".join(rows) + "\n", encoding="utf-8")
    b[7] = np.nan
    return path, {"t": t, "A": a, "B": b}


def test_equations_of_a_file_are_printed_and_are_those_of_python(chamber, run, tmp_path):
    """The equations as understood, each coefficient with its ±, each column with its scatter, what never changes."""
    path, data = chamber
    equations = tmp_path / "chain.txt"
    equations.write_text(CHAIN, encoding="utf-8")
    code, out, _ = run("fit", path, "--equations", equations)
    answer = core.fit_system(CHAIN, data)
    lines = out.splitlines()
    assert (code, lines[0]) == (0, "A' = -k1*A")
    (k1,) = (line for line in lines if line.startswith("  k1 "))
    assert k1.endswith(" 1/min")
    value, error = (float(part) for part in k1.removesuffix("1/min").split(maxsplit=1)[1].split(" ± "))
    assert value == pytest.approx(answer.values["k1"], abs=error / 10)
    assert error == pytest.approx(answer.coefficients["k1"].standard_error, rel=0.05)
    assert any(line.startswith("  B ") and line.endswith(" 40 rows") for line in lines)
    assert any(line.split("  ")[-1].strip() == "A + B + C" for line in lines)
    assert lines[-1] == "Row 8 left out: no finite number in B."


def test_equations_as_json_hold_all_digits(chamber, run):
    path, data = chamber
    code, out, _ = run("fit", path, "--formula", CHAIN.replace("\n", "; "), "--hold", "A0=2", "--json")
    parsed = checked(out)
    answer = core.fit_system(CHAIN, data, hold={"A0": 2})
    assert (code, parsed["coefficients"]["A0"]["held"]) == (0, True)
    assert parsed["coefficients"]["k2"]["value"] == answer.values["k2"]
    assert parsed["residuals"]["B"] == answer.residuals["B"].tolist()


@pytest.mark.parametrize(
    ("options", "words"),
    [
        (["--formula", "A' = -k*A"], "A has no initial value"),
        (["--formula", "A' = -k*A; A(0) = A0", "--at", "3"], "--at is for a single equation"),
        (["--formula", "A' = -k*A; A(0) = A0", "--report", "r.html"], "--report is for a single equation"),
        (["--equations", "nowhere.txt"], "“nowhere.txt” cannot be read"),
        (["--equations", "nowhere.txt", "--model", "linear"], "beside --model"),
        (["--formula", "A' = -k*A; A(0) = A0", "-o", "t.csv"], "are common to all, as --shared"),
    ],
)
def test_what_several_equations_do_not_take_is_refused(chamber, run, options, words):
    code, out, err = run("fit", chamber[0], *options)
    assert (code, out) == (2, "")
    assert words in err


def test_several_runs_are_one_table_with_what_is_common(run, tmp_path):
    """Two files, or two groups of one: common rates, own beginnings, and whether the runs alone would fit better."""
    t = np.linspace(0, 12, 15)
    rng = np.random.default_rng(2)
    both = {size: size * np.exp(-0.3 * t) + rng.normal(0, 0.01, 15) for size in (1.0, 2.0)}
    lines = [f"{x},{y:.5f},{size}" for size, values in both.items() for x, y in zip(t, values, strict=True)]
    path = tmp_path / "runs.csv"
    path.write_text("t (min),A (mM),run\n" + "\n".join(lines) + "\n", encoding="utf-8")
    text = "A' = -k*A; A(0) = A0"
    table = tmp_path / "numbers.csv"
    code, _, err = run("fit", path, "--formula", text, "--by", "run", "--shared", "k", "-o", table)
    assert code == 0
    runs = {str(size): {"t": t, "A": np.round(values, 5)} for size, values in both.items()}
    answer = core.fit_runs(text, runs, ["k"])
    rows = list(csv.DictReader(io.StringIO(table.read_text(encoding="utf-8"))))
    values = {(row["group"], row["number"]): row for row in rows}
    for label, fit in zip(("1", "2"), answer.runs.values(), strict=True):
        for name, entry in fit.coefficients.items():
            row = values[label, name]
            assert float(row["value"]) == pytest.approx(entry.value, rel=1e-9)
            assert float(row["standard_error"]) == pytest.approx(entry.standard_error, rel=1e-9)
        assert values[label, "k"]["unit"] == "1/min"
    assert f"probability of {answer.against_apart.p:.2g}" in err
    code, _, err = run("fit", path, "--formula", text, "--by", "run")
    assert (code, "--shared k1,k2" in err) == (2, True)
