"""Studies made, added to and read from a shell."""

import json

from vettore.demo.make_data import FOLDER
from vettore.files.study_file import open_study
from vettore.study.derive import derive_fit

PROBE, STAGE = FOLDER / "nitrate-probe.csv", FOLDER / "stage-discharge.tsv"


def test_a_study_is_made_added_to_and_shown(run, tmp_path):
    """Each file a series, with the fit that was asked for; numbers are those of the fits, in words and in full."""
    path = tmp_path / "weir.vettore"
    assert run("study", "new", path, PROBE, "--degree", 1, "--title", "Week 23") == (
        0,
        f"{path} holds 1 series and 1 fit.\n",
        "",
    )
    code, said, _ = run("study", "add", path, STAGE, "--formula", "discharge = a*stage^b")
    assert (code, said) == (0, f"{path} holds 2 series and 2 fits.\n")
    study = open_study(path)
    assert (study.title, [series.name for series in study.series]) == (
        "Week 23",
        ["nitrate-probe", "stage-discharge"],
    )
    _, shown, _ = run("study", "show", path)
    assert shown.startswith("Week 23\n\nnitrate-probe: 18 rows\n  standard (mg/L): x\n  signal (mV): y\n")
    assert "  Straight line, a1 = 42.72 ± 0.52 mV/(mg/L)\n" in shown
    told = json.loads(run("study", "show", path, "--json")[1])
    assert told["schema"] == "vettore.study/1"
    numbers = {one["number"]: one["value"] for one in told["series"][1]["numbers"]}
    fit = derive_fit(study, study.curves[1].id).result
    assert [numbers["a"], numbers["b"]] == list(fit.values)


def test_what_cannot_be_made_is_refused_and_writes_nothing(run, tmp_path):
    """A study that is there, two models at once, a model nobody knows, a file that is gone: each in a sentence."""
    path = tmp_path / "a.vettore"
    run("study", "new", path, PROBE)
    before = path.read_bytes()
    for arguments, words in (
        (("new", path, STAGE), "is there already"),
        (("add", path, STAGE, "--model", "nothing"), "has no model “nothing”"),
        (("add", path, STAGE, "--degree", 1, "--formula", "y = a"), "Give one of --degree"),
        (("add", path, tmp_path / "gone.csv"), "gone.csv"),
        (("show", tmp_path / "none.vettore"), "none.vettore"),
        (("add", path, STAGE, "--formula", "y = a*(stage"), "stage-discharge.tsv: "),
    ):
        code, _, said = run("study", *arguments)
        assert (code, words in said, said.count("\n")) == (2, True, 1), said
    assert path.read_bytes() == before


def test_an_empty_study_and_the_demo_can_be_saved(run, tmp_path):
    """Without files there are no series; the demo is the study that the window opens."""
    assert run("study", "new", tmp_path / "e.vettore")[1].endswith("holds 0 series and 0 fits.\n")
    assert run("study", "show", tmp_path / "e.vettore")[1] == "e\n"
    assert run("demo", "--save", tmp_path / "d.vettore")[0] == 0
    assert "River sample = 5.625 ± 0.071 mg/L" in run("study", "show", tmp_path / "d.vettore")[1]
