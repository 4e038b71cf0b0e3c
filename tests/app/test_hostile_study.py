"""A study in which somebody put markup, scripts, addresses and very long texts into every field that takes any."""

import re
from datetime import date

import msgspec
import pypdfium2
import pytest

from tests.made import files_in, packed
from tests.waiting import wait_for
from vettore.app.pages.listed import PAGES
from vettore.demo.study import demo_study
from vettore.files.readers import read_data
from vettore.files.refusals import FileError
from vettore.files.study_file import study_bytes, study_from_bytes
from vettore.report.document import report_document
from vettore.report.renderers.html import html
from vettore.report.renderers.pdf import pdf
from vettore.report.sections.listed import SECTIONS
from vettore.study import edits
from vettore.study.table import LONGEST_NAME

EVIL = (
    '</style><script>alert(1)</script><img src="http://127.0.0.1:{port}/x"><link rel="attachment" href="file:///etc/hosts">'
    "<a href='javascript:x'>{{{{7*7}}}}</a> $\\frac$ \\input{{/etc/passwd}} "
)


def places(value, path=()):
    """Return where the texts of a record are."""
    if isinstance(value, str):
        yield path
    items = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, inner in items:
        yield from places(inner, (*path, key))


def put(record, path, text):
    """Put a text at its place, and return what stood there."""
    for key in path[:-1]:
        record = record[key]
    kept, record[path[-1]] = record[path[-1]], text
    return kept


@pytest.fixture(scope="module")
def demo():
    """The files of the demo study, its record, and the places of the texts that anybody may choose, and may not."""
    files = files_in(study_bytes(demo_study()))
    record, free, refused = msgspec.json.decode(files["study.json"]), [], []
    for path in list(places(record)):
        kept = put(record, path, EVIL)
        try:
            study_from_bytes(packed(files, record), "mailed.vettore")
            free.append(path)
        except FileError as error:
            assert len(str(error)) < 1000
            put(record, path, kept)
            refused.append(path[-1])
    return files, record, free, refused


@pytest.mark.parametrize("more", [0, 20_000], ids=["markup", "markup and 20,000 characters"])
def test_every_field_poisoned_and_every_page_shown(window, settled, qtbot, tmp_path, listener, demo, more, capsys):
    """Words, ids and references are refused; all else is text: shown on each page, printed, and nothing is fetched or run."""
    port, calls = listener
    files, record, free, refused = demo
    for place in free:
        put(record, place, EVIL.format(port=port) + "x" * more)
    assert {"kind", "id", "role", "data", "elapsed", "paper", "decimal_mark"} <= set(refused)
    assert not {"title", "note", "unit", "reason", "truth"} & set(refused)
    path = tmp_path / "mailed.vettore"
    path.write_bytes(packed(files, record))
    window.open_paths([path])
    wait_for(lambda: window.session.path == path)
    for entry in PAGES:
        window.show_page(entry.name)
        if entry.name == "Report":
            few = tuple(section.key for section in SECTIONS if section.key != "goodness")
            report = window.session.study.report.changed(left_out=few)
            window.session.do("short", edits.set_report(window.session.study, report))
        settled()
        assert (window.width(), window.height()) == (1280, 800)
        window.grab()
    title = window.pages["Fit"].plot.lower.getAxis("bottom").label.toPlainText()
    assert title.startswith("</style><script>")
    study = study_from_bytes(study_bytes(window.session.study), "again.vettore")
    assert all(len(column.name) <= LONGEST_NAME for series in study.series for column in series.columns)
    if not more:
        study = edits.set_report(study, study.report.changed(left_out=()))
    content = report_document(study, date(2026, 6, 5))
    page = html(content)
    assert not re.search(r"<script|<link|<img|<iframe", page, re.IGNORECASE)
    if not more:
        document = pypdfium2.PdfDocument(pdf(content))
        assert document.count_attachments() == 0
    assert not calls
    assert "Traceback" not in capsys.readouterr().err


def test_a_name_far_longer_than_names_are_is_shortened_and_said_to_be():
    """Two that begin alike stay two."""
    table = read_data(f"t,{'a' * 5000},{'a' * 5001}\n1,2,3\n2,3,4\n3,5,6\n".encode(), "long.csv")[0][1]
    names = [column.name for column in table.columns]
    assert len(set(names)) == 3
    assert max(map(len, names)) < 1010
    assert table.source.notes[-2:] == (
        "The name or unit of column 2 had 5,000 characters and was shortened.",
        "The name or unit of column 3 had 5,001 characters and was shortened.",
    )
