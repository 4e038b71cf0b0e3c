"""A command that cannot end well does not begin: outputs are looked at first, and what counts once is given once."""

import os

import pytest

from vettore.demo.make_data import FOLDER

STAGE = FOLDER / "stage-discharge.tsv"


@pytest.fixture
def no_fit(monkeypatch):
    """Whoever fits fails the test."""

    def refuse(*_):
        raise AssertionError("It was fitted first.")

    monkeypatch.setattr("vettore.study.derive.derive_fit", refuse)


@pytest.mark.parametrize(
    ("option", "name", "words"),
    [
        ("--report", "r.foo", "written as .pdf, .html"),
        ("--report", "gone/r.pdf", "there is no folder"),
        ("--figure", "f.bmp", "written as .svg"),
        ("--table", "t.doc", "written as .csv, .tsv"),
        ("--table", "gone/t.csv", "there is no folder"),
        ("-o", "gone/t.csv", "there is no folder"),
    ],
)
def test_an_output_that_cannot_be_written_is_refused_before_the_fit(run, tmp_path, no_fit, option, name, words):
    """In one sentence, with the remedy."""
    code, out, complaint = run("fit", STAGE, "--degree", "1", option, tmp_path / name)
    assert (code, out) == (2, "")
    assert words in complaint
    assert list(tmp_path.iterdir()) == []


def test_an_option_that_counts_once_is_refused_a_second_time(run, no_fit):
    """The last one alone would count; what may come several times may."""
    code, _, complaint = run("fit", STAGE, "--x", "stage", "--x", "discharge")
    assert code == 2
    assert "--x takes one value, and “stage” and “discharge” were given." in complaint
    assert run("fit", STAGE, "--degree=1", "--degree", "2")[0] == 2
    assert run("interpolate", STAGE, "--x=stage", "--x=stage")[0] == 2


def test_what_may_be_given_again_still_may(run):
    """Several readings are several readings."""
    code, out, _ = run(
        "fit", STAGE, "--degree", "1", "--where", "0.3", "--where", "exactly 0.3", "--at", "0.5", "--at", "0.6"
    )
    assert code == 0
    assert "stage where discharge = 0.3 m³/s" in out
    assert "stage where discharge is exactly 0.3 m³/s" in out


def test_a_table_of_a_file_whose_name_is_no_text_is_written(run, tmp_path):
    """Not UTF-8, control characters, and a name of as many letters as a name may have: a row each, and all others."""
    names = [
        os.fsencode(tmp_path) + b"/caf\xe9.tsv",
        os.fsencode(tmp_path / "a\x1b\x0b b.tsv"),
        os.fsencode(tmp_path / ("x" * 251 + ".tsv")),
    ]
    for name in names:
        with open(name, "wb") as file:
            file.write(STAGE.read_bytes())
    study = tmp_path / "s.vettore"
    from vettore.demo.study import demo_study
    from vettore.files.study_file import save_study

    save_study(demo_study(), study)
    files = [os.fsdecode(name) for name in names]
    for ending in ("csv", "xlsx", "json"):
        code, _, complaint = run(
            "replay",
            study,
            *files,
            "--series",
            "Stage–discharge rating",
            "-o",
            tmp_path / f"t.{ending}",
            "--reports",
            tmp_path / "r",
        )
        assert "Traceback" not in complaint
        assert code in (0, 1)
        assert (tmp_path / f"t.{ending}").exists()
    table = (tmp_path / "t.csv").read_text(encoding="utf-8")
    assert "caf" in table
    assert "a  " in table
    assert "x" * 251 in table
    assert len(list((tmp_path / "r").iterdir())) >= 2
