"""A report holds what the study says, in the user's way of writing numbers, as HTML and as PDF."""

import ctypes
import re
from dataclasses import replace
from datetime import date

import numpy as np
import pypdfium2
import pypdfium2.raw as raw
import pytest

from vettore.core.errors import DataError, VettoreError
from vettore.demo.study import demo_study
from vettore.report.blocks import Table
from vettore.report.document import report_document
from vettore.report.renderers.html import html
from vettore.report.renderers.pdf import pdf
from vettore.report.renderers.widths import columns_of, width_of
from vettore.report.save import save_report
from vettore.report.sections.listed import SECTIONS
from vettore.study import edits
from vettore.study.derive import derive_fit
from vettore.study.study import Study
from vettore.study.surfaces import set_surface, surface_of

DAY = date(2026, 6, 5)


def calibration():
    study = demo_study()
    return edits.set_report(study, study.report.changed(curve=study.curves[0].id, title=""))


def test_the_page_holds_everything_that_was_asked_for():
    """Provenance, equation, coefficients with units, goodness, readings and rows set aside are all there."""
    study = calibration()
    page = html(report_document(study, DAY))
    text = re.sub(r"<svg.*?</svg>|<style.*?</style>|<[^>]+>", " ", page, flags=re.DOTALL)
    fit = derive_fit(study, study.curves[0].id).result
    for words in (
        "Straight line: Nitrate probe",
        "nitrate-probe.csv",
        "17 of 18 in use",
        "mV/(mg/L)",
        f"{fit.coefficients['a1'].value:.2f}",
        "degrees of freedom",
        "probe knocked",
        "River sample",
        "standard where signal = 250 mV",
        "double-double",
        "5 June 2026",
    ):
        assert words in text, words
    assert page.count("<svg") == 1
    assert not re.search("https?:", re.sub(r'xmlns(:\w+)?="[^"]+"', "", page))


def test_sections_can_be_left_out_and_the_comma_is_kept_everywhere():
    """A section switched off is gone; a decimal comma reaches every number."""
    study = calibration()
    left_out = tuple(entry.key for entry in SECTIONS if entry.key not in ("coefficients", "goodness"))
    study = edits.set_report(study, study.report.changed(left_out=left_out, decimal_mark=","))
    page = html(report_document(study, DAY))
    body = page[page.index("<main>") :]
    assert "<svg" not in body
    assert "nitrate-probe" not in body
    cells = re.findall(r"<t?d[^>]*>([^<]*\d[^<]*)<", body)
    assert cells
    assert not [cell for cell in cells if re.search(r"\d\.\d", cell)]


def test_reports_are_saved_as_pages_that_open(tmp_path):
    """The PDF has pages with the equation's numbers as text; the same study gives the same HTML."""
    study = calibration()
    save_report(study, tmp_path / "a.pdf")
    document = pypdfium2.PdfDocument(tmp_path / "a.pdf")
    text = "".join(page.get_textpage().get_text_range() for page in document)
    document.close()
    assert "River sample" in text
    assert html(report_document(study, DAY)) == html(report_document(study, DAY))
    with pytest.raises(VettoreError, match=r"ends in \.pdf, \.html, \.docx, \.xlsx, \.tex or \.md"):
        save_report(study, tmp_path / "a.odt")
    with pytest.raises(DataError, match="study is empty"):
        save_report(Study(), tmp_path / "b.html")


def test_the_pages_are_set_in_the_typefaces_of_the_house(tmp_path):
    """The fonts in the PDF are those that are shipped, embedded; none is taken from the machine."""
    save_report(calibration(), tmp_path / "a.pdf")
    document = pypdfium2.PdfDocument(tmp_path / "a.pdf")
    names = set()
    for page in document:
        for part in page.get_objects(filter=[raw.FPDF_PAGEOBJ_TEXT]):
            font = raw.FPDFTextObj_GetFont(part.raw)
            room = ctypes.create_string_buffer(raw.FPDFFont_GetBaseFontName(font, None, 0))
            raw.FPDFFont_GetBaseFontName(font, room, len(room))
            names.add(room.value.decode().split("+")[-1].split("-")[0])
            assert raw.FPDFFont_GetIsEmbedded(font)
    document.close()
    assert names <= {"Inter", "STIXGeneral"}
    assert "Inter" in names


def test_values_areas_and_polynomials_are_reported():
    """What was read between points, kept as an area or put on the shelf stands in the report of its series."""
    from vettore.core.polynomials.polynomial import Polynomial
    from vettore.study import edits_of_curves
    from vettore.study.kinds.area import AreaRecipe
    from vettore.study.kinds.baselines import BetweenEnds
    from vettore.study.kinds.interpolant import InterpolantRecipe

    study = demo_study()
    series = study.find_series(study.reported_curve.series)
    study = edits_of_curves.set_interpolant(study, InterpolantRecipe(series.id, "cubic", read_at=(0.5,)))
    study = edits_of_curves.add_area(study, AreaRecipe(series.id, 0.3, 0.8, "simpson", BetweenEnds(), "middle"))
    study = edits_of_curves.add_polynomial(study, "by its roots", Polynomial.from_roots([1, 2]))
    content = report_document(study)
    (between,), (drawn, areas), (polynomials, parabola) = (
        content.section(key).blocks for key in ("between", "areas", "polynomials")
    )
    assert "cubic spline" in between.lines[0].label
    assert "middle, 0.3 to 0.8 m, simpson rule" in areas.lines[0].label
    assert polynomials.lines[0].text == "roots 1.0000, 2.0000"
    assert "joined by cubic spline (line); shaded: middle." in drawn.caption
    assert parabola.caption.endswith("by its roots: x² − 3 x + 2 (line); marks are its real roots.")
    text = html(content)
    for words in ("Values between points", "Areas", "Polynomials", "Checks"):
        assert f'<h2 class="part">{words}</h2>' in text


def test_a_report_holds_the_surfaces_of_its_study():
    """Sentence, map and relief as shapes without pictures, hills with their ±, numbers, and what deserves a look."""
    study = demo_study()
    series = next(series for series in study.series if series.name == "Nitrate, reed bed")
    kept = surface_of(study, series.id).changed(method="kriging", level=4.0, read_at=((22.0, 18.5), (90.0, 1.0)))
    section = report_document(set_surface(study, kept)).section("surfaces")
    heading, sentence, drawing, table, pairs = section.blocks
    assert heading.text == "Nitrate, reed bed"
    assert sentence.text.startswith("2 hills and 2 hollows. Sites that are left out are missed by 0.20 mg/L")
    svg = drawing.draw("svg").decode()
    assert svg.startswith("<svg")
    assert "<image" not in svg
    assert table.rows[0] == ("hill", "17.3, 24.9 m", "7.420 ± 0.065 mg/L")
    told = dict(pairs.lines)
    assert told["mean"] == "3.543 mg/L"
    assert told["at 22, 18.5"] == "4.82 ± 0.16 mg/L"
    assert told["at 90, 1"] == "outside the sites"
    assert told["area above 4"].endswith(" m²")
    assert "<svg" in html(report_document(set_surface(study, kept)))
    assert report_document(study).section("surfaces") is None


def test_a_page_alone_is_the_page_that_it_is_among_all():
    """Pixel by pixel; whoever chooses is told how many there are."""
    document, told = report_document(calibration(), DAY), []
    whole = pypdfium2.PdfDocument(pdf(document))

    def last(count):
        told.append(count)
        return [count - 1]

    alone = pypdfium2.PdfDocument(pdf(document, last))
    assert told == [len(whole)]
    assert len(alone) == 1
    one, other = (page.render(scale=1).to_numpy() for page in (alone[0], whole[len(whole) - 1]))
    assert one.min() < 100
    assert np.array_equal(one, other)
    whole.close()
    alone.close()


def test_columns_of_long_words_share_the_page():
    """All of its width is used, no word is broken, and what says more has more; a word wider than the page is left to it."""
    short, long = (
        "good",
        "rank correlation of the size of the residual with the fitted value of 0.18 (p = 0.511) " * 2,
    )
    table = Table(("", "Words", "What"), ((short, "No single row decides the curve. " * 3, long),), words=(1,))
    columns = columns_of(table, 480.0)
    assert columns.width == 480.0
    assert sum(columns.shares) == pytest.approx(100)
    verdict, words, what = (share * 4.8 for share in columns.shares)
    assert width_of(short, 9.5) <= verdict < 1.2 * width_of(short, 9.5) + 20
    assert width_of("correlation", 9.5) < words < what
    fitting = columns_of(Table(("n", "p"), (("1", "0.5"),)), 480.0)
    assert fitting.width == 480.0
    assert columns_of(Table(("n",), (("nitrate" * 40,),)), 480.0) is None


def test_units_in_tables_stay_in_one_piece():
    """On screen and on paper; what is no unit, and what would be a tag, is text."""
    study = demo_study()
    first = study.series[0]
    study = edits.set_column(study, first.id, 1, replace(first.columns[1], name="a <b> c/d & e/f"))
    study = edits.set_report(study, study.report.changed(fits="all"))
    for for_print in (False, True):
        page = html(report_document(study, DAY), for_print)
        assert '<td class="words">standard <span class="unit">(mg/L)</span></td>' in page
        assert "&lt;span" not in page
        assert 'a &lt;b&gt; <span class="unit">c/d</span> &amp; <span class="unit">e/f</span> (mV)' in page
