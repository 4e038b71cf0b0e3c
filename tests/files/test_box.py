"""Foreign files are read in a process of their own: hostile and odd ones are refused in a sentence, soon, and can be given up."""

import io
import json
import os
import threading
import zipfile

import h5py
import numpy as np
import pytest
from odf import table as odf
from odf.opendocument import OpenDocumentSpreadsheet

from tests.made import files_in, npy, packed
from tests.waiting import wait_for
from vettore.files import box
from vettore.files.box import give_up, tables_in_a_box
from vettore.files.clipboard import html_grid
from vettore.files.readers import read_data, read_file
from vettore.files.refusals import FileError
from vettore.files.study_file import study_bytes, study_from_bytes
from vettore.study import edits
from vettore.study.study import Study


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


def archive(**members):
    """A zip archive of members, each as it is, or so many zero bytes."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archived:
        for name, content in members.items():
            archived.writestr(name.replace("__", "."), content if isinstance(content, bytes) else bytes(content))
    return out.getvalue()


def repeated(rows, columns):
    """A spreadsheet of one cell that says it is repeated."""
    book, table, row = OpenDocumentSpreadsheet(), odf.Table(name="a"), odf.TableRow(numberrowsrepeated=rows)
    row.addElement(odf.TableCell(valuetype="float", value="1", numbercolumnsrepeated=columns))
    table.addElement(row)
    book.spreadsheet.addElement(table)
    out = io.BytesIO()
    book.write(out)
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
    "bomb.npz": (bomb, "would unpack to"),
    "damaged.npz": (b"PK\x03\x04" + b"\x00" * 60, "damaged"),
    "no-array.npz": (b"\x93NUMPY\x01\x00", "cannot be read as NumPy"),
    "null.h5": (hdf5(lambda file: file.create_dataset("n", data=h5py.Empty("f8"))), "no dataset of numbers"),
    "cut.h5": (hdf5(lambda file: file.create_dataset("x", data=np.arange(500.0)))[:900], "damaged"),
    "cut.xlsx": (b"PK\x03\x04cut", "damaged"),
    "negative.xlsx": (b"PK\x05\x06" + bytes(8) + b"\xff" * 10, "damaged"),
    "bomb.ods": (lambda: archive(content__xml=300_000_000), "would unpack to"),
    "rows.ods": (lambda: repeated(1_000_000, 1000), "rows.ods"),
    "members.npz": (archive(a__npy=b"no array", b__txt=b"hi"), "no array of numbers"),
    "opaque.h5": (hdf5(lambda file: file.create_dataset("o", data=[np.void(b"abcd")] * 4)), "no dataset of numbers"),
    "unclosed-mark.html": (b"<html><![ <p>" * 50, "no table"),
    "cut.csv.gz": (b"\x1f\x8b\x08" + bytes(6) + b"\x03abc", "cannot be unpacked"),
}


@pytest.mark.parametrize("name", HOSTILE)
def test_a_hostile_file_is_refused_in_a_sentence(name):
    """Whatever it claims to hold."""
    data, words = HOSTILE[name]
    # What is large is made when it is needed.
    data = data() if callable(data) else data
    with pytest.raises(FileError, match=words) as refused:
        read_data(data, name)
    assert str(refused.value).endswith(".")


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


def test_what_is_only_odd_is_read():
    """Names and units that are not UTF-8, links to nothing, fields of several numbers, marks out of place, open quotes."""

    def odd(file):
        file.create_dataset(b"caf\xe9", data=np.arange(5.0)).attrs["units"] = np.bytes_(b"\xb5g")
        file["gone"] = h5py.SoftLink("/nowhere")
        file["y"] = np.arange(5.0) ** 2
        file["y"].attrs["units"] = np.void(b"opaque")

    ((_, table),) = read_data(hdf5(odd), "odd.h5")
    assert (table.columns[0].name, table.columns[0].unit) == ("caf�", "�g")
    assert table.columns[1].values.tolist() == [0, 1, 4, 9, 16]
    records = np.array([(1.0, (2.0, 3.0))] * 6, dtype=[("t", "f8"), ("xy", "f8", (2,))])
    ((_, table),) = read_data(npy(records), "records.npy")
    assert [(column.name, column.values[5]) for column in table.columns] == [("t", 1), ("xy 1", 2), ("xy 2", 3)]
    marked = b"<table><![if x]><tr><td>1</td><td>2</td></tr><tr><td>2</td><td>3</td></tr></table>"
    assert read_data(marked, "marked.html")[0][1].rows == 2
    ((_, table),) = read_data(b't,y,note\n1,2,"open\n' + b"2,3,x\n" * 50_000, "quote.csv")
    study = edits.add_series(Study(), table, "a")
    again = study_from_bytes(study_bytes(study), "a.vettore").series[0].table
    assert again.rows == 50_001
    assert again.columns[2].texts == table.columns[2].texts


def test_studies_that_unpack_or_depend_without_end_are_refused_or_worked_out(monkeypatch):
    """A bomb, a sort of a row that is not there, and 3,000 columns each worked out from the one before."""
    study = edits.add_series(Study(), read_data(b"t,y\n1,2\n2,3\n3,5\n", "a.csv")[0][1], "a")
    files = files_in(study_bytes(study))
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archived, archived.open("d", "w") as file:
        file.write(bytes(30_000_000))
    monkeypatch.setattr("vettore.files.study_file.MOST_UNPACKED", 20_000_000)
    with pytest.raises(FileError, match="would unpack to"):
        study_from_bytes(out.getvalue(), "bomb.vettore")
    record = json.loads(files["study.json"])
    column = record["parts"][0]["columns"][1]
    chain = [
        {**column, "name": f"c{n}", "raw": None, "formula": f"{'y' if not n else f'c{n - 1}'} + 1"}
        for n in range(3000)
    ]
    for change, check in (
        ({"sort": [-99, True]}, None),
        ({"columns": [*record["parts"][0]["columns"], *chain]}, 3005.0),
    ):
        odd = {**record, "parts": [{**record["parts"][0], **change}]}
        content = packed(files, odd)
        if check is None:
            with pytest.raises(FileError, match="does not fit its data"):
                study_from_bytes(content, "odd.vettore")
        else:
            last = study_from_bytes(content, "odd.vettore").series[0].data[-1]
            assert last.values[2] == check


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
    wait_for(lambda: box._children._running)
    assert give_up() == 1
    thread.join()
    assert said == ["Reading “slow.json” was given up."]
    assert give_up() == 0


def test_a_cell_that_spans_no_number_spans_one():
    """A raised 2 is a digit, and no number."""
    rows = "".join(f"<tr><td colspan=²>{n}</td><td>{n * n}</td></tr>" for n in range(3))
    (_, table) = read_data(f"<table>{rows}</table>".encode(), "spanned.html")[0]
    assert [column.values.tolist() for column in table.columns] == [[0, 1, 2], [0, 1, 4]]


def test_a_cell_that_spans_columns_takes_their_places():
    rows = "<tr><th colspan=2>where</th><th>y</th></tr><tr><td>1</td><td>2</td><td>3</td></tr>"
    assert html_grid(f"<table>{rows}</table>", "pasted")[0] == ["where", "", "y"]
    rows = "<tr><td>1</td><td colspan='3'>2</td><td>5</td></tr>"
    assert html_grid(f"<table>{rows}</table>", "pasted") == [["1", "2", "", "", "5"]]
