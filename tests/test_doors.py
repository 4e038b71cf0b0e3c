"""Doors that are shut: reports run, fetch and attach nothing; a reader's death is a sentence; nobody's work is overwritten."""

import io
import os
import re
import zipfile
from dataclasses import replace
from datetime import date

import h5py
import msgspec
import numpy as np
import openpyxl
import pypdfium2
import pytest

from tests.made import files_in, packed
from vettore.demo.study import demo_study
from vettore.files.readers import read_data, read_file
from vettore.files.refusals import FileError
from vettore.files.study_file import study_bytes, study_from_bytes
from vettore.report.document import report_document
from vettore.report.renderers.html import html
from vettore.report.renderers.pdf import pdf
from vettore.report.renderers.printing import own_typeface
from vettore.study import edits
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table

DAY = date(2026, 6, 5)
EVIL = '</style><script>alert(1)</script><link rel="attachment" href="file:///etc/hostname"><img src="http://127.0.0.1:{port}/x">'


def mailed(**report):
    """The demo study as a file whose JSON somebody edited by hand."""
    files = files_in(study_bytes(demo_study()))
    record = msgspec.json.decode(files["study.json"])
    next(part for part in record["parts"] if part["kind"] == "report").update(report)
    return packed(files, record)


@pytest.mark.parametrize("field", ["paper", "decimal_mark"])
def test_a_value_that_a_study_cannot_have_is_refused_with_its_place(field):
    """What went raw into the style of a report is one of a few words, or the study is damaged."""
    with pytest.raises(FileError, match=rf"parts\[\d+\]\.{field}"):
        study_from_bytes(mailed(**{field: "A4; } body { display: none"}), "mailed.vettore")
    assert study_from_bytes(mailed(paper="Letter"), "mailed.vettore").report.paper == "Letter"


def test_a_malicious_study_runs_nothing_and_fetches_nothing(listener):
    """Every text that goes into a report is markup: none of it is live in HTML, nothing is called or attached in PDF."""
    port, calls = listener
    evil = EVIL.format(port=port)
    study = study_from_bytes(mailed(title=evil, note=evil), "mailed.vettore")
    series = study.series[0]
    aside = edits.set_rows_aside(replace(study, title=evil), series.id, [2], evil)
    for place in range(len(series.columns)):
        column = aside.series[0].columns[place]
        aside = edits.set_column(
            aside, series.id, place, replace(column, name=f"{column.name} {evil}", unit=evil[:40])
        )
    # A paper that came past the door is none, either.
    content = replace(report_document(aside, DAY), paper=f"A4; }} {evil}")
    page = html(content)
    assert "<script" not in page.casefold()
    assert "<link" not in page.casefold()
    assert "<img" not in page.casefold()
    assert page.count("</style>") == page.count("<style>") + page.count('<style type="text/css">')
    assert "default-src 'none'" in page
    document = pypdfium2.PdfDocument(pdf(content))
    assert document.count_attachments() == 0
    assert not calls


def test_the_writer_of_pdf_fetches_the_typefaces_and_nothing_else():
    """No address, no file of the machine, no way out of the folder."""
    from vettore.look.theme import FONT_FOLDER

    assert own_typeface((FONT_FOLDER / "Inter-Regular.otf").as_uri())
    for url in (
        "http://127.0.0.1/x",
        "file:///etc/passwd",
        f"{FONT_FOLDER.as_uri()}/../theme.py",
        "data:text/plain,x",
    ):
        with pytest.raises(ValueError, match="fetches nothing"):
            own_typeface(url)


def test_dollars_in_names_are_text(tmp_path):
    """A column called $x$ or $\\frac$ is drawn as it is written."""
    table = Table(
        (RawColumn("$\\frac$", "$", np.arange(8.0)), RawColumn("y $", "", np.arange(8.0) * 2 + 1)),
        Source("d", kind="typed"),
    )
    study = edits.add_series(Study(title="$"), table, "a $ b")
    study = edits.add_fit(study, study.series[0].id, 1)
    assert "<svg" in html(report_document(study, DAY))


def sheet(**cells):
    book = openpyxl.Workbook()
    for row in ((1, 2), (2, 4), (3, 6)):
        book.active.append(row)
    for place, value in cells.items():
        book.active[place] = value
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def declared(data, count):
    """A workbook whose shared strings are said to be very many."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(out, "w") as new:
        for name in old.namelist():
            content = old.read(name)
            if name.endswith("sharedStrings.xml"):
                content = re.sub(rb'(count|uniqueCount)="\d+"', rb'\1="%d"' % count, content)
            new.writestr(name, content)
    return out.getvalue()


@pytest.mark.parametrize(
    "data",
    [
        sheet(XFD1048576=1),
        sheet(A1048576="x", XFD1="y"),
        declared(sheet(C1="words"), 2**32 - 1),
        b"PK\3\4" + bytes(400),
    ],
    ids=["far corner", "two far edges", "four billion strings", "no archive"],
)
def test_a_spreadsheet_that_eats_memory_is_a_sentence_or_its_numbers(data):
    """The program lives on, whatever a workbook declares."""
    try:
        tables = read_data(data, "odd.xlsx")
    except FileError as error:
        assert "odd.xlsx" in str(error)
        return
    assert tables[0][1].columns[0].values[:3].tolist() == [1, 2, 3]


def test_hdf5_shows_nothing_of_other_files(tmp_path):
    """External storage, virtual datasets and links into other files are refused by name."""
    secret = tmp_path / "secret.bin"
    secret.write_bytes(np.arange(4.0).tobytes())
    with h5py.File(tmp_path / "other.h5", "w") as file:
        file["v"] = np.arange(4.0)
    with h5py.File(tmp_path / "external.h5", "w") as file:
        file.create_dataset("a", (4,), "f8", external=[(str(secret), 0, 32)])
    layout = h5py.VirtualLayout((4,), "f8")
    layout[:] = h5py.VirtualSource(str(tmp_path / "other.h5"), "v", (4,))
    with h5py.File(tmp_path / "virtual.h5", "w") as file:
        file.create_virtual_dataset("b", layout)
    with h5py.File(tmp_path / "linked.h5", "w") as file:
        file["c"] = h5py.ExternalLink(str(tmp_path / "other.h5"), "v")
    for name, part in (("external", "a"), ("virtual", "b"), ("linked", "c")):
        with pytest.raises(FileError, match=f"takes {part} from other files"):
            read_file(tmp_path / f"{name}.h5")
    assert read_file(tmp_path / "other.h5")[0].table.rows == 4


@pytest.mark.parametrize("length", [140_000, 1_000_000])
def test_a_long_cell_that_was_saved_can_be_opened(length):
    """Whatever a reader took, the study file gives back."""
    table = read_data(f't,y,note\n1,2,"{"a" * length}"\n2,3,b\n'.encode(), "long.csv")[0][1]
    study = edits.add_series(Study(title="long"), table, "long")
    again = study_from_bytes(study_bytes(study), "long.vettore")
    assert again.series[0].table.columns[2].texts == table.columns[2].texts


def test_a_doubt_is_kept_in_the_study():
    """The other reading of grouped digits is there after the study was opened again."""
    table = read_data(b't,y\n1,"1,234"\n2,7\n3,"5,678"\n', "a.csv")[0][1]
    study = edits.add_series(Study(title="a"), table, "a")
    again = study_from_bytes(study_bytes(study), "a.vettore").series[0].table.columns[1]
    assert again.doubt == table.columns[1].doubt is not None


def test_a_name_that_is_not_utf8_is_read_and_saved(tmp_path):
    """A file from another system: its numbers come in, with a name that can be shown, and the study can be saved."""
    path = os.fsencode(tmp_path) + b"/caf\xe9.csv"
    with open(path, "wb") as file:
        file.write(b"t,y\n1,2\n2,3\n")
    from pathlib import Path

    offer = read_file(Path(os.fsdecode(path)))[0]
    offer.name.encode("utf-8")
    offer.table.source.path.encode("utf-8")
    study = edits.add_series(Study(title="a"), offer.table, offer.name)
    assert study_from_bytes(study_bytes(study), "a.vettore").series[0].name == offer.name
    with pytest.raises(FileError) as refusal:
        read_file(Path(os.fsdecode(os.fsencode(tmp_path) + b"/gone\xe9.csv")))
    str(refusal.value).encode("utf-8")
