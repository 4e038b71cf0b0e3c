"""A study replayed over many files: one tidy table, reasons for what failed, the same numbers whoever works, and going on."""

import csv
import json
import os
import signal
import subprocess
import sys
from pathlib import Path

import numpy as np
import openpyxl
import pandas as pd
import pytest

import vettore
from tests.told import checked
from tests.waiting import wait_for
from vettore.batch import replay as module
from vettore.batch.replay import Ended, Progress, ReplayRequest, go_on, key_of
from vettore.batch.sources import files_of
from vettore.batch.table import ReplayTable, Row
from vettore.cli import main
from vettore.core.errors import VettoreError
from vettore.demo.study import demo_study
from vettore.files.study_file import open_study, save_study, study_bytes, study_from_bytes
from vettore.study import edits
from vettore.study.derive import derive_fit
from vettore.study.kinds.readings import PlaceReading
from vettore.study.study import Study

T = np.arange(0.0, 60.0, 4.0)
BROKEN = {
    "empty": b"",
    "binary": b"\x00\x01\x02\xff" * 40,
    "other columns": b"depth (m),salt (g/L)\n1,2\n2,3\n3,4\n",
    "no rows": b"time (min),oxygen (mg/L)\n",
    "words": b"time (min),oxygen (mg/L)\n1,low\n2,high\n3,low\n",
}


@pytest.fixture
def folder(tmp_path):
    """Twelve runs of an instrument, five of them broken, and a study of the second."""
    runs = tmp_path / "runs"
    runs.mkdir()
    rng = np.random.default_rng(2)
    for number in range(12):
        y = 6 * np.exp(-(0.03 + 0.002 * number) * T) + 2 + 0.02 * rng.normal(size=len(T))
        text = "time (min),oxygen (mg/L)\n" + "".join(f"{t:g},{v:.4f}\n" for t, v in zip(T, y, strict=True))
        (runs / f"run{number:02d}.csv").write_text(text)
    for place, data in zip((0, 3, 5, 8, 11), BROKEN.values(), strict=True):
        (runs / f"run{place:02d}.csv").write_bytes(data)
    study = edits.add_series(Study(title="Chamber"), vettore.read_file(runs / "run01.csv")[0].table, "Chamber")
    study = edits.add_model(study, "s1", "exponential-decay-level")
    study = edits.keep(study, PlaceReading(curve="c2", at=5.0, name="to five"))
    save_study(study, tmp_path / "study.vettore")
    return tmp_path


def test_every_file_is_in_the_table(folder):
    """Numbers to the last digit of a fit of that file alone; failures with a sentence each."""
    files = sorted((folder / "runs").iterdir())
    table = vettore.replay(folder / "study.vettore", files)
    assert (table.files, len(table.failed)) == (12, 5)
    assert {row.reason.split("”")[-1][:12] for row in table.failed} >= {" is empty. C"}
    assert all(row.reason.endswith(".") for row in table.failed)
    study = open_study(folder / "study.vettore")
    for path in files:
        rows = {row.number: row for row in table if row.file == str(path) and row.outcome == "done"}
        if not rows:
            continue
        alone = edits.renew_series(study, "s1", vettore.read_file(path)[0].table)
        fit = derive_fit(alone, "c2").result
        told = [(rows[name].value, rows[name].standard_error) for name in ("A", "k", "C")]
        assert told == [(one.value, one.standard_error) for one in fit.coefficients.values()]
        assert (rows["to five"].unit, rows["A"].verdict in ("good", "look", "bad")) == ("min", True)
    frame = table.to_frame()
    assert len(frame) == len(table)
    assert frame["value"].notna().sum() == len(table) - 5
    assert "12 files, 5 failed" in repr(table)


def test_two_workers_give_the_same_table(folder, capsys):
    """From the command line, whose exit code says that some failed."""
    for name, workers in (("one.csv", "1"), ("two.csv", "2")):
        asked = ["replay", str(folder / "study.vettore"), str(folder / "runs"), "-o", str(folder / name)]
        with pytest.raises(SystemExit) as ended:
            main([*asked, "--workers", workers])
        assert ended.value.code == 1
    assert (folder / "one.csv").read_bytes() == (folder / "two.csv").read_bytes()
    assert "12 files, 5 failed." in capsys.readouterr().err
    assert not list(folder.glob("*.part"))


def test_a_table_is_written_in_full_in_every_format(folder, tmp_path, monkeypatch):
    """Read back, each number is the same to the last bit; a name that a spreadsheet would run is a text."""
    row = Row("=cmd.csv", "", "s", "fit", "k", 0.1 + 0.2, float("nan"), "1/min", "good", "done", "")
    table = ReplayTable([row])
    for ending in (".csv", ".tsv", ".json", ".xlsx"):
        table.save(tmp_path / f"t{ending}")
    lines = list(csv.DictReader((tmp_path / "t.csv").read_text().splitlines()))
    assert (float(lines[0]["value"]), lines[0]["standard_error"], lines[0]["file"]) == (0.1 + 0.2, "", "'=cmd.csv")
    told = checked((tmp_path / "t.json").read_text())
    assert (told["schema"], told["rows"][0]["value"], told["rows"][0]["standard_error"]) == (
        "vettore.table/1",
        0.1 + 0.2,
        None,
    )
    sheet = openpyxl.load_workbook(tmp_path / "t.xlsx").active
    assert (sheet["F2"].value, sheet["A2"].data_type, sheet["A2"].value) == (0.1 + 0.2, "s", "=cmd.csv")
    table.save(tmp_path / "t.parquet")
    frame = pd.read_parquet(tmp_path / "t.parquet")
    assert (frame["value"][0], frame["file"][0]) == (0.1 + 0.2, "=cmd.csv")
    # Where the package for it is not installed, that is said.
    monkeypatch.setitem(sys.modules, "pyarrow", None)
    for ending, words in ((".doc", "ends in .csv"), (".parquet", "pyarrow")):
        with pytest.raises(VettoreError, match=words):
            table.save(tmp_path / f"t{ending}")


def test_a_run_that_was_ended_goes_on(folder, monkeypatch):
    """What is done is kept, not done again, and the whole is that of a run in one go; other questions begin anew."""
    paths = sorted((folder / "runs").iterdir())
    asked = ReplayRequest(study_bytes(open_study(folder / "study.vettore")))
    output = folder / "t.csv"
    whole = go_on(asked, paths, 1, None, lambda done, failed: None)
    progress = Progress(output, key_of(asked))

    def end_at_seven(done, _failed):
        if done == 7:
            raise KeyboardInterrupt

    with pytest.raises(Ended) as ended:
        go_on(asked, paths, 1, progress, end_at_seven)
    progress.close(whole=False)
    assert ended.value.table.files == 7
    part = folder / "t.csv.part"
    part.write_text(part.read_text() + '{"file": "torn', encoding="utf-8")
    paths[1].write_text(paths[2].read_text())
    again = Progress(output, key_of(asked))
    # The one that has changed since, and the torn line, are not taken.
    assert len(again.done) == 6
    worked = []
    original = module.work
    monkeypatch.setattr(module, "work", lambda path: worked.append(path) or original(path))
    table = go_on(asked, paths, 1, again, lambda done, failed: None)
    assert len(worked) == 6
    for row in table:
        if row.file != str(paths[1]):
            assert repr(row) in set(map(repr, whole))
    assert table.files == 12
    again.close(whole=True)
    assert not part.exists()
    other = Progress(output, "another question")
    assert other.done == {}
    other.close(whole=True)


def test_reports_and_studies_of_each_file(folder):
    """One each beside the table, called after the file; two that would be one are refused before work begins."""
    asked = [
        "replay",
        str(folder / "study.vettore"),
        str(folder / "runs" / "run0[12].csv"),
        "-o",
        str(folder / "t.json"),
    ]
    with pytest.raises(SystemExit) as ended:
        main([*asked, "--reports", str(folder / "r"), "--as", "md", "--studies", str(folder / "s")])
    assert ended.value.code == 0
    assert sorted(path.name for path in (folder / "r").glob("*.md")) == ["run01.md", "run02.md"]
    made = open_study(folder / "s" / "run02.vettore")
    told = json.loads((folder / "t.json").read_text())["rows"]
    value = next(row["value"] for row in told if row["file"].endswith("run02.csv") and row["number"] == "k")
    assert derive_fit(made, "c2").result.coefficients["k"].value == value
    (folder / "other").mkdir()
    (folder / "other" / "run01.csv").write_text("a,b\n1,2\n")
    with pytest.raises(SystemExit) as ended:
        main([*asked[:3], str(folder / "other"), "--reports", str(folder / "r")])
    assert ended.value.code == 2


def test_which_files_are_meant(folder):
    """Folders hold data only, patterns are sorted, a list comes on standard input, each file once; nothing is said to be so."""
    runs = folder / "runs"
    (runs / "nothing").mkdir()
    (runs / "notes.doc").write_text("x")
    (runs / ".hidden.csv").write_text("x")
    assert len(list(files_of([str(runs)]))) == 12
    assert [path.name for path in files_of([str(runs / "run1*.csv"), str(runs / "run10.csv")])] == [
        "run10.csv",
        "run11.csv",
    ]
    assert [path.name for path in files_of(["-"], [f"{runs}/run02.csv\n", "\n", "gone.csv\n"])] == [
        "run02.csv",
        "gone.csv",
    ]
    with pytest.raises(VettoreError, match="No file matches"):
        list(files_of([str(runs / "x*.csv")]))
    with pytest.raises(VettoreError, match="holds no files of data"):
        list(files_of([str(runs / "nothing")]))


def test_the_first_failure_may_end_the_run(folder):
    """And by place a table of other names is taken, if that is asked for."""
    study, runs = str(folder / "study.vettore"), str(folder / "runs")
    with pytest.raises(SystemExit) as ended:
        main(["replay", study, runs, "-o", str(folder / "t.csv"), "--stop-at-first"])
    assert ended.value.code == 1
    assert len({row["file"] for row in csv.DictReader((folder / "t-unfinished.csv").read_text().splitlines())}) == 1
    assert not (folder / "t.csv").exists()
    placed = vettore.replay(study, [folder / "runs" / "run05.csv"], match="by-place")
    assert "depth is in m in the new data and in min in the study" in placed.failed[0].reason


def test_the_same_study_is_the_same_bytes(monkeypatch):
    """Whatever the clock says, so that a run that was ended knows its study again."""
    import time

    study = demo_study()
    first = study_bytes(study)
    monkeypatch.setattr(time, "time", lambda: 2_000_000_000.0)
    monkeypatch.setattr(time, "localtime", lambda *_: time.gmtime(2_000_000_000))
    assert study_bytes(study) == first
    assert study_bytes(study_from_bytes(first, "again")) == first


REPLAYING = """
import os, signal, sys, time, vettore.batch.replay as module
# A shell that runs the tests behind its prompt has Ctrl+C ignored by all below it.
signal.signal(signal.SIGINT, signal.default_int_handler)
from vettore.cli import main
original = module.work
def work(path):
    open(sys.argv[1], "a").write(path.name + chr(10))
    if os.environ.get("HANGS") and len(open(sys.argv[1]).readlines()) > 6:
        time.sleep(3600)
    return original(path)
module.work = work
main(["replay", *sys.argv[2:]])
"""


@pytest.mark.parametrize("how", ["SIGTERM", "SIGHUP", "SIGKILL", "SIGINT"])
def test_a_run_that_is_ended_from_outside_goes_on_and_reads_no_file_again(folder, how):
    """The table of the end is that of an unbroken run to the last byte; till then nothing stands under its name."""
    files = sorted((folder / "runs").iterdir())
    output, log = folder / "t.csv", folder / "log.txt"
    run_it = [sys.executable, "-c", REPLAYING, log, folder / "study.vettore", *files]
    subprocess.run([*run_it, "-o", folder / "whole.csv"], capture_output=True, check=False)
    log.unlink()
    # The seventh file takes an hour.
    ended = subprocess.Popen([*run_it, "-o", output], stderr=subprocess.PIPE, env={**os.environ, "HANGS": "yes"})
    part = folder / "t.csv.part"
    wait_for(lambda: log.exists() and log.read_text().count("\n") == 7)
    ended.send_signal(getattr(signal, how))
    ended.communicate()
    kept = [json.loads(line)["file"] for line in part.read_text().splitlines()[1:] if line.endswith("}")]
    assert not output.exists()
    before = log.read_text().splitlines()
    subprocess.run([*run_it, "-o", output], capture_output=True, check=False)
    again = log.read_text().splitlines()[len(before) :]
    assert len(kept) == 6
    assert not {Path(name).name for name in kept} & set(again)
    assert output.read_bytes() == (folder / "whole.csv").read_bytes()
    assert not part.exists()


def test_a_full_disk_ends_a_run_in_a_sentence(folder, monkeypatch):
    """What is done till then is there, and the run can go on."""
    paths = sorted((folder / "runs").iterdir())
    progress = Progress(folder / "t.csv", "q")

    def full(told):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(progress, "_write", full)
    with pytest.raises(Ended, match="No space left on device") as ended:
        go_on(
            ReplayRequest(study_bytes(open_study(folder / "study.vettore"))),
            paths,
            1,
            progress,
            lambda done, failed: None,
        )
    assert ended.value.table.files == 1
    progress.close(whole=False)
