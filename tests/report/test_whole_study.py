"""A report of a whole study, and what its files carry: numbers in full, tags, names of pictures, the study itself."""

import base64
import io
import itertools
import re
import zlib

import numpy as np
import openpyxl
import pypdfium2
import pytest

from vettore.core.errors import DataError
from vettore.core.rounding import NumberStyle
from vettore.demo.study import demo_study
from vettore.files.study_file import study_bytes, study_from_bytes
from vettore.report import blocks
from vettore.report.blocks import Attachment
from vettore.report.document import report_document
from vettore.report.figures.listed import study_figure
from vettore.report.renderers.html import html
from vettore.report.renderers.pdf import pdf
from vettore.report.renderers.xlsx import xlsx
from vettore.report.save import save_report
from vettore.study import edits, parts
from vettore.study.derive import derive_fit
from vettore.study.figures import figure_of, set_figure, with_look
from vettore.study.kinds.figure import FigureRecipe, Note
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table


def made(x, y, name="made", formula=None):
    """A study of one series, fitted by a formula if there is one."""
    table = Table((RawColumn("dose", "nmol/L", x), RawColumn("answer", "mV", y)), Source(name))
    study = edits.add_series(Study(title="Made"), table, name)
    return edits.add_formula(study, "s1", formula) if formula else study


def whole(study):
    return edits.set_report(study, study.report.changed(fits="all"))


def few():
    """The demo study with its two fits and one series more."""
    study = demo_study()
    fitted = {curve.series for curve in study.curves}
    for series in [series for series in study.series if series.id not in fitted][1:]:
        study = edits.remove_series(study, series.id)
    return study


def test_a_study_without_a_fit_has_a_report():
    """Its series in a table and each as a figure; an empty study is refused in a sentence."""
    study = edits.set_rows_aside(made(np.arange(9.0), np.arange(9.0) ** 2), "s1", [4], "spilt")
    document = report_document(study)
    assert document.title == "Made"
    table, figure = document.section("series").blocks
    assert table.rows == (("made", blocks.Number("8", 8), "dose (nmol/L)", "answer (mV)", "made"),)
    assert figure.caption == "Figure 1. made, as measured. Open discs are set aside: row 5."
    assert figure.draw("svg").startswith(b"<svg")
    with pytest.raises(DataError, match="study is empty"):
        report_document(Study())


def test_a_report_of_all_fits_has_a_chapter_for_each():
    """And one about the study; figures and tables are numbered through; a fit without an answer says why."""
    study = whole(demo_study())
    study = edits.add_formula(study, study.curves[0].series, "signal = sqrt(-1 - abs(a))")
    document = report_document(study)
    titles = [chapter.title for chapter in document.chapters]
    assert titles[:2] == ["Straight line: Nitrate probe", "Quadratic: Stage–discharge rating"]
    assert titles[3] == "The study"
    assert len(document.chapters[2].sections) == 1
    figures = [block for part in document.sections for block in part.blocks if isinstance(block, blocks.Figure)]
    assert [figure.caption.split(".")[0] for figure in figures] == [f"Figure {n}" for n in range(1, len(figures) + 1)]
    tables = [block for part in document.sections for block in part.blocks if isinstance(block, blocks.Table)]
    captions = [table.caption.split(".")[0] for table in tables if table.caption]
    assert captions == [f"Table {n}" for n in range(1, len(captions) + 1)]
    assert [sheet.title for sheet in document.sheets] == ["Rows of Straight line", "Rows of Quadratic"]


def test_a_workbook_holds_the_numbers_in_full():
    """Read again they are those of the fit to the last bit; no text of the user's is run as a formula."""
    study = demo_study()
    fit = derive_fit(study, study.reported_curve.id)
    study = edits.rename_series(study, fit.series.id, "=1+1")
    study = edits.set_report(study, study.report.changed(note="=cmd|' /C calc'!A0", title="@SUM(1)" + "x" * 33_000))
    book = openpyxl.load_workbook(io.BytesIO(xlsx(report_document(study))))
    cells = [cell for sheet in book for row in sheet.iter_rows() for cell in row if cell.value is not None]
    assert {cell.data_type for cell in cells} == {"s", "n"}
    assert "=cmd|' /C calc'!A0" in [cell.value for cell in cells]
    assert "".join(book["Report"].cell(line, 1).value for line in (1, 2)) == study.report.title
    sheet = book["Equation and coefficients"]
    lines = [row for row in sheet.iter_rows(values_only=True) if row[1] in fit.result.values]
    assert [row[1:3] for row in lines] == [
        (coefficient.value, coefficient.standard_error) for coefficient in fit.result.coefficients.values()
    ]
    rows = list(book["Rows of Quadratic"].iter_rows(min_row=2, max_col=5, values_only=True))
    assert [row[0] for row in rows] == (fit.rows + 1).tolist()
    assert np.array_equal([row[3] for row in rows], fit.result.fitted)
    assert np.array_equal([row[4] for row in rows], fit.result.residuals)
    goodness = {row[0]: row[2] for row in book["Goodness of fit"].iter_rows(values_only=True) if row[0]}
    assert goodness["AICc"] == fit.result.aicc
    assert goodness["residual standard deviation"] == fit.result.residual_sd


def test_a_page_asks_for_nothing_and_names_its_pictures():
    """Typefaces and the study are in it, formulas are MathML, every drawing has a name, headings descend."""
    study = whole(few())
    page = html(report_document(study, attachment=Attachment("demo.vettore", study_bytes(study))))
    addresses = re.findall(r"""(?:src|href|url)[=(]["']?([^"')>\s]+)""", page)
    assert addresses
    assert all(address.startswith(("data:", "#")) for address in addresses)
    assert len(re.findall(r"<svg[^>]* role=\"img\" aria-label=\"Figure \d", page)) == page.count("<figure")
    assert page.count("<math ") > 4
    levels = [int(level) for level in re.findall(r"<h(\d)", page)]
    assert all(after <= before + 1 for before, after in itertools.pairwise(levels))
    carried = re.search(r'download="demo.vettore" href="data:[^,]*,([^"]*)"', page)[1]
    again = study_from_bytes(base64.b64decode(carried), "demo.vettore")
    assert [part.id for part in again.parts] == [part.id for part in study.parts]


def test_pages_are_tagged_and_carry_the_study(tmp_path):
    """With language, title, bookmarks of every heading and the study as it was; without it when it is not asked for."""
    study = edits.set_report(few(), few().report.changed(fits="all", attach=True))
    save_report(study, tmp_path / "r.pdf")
    data = (tmp_path / "r.pdf").read_bytes()
    streams = re.findall(rb"stream\r?\n(.*?)\r?\nendstream", data, re.DOTALL)
    # The end of a stream may look like the line end before its mark.
    objects = b"".join(zlib.decompressobj().decompress(part) for part in streams if part[:1] == b"x")
    for mark in (b"/StructTreeRoot", b"/Marked true", b"/Lang", b"/Alt"):
        assert mark in objects + data
    assert b"pdfuaid" in objects + data
    document = pypdfium2.PdfDocument(data)
    assert document.get_metadata_value("Title") == study.report.title
    bookmarks = [entry.get_title() for entry in document.get_toc(max_depth=5)]
    assert {"Straight line: Nitrate probe", "The study", "Checks"} <= set(bookmarks)
    assert document.count_attachments() == 1
    carried = study_from_bytes(bytes(document.get_attachment(0).get_data()), "r.vettore")
    assert derive_fit(carried, carried.curves[1].id).result.values == (
        derive_fit(study, study.curves[1].id).result.values
    )
    document.close()
    plain = pypdfium2.PdfDocument(pdf(report_document(demo_study())))
    assert plain.count_attachments() == 0
    # What stands on a figure can be searched for and copied.
    assert "discharge (m³/s)" in plain[0].get_textpage().get_text_range()
    plain.close()


def doses():
    x = np.array([0.1, 0.3, 1.0, 3.0, 10.0, 30.0, 100.0, 1000.0])
    return made(x, 2 + 8 * x / (x + 12), formula="answer = C + A*dose/(dose + K)")


def test_rows_that_span_decades_stand_on_a_logarithmic_axis():
    """Without being asked where they would crowd at one end; the caption says so; a scale that is chosen is kept."""
    study = doses()
    figure = report_document(study).section("figure").blocks[0]
    assert "The axis of x is logarithmic." in figure.caption
    style = NumberStyle()
    _, _, plotted = study_figure(study, "c2", style).with_places()
    assert plotted.x_scale == "log"
    assert plotted.data_at(plotted.frame.x, 0)[0] == pytest.approx(plotted.x_limits[0])
    _, _, plotted = study_figure(study, "c2", style, FigureRecipe(of="c2", x_scale="linear")).with_places()
    assert plotted.x_scale == "linear"
    even = made(np.linspace(1, 2000, 30), np.linspace(5, 9, 30), formula="answer = a + b*dose")
    _, _, plotted = study_figure(even, "c2", style).with_places()
    assert plotted.x_scale == "linear"


def test_a_figure_shows_what_was_decided_of_it():
    """Words, limits, legend, notes and panel letter are on it; its places are where they were put; the size is that asked."""
    study = doses()
    recipe = FigureRecipe(
        of="c2",
        title="Dose & answer <1>",
        x_title="dose given",
        y_limits=(0.0, 12.0),
        x_limits=(0.01, 5000.0),
        legend="upper left",
        legend_at=(0.5, 0.1),
        panel="b",
        notes=(Note("half of it", 12.0, 6.0, (0.25, 0.8)),),
        width=85.0,
        height=70.0,
        residuals=False,
        palette="grey",
        mark="square",
    )
    style = NumberStyle(",")
    svg = study_figure(study, "c2", style, recipe)("svg", letters=True).decode()
    for text in ("Dose &amp; answer &lt;1&gt;", "dose given", "half of it", ">b<", "0,01", "answer"):
        assert text in svg
    assert re.search(r'width="240\.9\d*pt" height="198\.4\d*pt"', svg)
    assert "#b75715" not in svg
    _, places, plotted = study_figure(study, "c2", style, recipe).with_places()
    assert plotted.x_limits == (0.01, 5000.0)
    assert plotted.y_limits == (0.0, 12.0)
    named = {place.what: place for place in places}
    assert {"title", "legend", "note 0", "x title", "y title"} <= named.keys()
    note = named["note 0"]
    middle = plotted.share_at(note.x + note.width / 2, note.y + note.height / 2)
    assert middle == pytest.approx((0.25, 0.8), abs=0.02)
    corner = plotted.share_at(named["legend"].x, named["legend"].y + named["legend"].height)
    assert corner == pytest.approx((0.5, 0.1), abs=0.04)
    assert plotted.data_at(*_at(plotted, 12.0, 6.0)) == pytest.approx((12.0, 6.0))


def _at(plotted, x, y):
    """The place of the figure where data stand."""
    across = np.log(x / plotted.x_limits[0]) / np.log(plotted.x_limits[1] / plotted.x_limits[0])
    up = (y - plotted.y_limits[0]) / (plotted.y_limits[1] - plotted.y_limits[0])
    return plotted.frame.x + across * plotted.frame.width, plotted.frame.y + (1 - up) * plotted.frame.height


def test_a_figure_is_a_part_of_the_study():
    """It is kept in the file, its look goes to all others but its words do not, and it goes with its fit."""
    study = demo_study()
    first, second = (curve.id for curve in study.curves)
    study = set_figure(study, figure_of(study, first).changed(title="A", palette="grey", width=85.0))
    assert set_figure(study, figure_of(study, second)) == study
    again = study_from_bytes(study_bytes(study), "a.vettore")
    assert figure_of(again, first) == figure_of(study, first)
    all_alike = with_look(study, figure_of(study, first))
    assert figure_of(all_alike, second).palette == "grey"
    assert (figure_of(all_alike, second).title, figure_of(all_alike, first).title) == ("", "A")
    assert figure_of(parts.remove(study, first), first).title == ""
    drawn = study_figure(study, second, NumberStyle()).tables()
    rows = [line.split(",") for line in drawn["-rows.csv"].splitlines()]
    fit = derive_fit(study, second)
    assert [float(row[2]) for row in rows[1:]] == fit.result.fitted.tolist()
    curve = [line.split(",") for line in drawn["-curve.csv"].splitlines()][1:]
    assert float(curve[7][1]) == float(fit.curve(np.array([float(curve[7][0])]))[0])
