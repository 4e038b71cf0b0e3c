"""A figure opened in place on the Report page, by mouse and keys: every edit is seen, kept and undone."""

import itertools
import re
from collections import Counter

import numpy as np
import pypdfium2
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest

from tests.app.conftest import short_report
from vettore.app.pages.figure.making import limits_typed, size_typed, style_text, with_style
from vettore.core.errors import VettoreError
from vettore.core.rounding import NumberStyle
from vettore.report.figures.listed import study_figure
from vettore.study import edits, parts
from vettore.study.figures import figure_of
from vettore.study.kinds.area import AreaRecipe
from vettore.study.kinds.figure import FigureRecipe, Note
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def opened(window, settled, qtbot):
    """Shows the Report page of a study with the figure of its fit open."""

    def show(study):
        window.resize(1280, 800)
        window.start(study)
        window.show_page("Report")
        settled()
        qtbot.mouseClick(window.page.change_figure, LEFT)
        settled()
        return window.page

    return show


@pytest.fixture
def page(opened):
    """The Report page of the demo study with the figure of its fit open."""
    return opened(short_report())


def recipe(page):
    return figure_of(page.session.study, page.editor.of)


def place_of(page, what):
    return next(place for place in page.editor.canvas.shown.places if place.what == what)


def centre(page, what):
    return page.editor.canvas.frame_of(place_of(page, what)).center().toPoint()


def drag(qtbot, canvas, start, by):
    qtbot.mousePress(canvas, LEFT, pos=start)
    for share in (0.4, 1.0):
        qtbot.mouseMove(canvas, start + QPoint(round(by[0] * share), round(by[1] * share)))
    qtbot.mouseRelease(canvas, LEFT, pos=start + QPoint(*by))


def type_over(qtbot, field, text, settled):
    field.selectAll()
    QTest.keyClicks(field, text)
    qtbot.keyClick(field, Qt.Key.Key_Return)
    settled()


def choose(combo, text, settled):
    combo.setCurrentText(text)
    combo.activated.emit(combo.currentIndex())
    settled()


def test_ten_edits_by_hand_are_kept_and_undone(page, window, settled, qtbot):
    """Words where they stand, a note and its place, legend, limits, scale, colours, size; undone one by one."""
    canvas, choices, before = page.editor.canvas, page.editor.choices, recipe(page)
    seen = [before]

    def edited(**expected):
        now = recipe(page)
        assert now != seen[-1]
        for name, value in expected.items():
            assert getattr(now, name) == value
        seen.append(now)

    qtbot.mouseDClick(canvas, LEFT, pos=centre(page, "x title"))
    type_over(qtbot, canvas.field, "stage of the weir (m)", settled)
    edited(x_title="stage of the weir (m)")
    qtbot.mouseDClick(canvas, LEFT, pos=centre(page, "title"))
    type_over(qtbot, canvas.field, "Rating", settled)
    edited(title="Rating")
    plotted = canvas.shown.plotted
    spot = canvas.frame_of(plotted.frame).center().toPoint() + QPoint(0, -60)
    qtbot.mouseDClick(canvas, LEFT, pos=spot)
    type_over(qtbot, canvas.field, "bankfull", settled)
    edited()
    note = recipe(page).notes[0]
    assert (note.text, note.x, note.y) == ("bankfull", *_rounded(plotted.data_at(*canvas.share_of(QPointF(spot)))))
    drag(qtbot, canvas, centre(page, "note 0"), (60, 30))
    settled()
    edited()
    frame = canvas.frame_of(canvas.shown.plotted.frame)
    moved = recipe(page).notes[0].at
    assert moved[0] - note.at[0] == pytest.approx(60 / frame.width(), abs=0.01)
    assert note.at[1] - moved[1] == pytest.approx(30 / frame.height(), abs=0.01)
    choose(choices.combos["legend"][0], "upper left", settled)
    edited(legend="upper left")
    corner = canvas.frame_of(place_of(page, "legend")).bottomLeft()
    drag(qtbot, canvas, centre(page, "legend"), (150, 80))
    settled()
    edited()
    now = canvas.frame_of(place_of(page, "legend")).bottomLeft()
    assert (now - corner - QPointF(150, 80)).manhattanLength() < 4
    qtbot.mouseDClick(canvas, LEFT, pos=centre(page, "y axis"))
    low, high = choices.limits["y"]
    assert low.hasFocus()
    QTest.keyClicks(low, "0")
    high.setFocus()
    QTest.keyClicks(high, "1,5")
    qtbot.keyClick(high, Qt.Key.Key_Return)
    settled()
    assert recipe(page).y_limits == (0.0, 1.5)
    seen.append(figure_of(_undone(page.session.study, window), page.editor.of))
    seen.append(recipe(page))
    qtbot.mouseClick(choices.boxes["residuals"], LEFT, pos=QPoint(8, 8))
    settled()
    edited(residuals=False)
    choose(choices.combos["palette"][0], "greys", settled)
    edited(palette="grey")
    choose(choices.preset, "one column", settled)
    edited(width=85.0, height=70.0)
    assert canvas.sheet().width() / canvas.sheet().height() == pytest.approx(85 / 70, rel=1e-6)
    for known in reversed([*dict.fromkeys(map(repr, seen[:-1]))]):
        window.undo()
        assert repr(recipe(page)) == known
    assert recipe(page) == before


def _rounded(pair):
    return tuple(float(f"{value:.4g}") for value in pair)


def _undone(study, window):
    """What the study was one step before."""
    window.undo()
    before = window.session.study
    window.session.redo()
    assert window.session.study == study
    return before


def test_what_is_on_the_screen_is_what_is_on_paper(page, settled):
    """Words of the axes and of a note stand within half a millimetre of their places in the PDF."""
    study = page.session.study
    asked = figure_of(study, page.editor.of).changed(title="Rating", notes=(Note("bankfull", 0.6, 0.4, (0.3, 0.8)),))
    page.editor._change(lambda _recipe: asked)
    settled()
    pdf = study_figure(study, asked.of, NumberStyle(), asked)("pdf")
    document = pypdfium2.PdfDocument(pdf)
    text = document[0].get_textpage()
    width, height = document[0].get_size()
    words = text.get_text_range()
    for what, told in (("title", "Rating"), ("note 0", "bankfull"), ("x title", "stage (m)")):
        boxes = [text.get_charbox(words.index(told) + at) for at in range(len(told)) if told[at] != " "]
        across = (min(box[0] for box in boxes) + max(box[2] for box in boxes)) / 2 / width
        middle = 1 - (min(box[1] for box in boxes) + max(box[3] for box in boxes)) / 2 / height
        place = place_of(page, what)
        assert across * asked.width == pytest.approx((place.x + place.width / 2) * asked.width, abs=0.5)
        assert middle * asked.height == pytest.approx((place.y + place.height / 2) * asked.height, abs=0.5)
    text.close()
    document.close()


def test_what_cannot_be_is_said_and_changes_nothing(page, settled, qtbot):
    """Limits the wrong way round, a width of a wall, words for a number; the trouble goes with the next good one."""
    before = page.session.study
    field = page.editor.choices.fields["width"]
    field.setFocus()
    type_over(qtbot, field, "5000", settled)
    assert "30 to 1200 mm" in page.editor.findings.trouble.text()
    assert page.session.study is before
    type_over(qtbot, field, "120", settled)
    assert page.editor.findings.trouble.isHidden()
    assert recipe(page).width == 120
    plain = FigureRecipe(of="c1")
    for low, high, words in (("3", "2", "lower"), ("a", "", "not a number")):
        with pytest.raises(VettoreError, match=words):
            limits_typed(plain, "x", low, high)
    with pytest.raises(VettoreError, match="above 0"):
        limits_typed(plain.changed(y_scale="log"), "y", "-1", "")
    with pytest.raises(VettoreError, match="4 to 48"):
        size_typed(plain, "type_size", "big")


def test_escape_closes_the_field_then_the_figure(page, window, settled, qtbot):
    """And what was typed there is not taken."""
    canvas = page.editor.canvas
    qtbot.mouseDClick(canvas, LEFT, pos=centre(page, "x title"))
    QTest.keyClicks(canvas.field, "no")
    qtbot.keyClick(canvas.field, Qt.Key.Key_Escape)
    assert canvas.field.isHidden()
    assert page.figure_is_open
    qtbot.keyClick(window, Qt.Key.Key_Escape)
    assert not page.figure_is_open
    assert recipe(page).x_title == ""


def test_a_figure_is_saved_with_its_data(page, settled, tmp_path):
    """As SVG whose words are words; the rows and the curve stand beside it."""
    page.editor.findings.data.setChecked(True)
    page.editor.save(tmp_path / "weir.svg")
    settled()
    assert sorted(path.name for path in tmp_path.glob("weir*")) == ["weir-curve.csv", "weir-rows.csv", "weir.svg"]
    assert re.search(r"<text[^>]*>stage \(m\)</text>", (tmp_path / "weir.svg").read_text())
    for ending, begins in ((".pdf", b"%PDF"), (".png", b"\x89PNG"), (".tiff", b"II*\x00")):
        page.editor.save(tmp_path / f"weir{ending}")
        settled()
        assert (tmp_path / f"weir{ending}").read_bytes().startswith(begins)


def test_a_style_is_an_open_file():
    """Read back it gives the look, not the words; one that is none is refused in a sentence."""
    look = FigureRecipe(of="c1", title="mine", palette="grey", width=85.0, mark="square")
    other = FigureRecipe(of="c2", title="theirs")
    taken = with_style(other, style_text(look))
    assert (taken.title, taken.of, taken.palette, taken.width, taken.mark) == ("theirs", "c2", "grey", 85.0, "square")
    for text in (
        "",
        "[]",
        "{}",
        '{"vettore figure style": 1, "width": 1e9}',
        '{"vettore figure style": 1, "mark": 3}',
    ):
        with pytest.raises(VettoreError, match="style"):
            with_style(other, text)
    assert list(itertools.islice(style_text(look).splitlines(), 2)) == ["{", '  "vettore figure style": 1,']


def test_the_figure_of_anything_is_opened_from_the_list(opened, window, settled, qtbot):
    """Areas and a surface: words, inset and notes by mouse; only what does something for the figure is offered."""
    study = short_report()
    first = study.series[0].id
    study = parts.add(study, AreaRecipe(series=first, name="under it"))
    page = opened(study)
    choices, canvas = page.editor.choices, page.editor.canvas
    assert not choices.boxes["residuals"].isHidden()
    choose(choices.which, f"{study.series[0].name} · the points", settled)
    assert page.editor.of == first
    assert choices.boxes["residuals"].isHidden()
    assert choices.boxes["relief"].isHidden()
    assert not choices.boxes["error_bars"].isHidden()
    qtbot.mouseDClick(canvas, LEFT, pos=centre(page, "title"))
    type_over(qtbot, canvas.field, "All of it", settled)
    assert recipe(page).title == "All of it"
    low, high = choices.limits["inset"]
    QTest.keyClicks(low, "0")
    qtbot.keyClick(low, Qt.Key.Key_Return)
    assert recipe(page).inset is None
    QTest.keyClicks(high, "4")
    qtbot.keyClick(high, Qt.Key.Key_Return)
    settled()
    assert recipe(page).inset == (0.0, 4.0)
    before = recipe(page).inset_at
    drag(qtbot, canvas, centre(page, "inset"), (-120, 30))
    settled()
    assert recipe(page).inset_at[0] < before[0]
    qtbot.mouseClick(page.editor.findings.back, LEFT)
    settled()
    window.undo()
    assert figure_of(page.session.study, first).inset_at == before
    with pytest.raises(VettoreError, match="part of x in the inset runs"):
        limits_typed(figure_of(page.session.study, first), "inset", "4", "1")
    with pytest.raises(VettoreError, match="distance above 0"):
        size_typed(figure_of(page.session.study, first), "x_every", "-1")


def test_hands_on_one_small_plot_hold_for_all(opened, window, settled, qtbot):
    """Words, limits, scale, letters and common axes of the fits side by side, by mouse and keys; undone one by one."""
    study = jars()
    left_out = short_report().report.left_out
    page = opened(edits.set_report(study, study.report.changed(fits="all", left_out=left_out)))
    choices, canvas = page.editor.choices, page.editor.canvas
    assert choices.boxes["common"].isHidden()
    choose(choices.which, "All fits, side by side", settled)
    steps = [recipe(page)]
    assert not choices.boxes["common"].isHidden()
    assert choices.combos["legend"][0].isHidden()
    assert "holds for all" in page.editor.findings.hint.text()

    def drawn():
        steps.append(recipe(page))
        assert steps[-1] != steps[-2]
        return drawn_of(page)

    assert drawn_of(page).count("oxygen (mg/L)") == 4
    qtbot.mouseDClick(canvas, LEFT, pos=centre(page, "y title"))
    type_over(qtbot, canvas.field, "oxygen left (mg/L)", settled)
    assert drawn().count("oxygen left (mg/L)") == 4
    qtbot.mouseDClick(canvas, LEFT, pos=centre(page, "title"))
    type_over(qtbot, canvas.field, "Four jars", settled)
    assert "Four jars" in drawn()
    type_over(qtbot, choices.fields["panel"], "(b)", settled)
    assert {"(b)", "(c)", "(d)", "(e)"} <= {*drawn()}
    own = figures_up(drawn_of(page))
    qtbot.mouseClick(choices.boxes["common"], LEFT, pos=QPoint(8, choices.boxes["common"].height() // 2))
    settled()
    common = figures_up(drawn())
    assert set(common.values()) == {4}
    assert not set(own.values()) <= {4}
    assert "same axes" in study_figure(page.session.study, page.editor.of, NumberStyle()).caption
    qtbot.mouseDClick(canvas, LEFT, pos=centre(page, "x axis"))
    low, high = choices.limits["x"]
    assert low.hasFocus()
    QTest.keyClicks(low, "1")
    QTest.keyClicks(high, "100")
    qtbot.keyClick(high, Qt.Key.Key_Return)
    settled()
    drawn()
    choose(choices.combos["x_scale"][0], "logarithmic", settled)
    assert figures_up(drawn())["100"] == 4
    assert canvas.shown.plotted.x_limits == (1.0, 100.0)
    assert canvas.shown.plotted.x_scale == "log"
    for wanted in reversed(steps[:-1]):
        window.undo()
        if recipe(page) != wanted:
            window.undo()
        assert recipe(page) == wanted
    settled()


def jars():
    """Four jars whose oxygen falls from different heights, each fitted with a cubic."""
    study, t = Study(), np.linspace(0, 90, 19)
    for number, height in enumerate((3.0, 5.0, 8.0, 4.0), 1):
        columns = (RawColumn("minute", "min", t), RawColumn("oxygen", "mg/L", height * np.exp(-t / 30)))
        study = edits.add_series(study, Table(columns, Source("made")), f"Jar {number}")
        study = edits.add_fit(study, study.series[-1].id, 3)
    return study


def drawn_of(page):
    figure = study_figure(page.session.study, page.editor.of, NumberStyle())
    return re.findall(r"<text[^>]*>([^<]+)</text>", figure("svg", letters=True).decode())


def figures_up(texts):
    """How often each figure stands on the axes."""
    return Counter(text for text in texts if re.fullmatch(r"−?[\d.]+", text))
