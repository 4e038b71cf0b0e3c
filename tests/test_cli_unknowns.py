"""Samples off a calibration at the command line: names, replicates, dilutions, and the table that is kept."""

import csv
import json

import pytest
from openpyxl import load_workbook

from tests.told import checked
from vettore.cli import main

STANDARDS = "level (mg/L),signal\n0,0.011\n0,0.013\n1,0.112\n1,0.108\n2,0.213\n2,0.209\n5,0.512\n5,0.508\n10,1.011\n10,1.005\n"
SAMPLES = (
    "sample,signal,dilution,nominal\nreed,0.311,1,\nreed,0.305,1,\nweir,0.811,10,\ncheck,0.698,1,5\nditch,1.9,1,\n"
)


@pytest.fixture
def run(capsys, tmp_path, monkeypatch):
    """Run the command line beside a file of standards and one of samples; return its code, output and complaint."""
    monkeypatch.chdir(tmp_path)
    (tmp_path / "standards.csv").write_text(STANDARDS)
    (tmp_path / "samples.csv").write_text(SAMPLES)

    def run_it(*arguments):
        with pytest.raises(SystemExit) as left:
            main(["fit", "standards.csv", *arguments])
        told = capsys.readouterr()
        return left.value.code, told.out, told.err

    return run_it


def test_a_table_of_samples_is_printed_and_kept(run):
    code, out, _ = run("--unknowns", "samples.csv")
    lines = out.splitlines()
    assert code == 0
    assert lines[0].split("  ")[0] == "sample"
    assert "level (mg/L) ± standard error" in lines[0]
    assert lines[1].split()[:4] == ["reed", "2.976", "±", "0.019"]
    assert lines[2].split()[-3:] == ["80.23", "±", "0.27"]
    assert lines[3].endswith("137.8 %  outside the limits")
    assert lines[4].endswith("beyond the data")
    run("--unknowns", "samples.csv", "-o", "held.csv")
    run("--unknowns", "samples.csv", "-o", "held.xlsx")
    with open("held.csv") as file:
        kept = list(csv.DictReader(file))
    sheet = [[cell.value for cell in row] for row in load_workbook("held.xlsx").active.iter_rows()]
    assert [row["sample"] for row in kept] == [row[0] for row in sheet[1:]] == ["reed", "weir", "check", "ditch"]
    assert [float(row["x"]) for row in kept] == [row[sheet[0].index("x")] for row in sheet[1:]]
    assert kept[0]["replicates"] == "2"
    assert kept[3]["beyond"] == "yes"


def test_json_says_the_same(run):
    told = checked(run("--unknowns", "samples.csv", "--json")[1])
    assert [entry["sample"] for entry in told["unknowns"]] == ["reed", "weir", "check", "ditch"]
    assert told["unknowns"][1]["amount"] == pytest.approx(10 * told["unknowns"][1]["x"])
    run("--unknowns", "samples.csv", "-o", "held.json")
    with open("held.json") as file:
        assert json.load(file) == told
    typed = checked(run("--unknowns", "0.308; 0.811", "--json")[1])
    assert [entry["x"] for entry in typed["unknowns"]][1] == pytest.approx(told["unknowns"][1]["x"])


def test_columns_are_named_where_they_are_not_usual(run, tmp_path):
    (tmp_path / "odd.csv").write_text("jar,first,second,times\nA,0.30,0.31,2\nB,0.50,,4\n")
    told = checked(
        run("--unknowns", "odd.csv", "--sample", "jar", "--signal", "first,second", "--dilution", "times", "--json")[
            1
        ]
    )
    assert [(entry["sample"], entry["replicates"], entry["dilution"]) for entry in told["unknowns"]] == [
        ("A", 2, 2),
        ("B", 1, 4),
    ]


@pytest.mark.parametrize(
    ("arguments", "sentence"),
    [
        (["--signal", "y"], "--signal would have no effect here"),
        (["--unknowns", "nowhere.csv"], "is not in"),
        (["--unknowns", "much"], "is no file, and no list of signals"),
        (["--unknowns", "samples.csv", "--signal", "height"], "has no column “height”"),
        (["--unknowns", "samples.csv", "--sample", "jar"], "has no column “jar”"),
        (["--unknowns", "samples.csv", "--by", "signal"], "one calibration"),
        (["--unknowns", "samples.csv", "-o", "held.txt"], "ends in .csv"),
    ],
)
def test_what_cannot_be_done_is_said(run, arguments, sentence):
    code, _, err = run(*arguments)
    assert code != 0
    assert sentence in err
