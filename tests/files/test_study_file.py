"""The study file brings back every bit, is written whole or not at all, and refuses what is damaged."""

import io
import json
import os
import signal
import subprocess
import sys
import time
import zipfile
from dataclasses import fields, replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.made import files_in, packed
from vettore.demo.study import demo_study
from vettore.files.readers import read_file
from vettore.files.refusals import FileError
from vettore.files.study_file import open_study, path_from, save_study, study_bytes, study_from_bytes
from vettore.study import edits, parts
from vettore.study.derive import derive_fit
from vettore.study.series import CellEdit, ErrorKind, ErrorOfY, SetAside
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table


def same(first, second):
    assert (first.title, first.counter, first.curves, first.readings, first.report) == (
        second.title,
        second.counter,
        second.curves,
        second.readings,
        second.report,
    )
    for one, other in zip(first.series, second.series, strict=True):
        assert (one.id, one.name, one.columns, one.set_aside) == (
            other.id,
            other.name,
            other.columns,
            other.set_aside,
        )
        # The path of a file is kept only as seen from the study.
        assert replace(one.table.source, path="") == replace(other.table.source, path="")
        for a, b in zip(one.table.columns, other.table.columns, strict=True):
            assert (a.name, a.unit, dict(a.words), a.texts, a.places) == (
                b.name,
                b.unit,
                dict(b.words),
                b.texts,
                b.places,
            )
            np.testing.assert_array_equal(a.values, b.values)


numbers = st.lists(st.floats(width=64), min_size=3, max_size=3)
texts = st.lists(st.text(st.characters(codec="utf-8"), max_size=8), min_size=3, max_size=3)


@settings(max_examples=60)
@given(numbers, numbers, texts, st.text(st.characters(codec="utf-8"), max_size=12))
def test_any_study_reads_back_equal(a, b, words, name):
    """Numbers keep their bits, text keeps its characters, words among numbers stay words."""
    b = np.array(b)
    b[1] = np.nan
    columns = (
        RawColumn("a", name, np.array(a)),
        RawColumn(name, "m", b, {1: words[0] or "n/a"}, places=3),
        RawColumn("note", "", np.full(3, np.nan), texts=tuple(words)),
    )
    study = edits.add_series(Study(title=name), Table(columns, Source(name, notes=(name,))), name)
    study = edits.set_rows_aside(study, "s1", [2], name)
    same(study, study_from_bytes(study_bytes(study), "f"))


def test_the_demo_study_gives_the_same_fit_after_a_round_trip(tmp_path):
    """A saved study derives the same numbers to the last digit."""
    study = demo_study()
    save_study(study, tmp_path / "reedbed.vettore")
    again = open_study(tmp_path / "reedbed.vettore")
    same(study, again)
    for curve in study.curves:
        assert derive_fit(study, curve.id).result.values == derive_fit(again, curve.id).result.values


def test_what_is_no_study_is_refused_in_a_sentence(tmp_path):
    """Text, other archives, cut-off files, newer formats and broken recipes are told apart from studies."""
    good = study_bytes(demo_study())
    other, newer, broken = tmp_path / "other.zip", tmp_path / "newer.zip", tmp_path / "broken.zip"
    for path, text in ((other, None), (newer, '{"format": 99}'), (broken, '{"format": 1, "title": 7}')):
        with zipfile.ZipFile(path, "w") as archive:
            archive.writestr("study.json" if text else "hello.txt", text or "hello")
    cases = [
        (b"time,level", "is not a Vettore study"),
        (other.read_bytes(), "is not a Vettore study"),
        (good[: len(good) // 2], "is not a Vettore study"),
        (newer.read_bytes(), "newer Vettore"),
        (broken.read_bytes(), "damaged"),
    ]
    for data, words in cases:
        with pytest.raises(FileError, match=words):
            study_from_bytes(data, "odd.vettore")
    with pytest.raises(FileError, match="could not be saved"):
        save_study(Study(), tmp_path / "nowhere" / "a.vettore")


def _spoilt(change, data=None):
    """The demo study with its JSON changed, and the data of its first series."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(study_bytes(demo_study()))) as old, zipfile.ZipFile(out, "w") as new:
        for name in old.namelist():
            content = old.read(name)
            if name == "study.json":
                told = json.loads(content)
                change(told["parts"][0])
                content = json.dumps(told).encode()
            elif data is not None and name == "data/s1.csv":
                content = data(content)
            new.writestr(name, content)
    return out.getvalue()


def nothing(_part):
    pass


@pytest.mark.parametrize(
    ("change", "data", "words"),
    [
        (nothing, lambda text: text.rsplit(b"\n", 2)[0] + b"\n", "are not the 18 rows they should be"),
        (nothing, lambda text: text.rstrip(b"\n") + b",7\n", "are not the 18 rows they should be"),
        (lambda part: part["columns"][1].update(raw=3), None, "the recipe of Nitrate probe does not fit its data"),
        (lambda part: part["columns"][1].update(raw=-1), None, "the recipe of Nitrate probe does not fit its data"),
        (lambda part: part["set_aside"].append({"row": 18, "reason": ""}), None, "does not fit its data"),
        (lambda part: part["edits"].append({"row": 0, "raw": 3, "text": "1"}), None, "does not fit its data"),
        (lambda part: part["edits"].append({"row": -1, "raw": 0, "text": "1"}), None, "does not fit its data"),
    ],
)
def test_data_and_recipe_that_do_not_fit_are_told(change, data, words):
    """A row or a cell too few or too many, and rows and columns that are not there; what fits opens."""
    with pytest.raises(FileError, match=words):
        study_from_bytes(_spoilt(change, data), "odd.vettore")
    last = _spoilt(
        lambda part: (part["columns"][1].update(raw=2), part["edits"].append({"row": 17, "raw": 2, "text": "1"}))
    )
    assert study_from_bytes(last, "fine.vettore").series[0].rows == 18


KILLED = """
import sys
from vettore.demo.study import demo_study
from vettore.files.study_file import save_study
from vettore.study.edits import set_title
study, path = demo_study(), sys.argv[1]
for number in range(10_000):
    save_study(set_title(study, f"version {number}"), path)
    if number == 0:
        print("ready", flush=True)
"""


def test_a_kill_during_a_save_leaves_a_whole_study(tmp_path):
    """After SIGKILL at any moment the file is one of the versions, complete."""
    path = tmp_path / "kept.vettore"
    for delay in (0.0, 0.003, 0.011, 0.02, 0.05):
        process = subprocess.Popen([sys.executable, "-c", KILLED, str(path)], stdout=subprocess.PIPE)
        assert process.stdout.readline() == b"ready\n"
        time.sleep(delay)
        os.kill(process.pid, signal.SIGKILL)
        process.wait()
        process.stdout.close()
        study = open_study(path)
        assert study.title.startswith("version ")
        assert len(study.series) == len(demo_study().series)


def test_the_format_that_is_written_and_the_next_one():
    """What is written says 5; a 6 is from a newer program, and refused; a 0 never was."""
    data = study_bytes(demo_study())
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        content = json.loads(archive.read("study.json"))
        names = archive.read("data/s1.csv").decode().splitlines()[0]
    assert content["format"] == 5
    assert names.startswith("nitrate (µg/L),") or "(" in names
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("study.json", json.dumps({**content, "format": 6}))
    with pytest.raises(FileError, match=r"newer Vettore \(format 6\)"):
        study_from_bytes(out.getvalue(), "next.vettore")
    for version in (0, -3):
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w") as archive:
            archive.writestr("study.json", json.dumps({**content, "format": version}))
        with pytest.raises(FileError, match="never was"):
            study_from_bytes(out.getvalue(), "none.vettore")


def test_every_decision_about_a_series_is_kept():
    """Roles, units, rows set aside, cells typed over, where the ± comes from, order, colour and truth: none is lost."""
    study = demo_study()
    series = study.series[2]
    decided = series.changed(
        name="renamed",
        set_aside=(SetAside(2, "ice"), SetAside(5, "")),
        edits=(CellEdit(1, 1, "7,5"),),
        error_of_y=ErrorOfY(ErrorKind.PERCENT, 3.0),
        sort=(1, True),
        colour=4,
        truth="y = 2*x",
        columns=tuple(reversed(series.columns)),
    )
    again = study_from_bytes(study_bytes(parts.change(study, decided)), "a.vettore").find_series(series.id)
    for field in fields(decided):
        if field.name != "table":
            assert getattr(again, field.name) == getattr(decided, field.name), field.name
            assert field.name == "id" or getattr(decided, field.name) != getattr(series, field.name), field.name
    np.testing.assert_array_equal(again.sigma, decided.sigma)
    assert again.table.key == decided.table.key


def test_a_study_tells_nobody_how_the_machine_is_laid_out(tmp_path):
    """The path of a file is kept as seen from the study, found again from there, and left out where it lies elsewhere."""
    home = tmp_path / "ada"
    (home / "data").mkdir(parents=True)
    (home / "data" / "a.csv").write_text("t,y\n1,2\n2,3\n")
    offer = read_file(home / "data" / "a.csv")[0]
    study = edits.add_series(Study(), offer.table, offer.name)
    save_study(study, home / "a.vettore")
    assert b"ada" not in record_in((home / "a.vettore").read_bytes())
    assert open_study(home / "a.vettore").series[0].table.source.path == str(home / "data" / "a.csv")
    home.rename(tmp_path / "grace")
    assert open_study(tmp_path / "grace" / "a.vettore").series[0].table.source.path == str(
        tmp_path / "grace" / "data" / "a.csv"
    )
    assert record_in(study_bytes(study)).count(b'"path": ""') == 1
    for folder, path, kept in (
        ("/home/ada/studies", "/home/ada/data/a.csv", "../data/a.csv"),
        ("/home/ada", "/home/grace/a.csv", ""),
        ("/home/ada", "/mnt/lab/a.csv", ""),
        ("/mnt/lab/x", "/mnt/lab/y/a.csv", "../y/a.csv"),
        ("/data", "/data/b/a.csv", "b/a.csv"),
        ("/home/ada", "", ""),
    ):
        assert path_from(Path(folder), path) == kept


def record_in(data):
    return files_in(data)["study.json"]


def test_decisions_about_the_first_row_and_the_first_column_are_kept():
    """Places count from 0, and the first is one."""
    table = Table((RawColumn("a", "", np.array([3.0, 1.0])), RawColumn("b", "", np.array([1.0, 2.0]))), Source("t"))
    study = edits.add_series(Study(), table, "t")
    study = edits.set_rows_aside(edits.set_cell(study, "s1", 0, 0, "7"), "s1", [0], "why")
    study = edits.sort_rows(study, "s1", 0, True)
    again = study_from_bytes(study_bytes(study), "a.vettore").series[0]
    assert (again.reason(0), again.data[0].values[0], again.sort) == ("why", 7.0, (0, True))


@pytest.mark.parametrize(
    ("where", "value"), [("set_aside", 2), ("set_aside", -1), ("edits", 2), ("sort", 2), ("raw", 2)]
)
def test_decisions_about_rows_and_columns_that_are_not_there_are_refused(where, value):
    """With the name of the series."""
    table = Table((RawColumn("a", "", np.array([3.0, 1.0])), RawColumn("b", "", np.array([1.0, 2.0]))), Source("t"))
    files = files_in(study_bytes(edits.add_series(Study(), table, "probe")))
    record = json.loads(files["study.json"])
    series = record["parts"][0]
    if where == "sort":
        series["sort"] = [value, True]
    elif where == "raw":
        series["columns"][0]["raw"] = value
    else:
        series[where] = [{"row": value, "reason": "", "raw": 0, "text": "1"}]
    with pytest.raises(FileError, match="the recipe of probe does not fit its data"):
        study_from_bytes(packed(files, record), "a.vettore")
