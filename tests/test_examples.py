"""Scripts of users' kinds, run as they stand: a group-by over a frame, a night job in a shell, a notebook with a figure."""

import os
import subprocess
import sys
from pathlib import Path

import nbclient
import nbformat
import pytest

from vettore.demo.make_data import FOLDER
from vettore.demo.study import demo_study
from vettore.files.study_file import open_study, save_study
from vettore.study.derive import derive_fit

EXAMPLES = Path(__file__).parent.parent / "examples"
BIN = Path(sys.executable).parent


def test_groups_of_a_frame(tmp_path):
    """Each group's coefficients near the truth, and the group that cannot be fitted as a row with its reason."""
    made = subprocess.run([sys.executable, EXAMPLES / "by_group.py"], capture_output=True, text=True, timeout=900)
    assert made.returncode == 0, made.stderr
    rows = [line.split() for line in made.stdout.splitlines()]
    found = {row[0]: float(row[2]) for row in rows if row[1] == "k"}
    assert found == pytest.approx({"north": 1.1, "south": 1.9, "weir": 2.6}, rel=0.1)
    assert "ditch" in made.stdout
    assert "3 coefficients" in made.stdout


def test_a_night_job(tmp_path):
    """One table, a report of each file that worked, the reasons of the others, and a number that says how it went."""
    save_study(demo_study(), tmp_path / "study.vettore")
    (tmp_path / "incoming").mkdir()
    for name in ("a.tsv", "b.tsv"):
        (tmp_path / "incoming" / name).write_bytes((FOLDER / "stage-discharge.tsv").read_bytes())
    (tmp_path / "incoming" / "broken.tsv").write_bytes(b"")
    given = ["study.vettore", "incoming", "out"]
    made = subprocess.run(
        [EXAMPLES / "night.sh", *given],
        cwd=tmp_path,
        capture_output=True,
        text=True,
        timeout=900,
        env={**os.environ, "PATH": f"{BIN}:{os.environ['PATH']}"},
    )
    assert made.returncode == 0, made.stderr
    assert "Some files failed:" in made.stdout
    assert "broken.tsv" in made.stdout
    assert (tmp_path / "out" / "numbers.csv").stat().st_size > 500
    assert {path.name for path in (tmp_path / "out" / "reports").iterdir()} == {"a.html", "b.html"}


def test_the_notebook(tmp_path):
    """Every cell runs; it shows the result and a figure; the study that it keeps is the one that it tells of."""
    notebook = nbformat.read(EXAMPLES / "from-file-to-report.ipynb", as_version=4)
    done = nbclient.NotebookClient(notebook, timeout=900, resources={"metadata": {"path": str(tmp_path)}}).execute()
    outputs = [output for cell in done.cells for output in cell.get("outputs", ())]
    kinds = {kind for output in outputs for kind in output.get("data", ())}
    assert {"text/html", "image/png"} <= kinds
    assert (tmp_path / "chamber.html").read_text(encoding="utf-8").startswith("<!doctype html>")
    study = open_study(tmp_path / "chamber.vettore")
    k = derive_fit(study, study.curves[0].id).result.coefficients["k"].value
    assert any(f"{k:.4g}"[:6] in str(output) for output in outputs)
