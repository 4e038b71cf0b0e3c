"""Figures of all that a study holds: what each shows, how its look changes it, and what it hands on."""

import base64
import csv
import io
import re
import subprocess
import sys
from collections import OrderedDict

import numpy as np
import pypdfium2
import pytest
from PIL import Image
from weasyprint import HTML

from vettore.core.errors import VettoreError
from vettore.core.rounding import NumberStyle
from vettore.demo.study import demo_study
from vettore.files.study_file import save_study
from vettore.report.document import report_document
from vettore.report.figures import figure, paper
from vettore.report.figures.figure import sheet_of
from vettore.report.figures.listed import figure_names, study_figure
from vettore.report.figures.paper import drawn
from vettore.report.renderers.pdf import pdf
from vettore.study import edits, parts
from vettore.study.areas import derive_area
from vettore.study.derive import derive_fit
from vettore.study.figures import figure_of, set_figure, usual_figure, with_look
from vettore.study.kinds.area import AreaRecipe
from vettore.study.kinds.baselines import BetweenEnds, Level
from vettore.study.kinds.figure import ALL_FITS
from vettore.study.kinds.function import FunctionRecipe
from vettore.study.kinds.interpolant import InterpolantRecipe
from vettore.study.kinds.polynomial import PolynomialRecipe
from vettore.study.kinds.surface import SurfaceRecipe
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table

STYLE = NumberStyle()
SURFACE, FUNCTION, POLYNOMIAL = "Nitrate, reed bed · surface", "exp(-x^2) · function", "p · polynomial"
PULSE, POND, LIGHT = "Dye pulse, weir · the points", "Pond temperature · the points", "Cubic · Light response, algae"


@pytest.fixture(scope="module")
def study():
    """The demo study with something of every kind that has a figure, and five fits."""
    study = demo_study()
    ids = {series.name: series.id for series in study.series}
    pulse, pond = ids["Dye pulse, weir"], ids["Pond temperature"]
    for part in (
        AreaRecipe(series=pulse, name="pulse", baseline=BetweenEnds()),
        AreaRecipe(series=pulse, start=100.0, end=200.0, baseline=Level(1.0)),
        InterpolantRecipe(series=pond, read_at=(5.0, 11.5)),
        PolynomialRecipe(name="p", coefficients=(2.0, -3.0, 0.0, 1.0)),
        FunctionRecipe(formula="exp(-x^2)", start="-inf", end="1"),
        SurfaceRecipe(series=ids["Nitrate, reed bed"]),
    ):
        study = parts.add(study, part)
    for name in ("Oxygen, chamber B", "Light response, algae"):
        study = edits.add_fit(study, ids[name], 3)
    return edits.set_report(study, study.report.changed(fits="all"))


def named(study, name):
    return next(of for of, told in figure_names(study) if told == name)


def texts(study, name, **look):
    of = named(study, name)
    svg = study_figure(study, of, STYLE, figure_of(study, of).changed(**look))("svg", letters=True).decode()
    return re.findall(r"<text[^>]*>([^<]+)</text>", svg), svg


def table(text):
    rows = list(csv.DictReader(io.StringIO(text)))
    return {name: np.array([float(row[name] or "nan") for row in rows]) for name in rows[0]}


def test_everything_in_a_study_has_its_figure(study):
    """Once each; bare series among them; a fit's series has none of its own unless something was done with its points."""
    names = [name for _, name in figure_names(study)]
    assert len(names) == len(set(names)) == 13
    assert {SURFACE, FUNCTION, POLYNOMIAL, PULSE, POND, LIGHT, "All fits, side by side"} <= set(names)
    assert "Light response, algae · the points" not in names
    captions = [
        block.caption
        for section in report_document(study).sections
        for block in section.blocks
        if type(block).__name__ == "Figure"
    ]
    assert len(captions) == len(names)
    for words in (
        "shaded: pulse, area 2.",
        "joined by monotone cubic (line)",
        "its real roots",
        "Thin plate over",
        "4 fits, each",
    ):
        assert sum(words in caption for caption in captions) == 1, words
    with pytest.raises(VettoreError, match="has no figure"):
        study_figure(study, study.readings[0].id, STYLE)


def test_what_is_drawn_is_what_was_worked_out(study):
    """The tables of a figure give the area, the roots, the function, the grid again."""
    pulse = study_figure(study, named(study, PULSE), STYLE).tables()
    series = study.find_series(named(study, PULSE))
    for number, recipe in enumerate(study.areas_of(series.id), 1):
        drawn = table(pulse[f"-area-{number}.csv"])
        assert np.trapezoid(drawn["curve"] - drawn["floor"], drawn["x"]) == pytest.approx(
            derive_area(study, series, recipe).area, rel=1e-12
        )
    assert drawn["x"][[0, -1]].tolist() == [100.0, 200.0]
    assert set(drawn["floor"]) == {1.0}
    curve = table(study_figure(study, named(study, POLYNOMIAL), STYLE).tables()["-curve.csv"])
    assert curve["curve"] == pytest.approx(2 - 3 * curve["x"] + curve["x"] ** 3, abs=1e-12)
    assert curve["x"][0] < -2
    assert curve["x"][-1] > 1
    bell = table(study_figure(study, named(study, FUNCTION), STYLE).tables()["-curve.csv"])
    assert bell["curve"] == pytest.approx(np.exp(-(bell["x"] ** 2)), rel=1e-13)
    assert bell["x"][[0, -1]].tolist() == [-8.0, 1.0]
    files = study_figure(study, named(study, SURFACE), STYLE).tables()
    assert len(table(files["-grid.csv"])["z"]) == 80 * 80
    assert len(table(files["-sites.csv"])["z"]) == 116
    every = study_figure(study, ALL_FITS, STYLE).tables()
    fit = derive_fit(study, study.curves[1].id)
    assert table(every["-2-rows.csv"])["fitted"].tolist() == fit.result.fitted.tolist()


def test_a_look_is_drawn_on_every_kind(study):
    """Title, words of axes and letter where there are such; kept numbers when asked; the size that was decided."""
    for name in (SURFACE, POLYNOMIAL, FUNCTION, PULSE, LIGHT):
        told, svg = texts(study, name, title="A & B", x_title="along", panel="b", width=90.0, height=70.0)
        assert {"A &amp; B", "along", "b"} <= set(told), name
        assert re.search(r'width="255\.1\d*pt" height="198\.4\d*pt"', svg)
    assert "20.06" not in texts(study, POND)[0]
    assert {"14.14", "20.06"} <= set(texts(study, POND, readings=True)[0])
    assert "5.625 ± 0.071 mg/L" in texts(study, "Straight line · Nitrate probe", readings=True)[0]
    assert {"(−1.000, 4.000)", "−2.000"} <= set(texts(study, POLYNOMIAL, readings=True)[0])
    flat, relief = (texts(study, SURFACE, relief=on)[1] for on in (False, True))
    assert len(flat) < len(relief)
    small, _ = texts(study, "All fits, side by side")
    assert sum(" · " in text for text in small) == 4


def test_scales_ticks_and_inset(study):
    """A reciprocal axis has equal lengths for equal 1/x; ticks stand as far apart as asked; the inset shows its part."""
    of = named(study, LIGHT)
    usual = figure_of(study, of)
    told = usual.changed(x_scale="reciprocal", x_limits=(20.0, 1250.0))
    figure = study_figure(study, of, STYLE, told)
    assert "The axis of x is reciprocal." in figure.caption
    _, _, plotted = figure.with_places()
    assert plotted.x_scale == "reciprocal"
    middle = plotted.frame.x + plotted.frame.width / 2
    assert plotted.data_at(middle, 0.3)[0] == pytest.approx(2 / (1 / 20 + 1 / 1250), rel=1e-9)
    for x_every, wanted in ((250.0, {"250", "750", "1250"}), (1e-9, {"0", "200"})):
        figures, _ = texts(study, LIGHT, x_every=x_every)
        assert wanted <= set(figures)
    with_inset = study_figure(study, of, STYLE, usual.changed(inset=(0.0, 100.0), inset_at=(0.4, 0.1)))
    assert "inset shows" in with_inset.caption
    _, places, plotted = with_inset.with_places()
    inset = next(place for place in places if place.what == "inset")
    assert plotted.share_at(inset.x, inset.y + inset.height) == pytest.approx((0.4, 0.1), abs=0.01)
    small = usual.changed(x_scale="log", x_limits=(None, None))
    assert study_figure(study, of, STYLE, small)("png").startswith(b"\x89PNG")


@pytest.mark.parametrize(("low", "straight"), [(-5.0, False), (-30.0, True)])
def test_a_reciprocal_axis_has_no_place_below_zero(low, straight):
    """Rows at and below 0 are not seen on it, and no line runs across from there; with nothing above 0 it is straight."""
    x = np.linspace(low, low + 20, 21)
    table = Table((RawColumn("x", "", x), RawColumn("y", "", 2 * x)), Source("made"))
    study = edits.add_fit(edits.add_series(Study(), table, "made"), "s1", 1)
    figure = study_figure(study, "c2", STYLE, figure_of(study, "c2").changed(x_scale="reciprocal"))
    _, _, plotted = figure.with_places()
    assert (plotted.x_scale, "reciprocal" in figure.caption) == (
        ("linear", False) if straight else ("reciprocal", True)
    )
    assert straight or plotted.x_limits[0] > 0
    shape = figure("svg", letters=True).decode()
    (line,) = re.findall(r'<path d="([^"]*)"[^>]*stroke="#b75715"[^>]*stroke-width="1.5"', shape)
    across = [float(one) for one in re.findall(r"[ML] (-?[\d.]+) ", line)]
    assert across == sorted(across)


def test_a_reciprocal_axis_has_figures_where_there_is_room_and_whole_bands(study):
    """1, 2 and 5 of each decade; curve and CSV have places even in 1/x; a band that comes down to 0 fills what is below it."""
    of = named(study, LIGHT)
    looks = figure_of(study, of).changed(x_scale="reciprocal", x_limits=(20.0, 1250.0), residuals=False)
    told, _ = texts(study, LIGHT, x_scale="reciprocal", x_limits=(20.0, 1250.0), residuals=False)
    assert [text for text in told if text in ("20", "50", "100", "200", "500", "1000")] == ["20", "50", "100", "200"]
    x = table(study_figure(study, of, STYLE, looks).tables()["-curve.csv"])["x"]
    steps = -np.diff(1 / x[x > x.max() / 500])
    assert steps == pytest.approx(np.full(len(steps), steps[0]), rel=1e-6)
    with_inset = study_figure(study, of, STYLE, looks.changed(inset=(600.0, 1200.0)))
    spacings = []

    def look(_figure, paper):
        # The inset is straight, whatever the plot is.
        (curve,) = (line for line in paper.axes.child_axes[0].get_lines() if len(line.get_xdata()) > 100)
        spacings.append(np.ptp(np.diff(curve.get_xdata())))

    drawn(with_inset.draw, sheet_of(with_inset.recipe), "svg", look)
    assert spacings == [pytest.approx(0, abs=1e-9)]
    both = study_figure(study, of, STYLE, looks.changed(y_scale="reciprocal", x_limits=(None, None), grid=False))
    picture, _, plotted = both.with_places()
    pixels = np.asarray(Image.open(io.BytesIO(picture)).convert("RGB")).astype(int)
    frame = plotted.frame
    column = pixels[:, int((frame.x + 0.1 * frame.width) * pixels.shape[1])]
    low, high = (column[int((frame.y + (1 - up) * frame.height) * len(pixels))].tolist() for up in (0.05, 0.5))
    assert low == high != [255, 255, 255]


def test_rows_without_a_place_on_an_axis_are_counted():
    """In the caption, of one plot and of many; set aside or not, once where both axes have no place for them."""
    study, t = Study(), np.linspace(0, 9, 10)
    for number in range(4):
        y = 3 * t - 5
        columns = (RawColumn("t", "s", t if number else t + 1), RawColumn("y", "V", y))
        study = edits.add_series(study, Table(columns, Source("made")), f"jar {number}")
        study = edits.add_fit(study, study.series[-1].id, 1)
    study = edits.set_rows_aside(study, study.series[1].id, [0], "bubble")
    fits = [fit.id for fit in study.curves]

    def said(of, **look):
        caption = study_figure(study, of, STYLE, figure_of(study, of).changed(**look)).caption
        return re.findall(r"On axes[^.]*\.", caption)

    assert said(fits[0]) == []
    assert said(fits[0], x_scale="log") == []
    assert said(fits[1], x_scale="log") == ["On axes that are not straight 1 row not above 0 has no place."]
    assert said(fits[1], y_scale="log") == ["On axes that are not straight 2 rows not above 0 have no place."]
    both = {"x_scale": "reciprocal", "y_scale": "log"}
    assert said(fits[1], **both) == ["On axes that are not straight 2 rows not above 0 have no place."]
    assert said(ALL_FITS, **both) == ["On axes that are not straight 8 rows not above 0 have no place."]
    assert said(ALL_FITS, common=True) == []


def test_the_usual_look_is_none_that_is_kept(study):
    """Taken back to it, a figure leaves the study as it was; a look for all spares what belongs to other kinds."""
    of = named(study, SURFACE)
    changed = set_figure(study, figure_of(study, of).changed(title="Bed"))
    assert figure_of(changed, of).title == "Bed"
    assert set_figure(changed, usual_figure(changed, of)).parts == study.parts
    first = study.curves[0].id
    alike = with_look(study, figure_of(study, first).changed(palette="grey", width=85.0, residuals=False))
    assert {figure_of(alike, of).palette for of, _ in figure_names(alike)} == {"grey"}
    assert figure_of(alike, study.curves[1].id).width == 85.0
    assert figure_of(alike, of).width == 160.0
    assert figure_of(parts.remove(changed, of), of).title == ""


def test_a_figure_is_drawn_anew_when_what_it_shows_changes(study, monkeypatch):
    """And is at hand when it is asked for again in the same look."""
    from vettore.report.figures import figure as module

    made = []
    original = module.drawn
    monkeypatch.setattr(module, "drawn", lambda *given: made.append(1) or original(*given))
    of = named(study, PULSE)
    before = study_figure(study, of, STYLE)("svg")
    count = len(made)
    assert study_figure(study, of, STYLE)("svg") is before
    assert len(made) == count
    area = study.areas_of(of)[0]
    moved = parts.change(study, area.changed(start=50.0))
    renamed = edits.rename_series(study, named(study, POND), "Pond")
    assert study_figure(moved, of, STYLE)("svg") != before
    assert len(made) == count + 1
    pond = named(study, POND)
    assert study_figure(renamed, pond, STYLE).caption.startswith("Pond, as measured")


def printed(svg):
    """A figure on a page, as the pixels of it."""
    data = base64.b64encode(svg).decode()
    page = f'<style>@page {{ margin: 5mm }}</style><img src="data:image/svg+xml;base64,{data}" style="width: 160mm">'
    document = pypdfium2.PdfDocument(HTML(string=page).write_pdf())
    pixels = document[0].render(scale=2).to_numpy().astype(int)
    document.close()
    return pixels


@pytest.mark.parametrize("name", [PULSE, LIGHT, SURFACE, "All fits, side by side"])
def test_a_lean_figure_is_the_same_picture(study, name, monkeypatch):
    """Pixel by pixel, with fewer elements; texts stay texts."""
    figure = study_figure(
        study, named(study, name), STYLE, figure_of(study, named(study, name)).changed(title="Lean")
    )
    lean = figure("svg", letters=True)
    monkeypatch.setattr(paper, "lean", lambda text: text[text.index("<svg") :])
    whole = drawn(figure.draw, sheet_of(figure.recipe, letters=True), "svg")
    assert lean.count(b"<g") < 0.6 * whole.count(b"<g")
    assert b"<use" not in lean
    assert lean.count(b"<text") == whole.count(b"<text")
    one, other = printed(lean), printed(whole)
    assert one.min() < 100
    assert np.abs(one - other).max() < 32


@pytest.mark.parametrize("name", [LIGHT, "All fits, side by side", SURFACE])
@pytest.mark.parametrize("size", [(160.0, 104.0), (80.0, 60.0), (60.0, 100.0)])
def test_words_have_room_on_the_sheet(study, name, size):
    """No title of an axis lies over its figures or leaves the sheet; plots above each other have the same left edge."""
    usual = figure_of(study, named(study, name)).changed(title="Reed", width=size[0], height=size[1], relief=False)
    told = study_figure(study, named(study, name), STYLE, usual)
    seen = []

    def draw(figure):
        told.draw(figure)
        figure.draw_without_rendering()
        for axes in (one for one in figure.axes if one.axison and one.get_visible()):
            for axis in (axes.xaxis, axes.yaxis):
                words = axis.label.get_window_extent()
                figures = [tick.get_window_extent() for tick in axis.get_ticklabels() if tick.get_text()]
                seen.append((words, figures, figure.bbox.frozen()))
            seen[-1] += (axes.get_window_extent(),)

    drawn(draw, sheet_of(told.recipe), "svg")
    assert len(seen) >= 2
    for words, figures, sheet, *_ in seen:
        assert not any(words.overlaps(one) for one in figures if words.width > 0)
        assert words.width == 0 or (words.x0 > -1 and words.y0 > -1 and words.x1 < sheet.x1 + 1)
    if name == LIGHT:
        upper, lower = (one[3] for one in seen if len(one) > 3)
        assert upper.x0 == pytest.approx(lower.x0)
        assert upper.y0 > lower.y1


def test_any_figure_is_had_without_a_window(study, tmp_path, run):
    """By a part of its name; what is none, or several, is answered with all there are."""
    save_study(study, tmp_path / "s.vettore")
    out = tmp_path / "f.svg"
    asked = ["figure", str(tmp_path / "s.vettore"), "-o", str(out), "--figure-data", "--of"]
    assert run(*asked, "surface")[0] == 0
    assert "north (m)" in out.read_text()
    assert (tmp_path / "f-grid.csv").exists()
    for wrong, words in (("the points", "several figures of"), ("moon", "no figure of")):
        code, _, told = run(*asked, wrong)
        assert code
        assert words in told
        assert SURFACE in told


def test_letters_that_the_typeface_lacks_are_those_of_another(recwarn):
    """Georgian stands in a figure in a typeface of the machine; a letter that none has is said nothing of on the way."""
    x = np.arange(9.0)
    table = Table((RawColumn("დრო", "s", x), RawColumn("\U000f1234", "g", x**2)), Source("made"))
    study = edits.add_fit(edits.add_series(Study(), table, "jar"), "s1", 1)
    svg = study_figure(study, study.curves[0].id, STYLE)("svg", letters=True).decode()
    (line,) = re.findall(r"<text[^>]*>დრო \(s\)</text>", svg)
    assert "DejaVu Sans" in line
    assert study_figure(study, study.curves[0].id, STYLE)("png").startswith(b"\x89PNG")
    assert not [one for one in recwarn if "Glyph" in str(one.message)]


BESIDE = """
import os

os.cpu_count = lambda: 2

from vettore.demo.study import demo_study
from vettore.report.figures import beforehand, figure
from vettore.report.figures.listed import figure_names, study_figure
from vettore.report.document import style_of

study = demo_study()
made = [study_figure(study, identity, style_of(study)) for identity, _ in list(figure_names(study))[:3]]
alone = [one.draw_anew("svg", True) for one in made]
with beforehand.drawn_beside(made, "svg", True, busy=True):
    # From here on nothing is drawn in this process.
    figure.drawn = None
    assert [one("svg", True) for one in made] == alone
assert beforehand.promised(made[0].key("svg", True)) is None
print("alike")
"""


def test_figures_that_other_processes_draw_are_the_same_to_the_last_byte():
    """A report without a window has them drawn beside; in a process that has threads they are drawn in it."""
    done = subprocess.run([sys.executable, "-c", BESIDE], capture_output=True, text=True, timeout=900)
    assert done.stdout == "alike\n", done.stderr


def test_a_figure_that_cannot_be_drawn_ends_the_pdf(monkeypatch):
    """The printer would leave it out and go on."""

    def broken(*_):
        raise ValueError("no ink")

    monkeypatch.setattr(figure, "drawn", broken)
    monkeypatch.setattr(figure, "_known", OrderedDict())
    with pytest.raises(ValueError, match="no ink"):
        pdf(report_document(demo_study()))
