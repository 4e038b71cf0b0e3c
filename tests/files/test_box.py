"""Foreign files are read in a process of their own: hostile and odd ones are refused in a sentence, soon, and can be given up."""

import io
import json
import os
import threading
import time
import zipfile

import h5py
import numpy as np
import pytest

from vettore.files import box
from vettore.files.box import give_up, tables_in_a_box
from vettore.files.readers import read_data, read_file
from vettore.files.refusals import FileError


def hdf5(make):
    out = io.BytesIO()
    with h5py.File(out, "w", track_order=True) as file:
        make(file)
    return out.getvalue()


def huge(file):
    for number in range(40):
        file.create_dataset(f"d{number}", shape=(10**9,), dtype="f8", chunks=(1000,))


def deep(file):
    group = file
    for _ in range(300):
        group = group.create_group("g")
    group["x"] = np.arange(5.0)


def bomb():
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("x.npy", b"\0" * 100_000_000)
    return out.getvalue()


SPECTRUM = "##TITLE=x\n##JCAMP-DX=4.24\n##XUNITS=1/CM\n##YUNITS=A\n##FIRSTX=1\n##LASTX=2\n##NPOINTS={}\n##XYDATA=(X++(Y..Y))\n"
HOSTILE = {
    "repeats.jdx": (
        (SPECTRUM.format(9) + "1 A" + "Z9999999999" * 50 + "\n##END=\n").encode(),
        "repeats values to more than",
    ),
    "points.jdx": ((SPECTRUM.format("1e400") + "1 2 3\n##END=\n").encode(), "points.jdx"),
    "unclosed.html": (b"<table>" + b"<tr><td>" * 20_000, "no table of numbers"),
    "huge.h5": (hdf5(huge), "declares more than 50,000,000 numbers"),
    "deep.h5": (hdf5(deep), "deeper than 50"),
    "keys.json": (json.dumps([{f"k{n}": n} for n in range(30_000)]).encode(), "columns; the most is"),
    "nested.json": (b"[" * 100_000 + b"]" * 100_000, "not valid JSON"),
    "bomb.npz": (bomb(), "would unpack to"),
    "damaged.npz": (b"PK\x03\x04" + b"\x00" * 60, "damaged"),
    "no-array.npz": (b"\x93NUMPY\x01\x00", "cannot be read as NumPy"),
    "null.h5": (hdf5(lambda file: file.create_dataset("n", data=h5py.Empty("f8"))), "no dataset of numbers"),
    "cut.h5": (hdf5(lambda file: file.create_dataset("x", data=np.arange(500.0)))[:900], "damaged"),
    "cut.xlsx": (b"PK\x03\x04cut", "damaged"),
}


@pytest.mark.parametrize("name", HOSTILE)
def test_a_hostile_file_is_refused_in_a_sentence(name):
    """Whatever it claims to hold; and soon."""
    data, words = HOSTILE[name]
    begun = time.monotonic()
    with pytest.raises(FileError, match=words) as refused:
        read_data(data, name)
    assert str(refused.value).endswith(".")
    assert time.monotonic() - begun < 20


def test_pipes_and_devices_are_not_waited_for(tmp_path):
    """They are refused before they are opened."""
    os.mkfifo(tmp_path / "pipe.csv")
    for path in (tmp_path / "pipe.csv", "/dev/zero"):
        with pytest.raises(FileError, match="a pipe or a device"):
            read_file(path)


def test_a_table_comes_out_of_the_box_as_it_is():
    """Numbers to the last bit, words, texts, units, doubts and the digest, as a reader in this process gives them."""
    data = json.dumps(
        {"t (s)": [0.1, 0.2, None, 1 / 3], "y": ["1", "n/a", "3", "4"], "note": ["a", "", "ß", "d"]},
        ensure_ascii=False,
    ).encode()
    inside = box.answer_to(data, "a.json", "/somewhere/a.json").tables[0]
    (_, table) = tables_in_a_box(data, "a.json", "/somewhere/a.json")[0]
    assert [column.name for column in table.columns] == ["t", "y", "note"]
    for column, record in zip(table.columns, inside.columns, strict=True):
        assert column.values.tobytes() == record.values
        assert (column.unit, column.texts and list(column.texts)) == (record.unit, record.texts)
    assert table.columns[1].words == {1: "n/a"}
    assert table.source.path == "/somewhere/a.json"
    assert len(table.source.digest) == 64


def test_datasets_keep_their_order_and_all_are_offered():
    """Those of one length are a table each; the order is that in which they were made."""

    def make(file):
        for name, count in (("z", 4), ("a", 4), ("m", 7)):
            file[name] = np.arange(float(count))

    tables = read_data(hdf5(make), "made.h5")
    assert [[column.name for column in table.columns] for _, table in tables] == [["z", "a"], ["row", "m"]]


def test_a_child_that_breaks_down_is_a_sentence(monkeypatch):
    """Killed, or out of memory, or talking without end, or longer at it than it may be."""
    sleeper = "import time; time.sleep(30)"
    for program, words in (
        ("import os, signal; os.kill(os.getpid(), signal.SIGSEGV)", "broke down over it"),
        ("print('no table')", "gave no table"),
        ("import sys; sys.stdout.write('x' * 10_000_000)", "unpacks to more than"),
        (sleeper, "took longer than"),
    ):
        monkeypatch.setattr(box, "COMMAND", ("-c", program))
        monkeypatch.setattr(box, "MOST_ANSWER", 5_000_000)
        monkeypatch.setattr(box, "MOST_SECONDS", 1.0 if program == sleeper else 60)
        with pytest.raises(FileError, match=words):
            tables_in_a_box(b"{}" + b" " * 3_000_000, "a.json")


def test_a_reading_can_be_given_up(monkeypatch):
    """From another thread, at once; nothing is left running."""
    monkeypatch.setattr(box, "COMMAND", ("-c", "import time; time.sleep(60)"))
    said = []

    def read():
        try:
            tables_in_a_box(b"{}", "slow.json")
        except FileError as error:
            said.append(str(error))

    thread = threading.Thread(target=read)
    thread.start()
    while not box._children._running:
        time.sleep(0.01)
    assert give_up() == 1
    thread.join(10)
    assert said == ["Reading “slow.json” was given up."]
    assert give_up() == 0


def test_a_cell_that_spans_no_number_spans_one():
    """A raised 2 is a digit, and no number."""
    rows = "".join(f"<tr><td colspan=²>{n}</td><td>{n * n}</td></tr>" for n in range(3))
    (_, table) = read_data(f"<table>{rows}</table>".encode(), "spanned.html")[0]
    assert [column.values.tolist() for column in table.columns] == [[0, 1, 2], [0, 1, 4]]
