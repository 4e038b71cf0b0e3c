"""Peaks on the Fit page, by mouse and keys in the real window: offered, pulled, added, taken out, changed, undone."""

import math

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from tests.waiting import wait_for
from vettore.study import edits
from vettore.study.kinds.peaks_fit import PeaksRecipe
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table

LEFT = Qt.MouseButton.LeftButton
X = np.linspace(350, 650, 240)
PIGMENTS = ((430, 32, 0.89), (470, 34, 0.5), (560, 22, 0.2))


def absorbance(peaks=PIGMENTS, seed=1):
    y = sum(h * np.exp(-4 * math.log(2) * ((X - m) / w) ** 2) for m, w, h in peaks)
    return y + 0.03 + 1e-4 * (X - 350) + np.random.default_rng(seed).normal(0, 0.004, len(X))


@pytest.fixture
def page(window, settled):
    """The Fit page on a spectrum with a shoulder, three peaks chosen."""
    table = Table((RawColumn("wavelength", "nm", X), RawColumn("A", "", absorbance())), Source("pond4.csv"))
    study = edits.add_series(Study(), table, "Spectrum, pond 4")
    window.start(edits.add_peaks(study, "s1", PeaksRecipe(series="s1")))
    window.show_page("Fit")
    settled()
    return window.pages["Fit"]


def places(page):
    return [round(peak.place.value) for peak in page.fit.peaks.peaks]


def on_view(plot, panel, at):
    return plot.mapFromScene(panel.vb.mapViewToScene(QPointF(*at)))


def pull(qtbot, page, words, to):
    """Pull a grip by mouse to a point of the plot."""
    view = page.plot.viewport()
    x, y, _ = next(grip for grip in page.drawn.grips.grips if grip[2] == words)
    start, end = (on_view(page.plot, page.plot.upper, at) for at in ((x, y), to))
    qtbot.mouseMove(view, start)
    QTest.qWait(5)
    qtbot.mousePress(view, LEFT, pos=start)
    for step in range(1, 5):
        qtbot.mouseMove(view, start + (end - start) * step / 4)
        QTest.qWait(5)
    qtbot.mouseRelease(view, LEFT, pos=end)


def test_from_a_file_to_three_areas_by_mouse_alone(window, settled, qtbot, tmp_path):
    """Two actions: the file is dropped, the page is chosen; the third keeps the fit."""
    path = tmp_path / "Spectrum of pond 4.csv"
    rows = zip(X.tolist(), absorbance().tolist(), strict=True)
    path.write_text("wavelength (nm),A\n" + "".join(f"{x!r},{y!r}\n" for x, y in rows))
    window.open_paths([path])
    settled()
    window.show_page("Fit")
    settled()
    page = window.pages["Fit"]
    assert [number for number, _ in page.findings.peaks.rows] == [1, 2, 3]
    assert all("±" in cells[4] for _, cells in page.findings.peaks.rows)
    assert page.findings.sentence.text().startswith("Three peaks on a slope explain 99.9")
    assert "A fourth would gain no more than chance." in page.findings.sentence.text()
    first = next(iter(page.line_up.thumbnails.values()))
    assert first.candidate.name == "3 peaks on a slope"
    qtbot.mouseClick(first, LEFT)
    settled()
    assert window.session.curve.name == "Peaks on a slope"
    assert page.fit.peaks.count == 3


def test_the_strip_shows_one_peak_and_each_way_to_another_leads_there(page, qtbot):
    """By the arrows of the strip, a row of the table, a grip on the plot: chips, table and areas say the same peak."""
    strip, table = page.strip, page.findings.peaks
    assert list(strip.chips) == ["place1", "height1", "width1", "area1", "share1"]
    assert strip.chips["area1"].value.endswith(" nm")
    qtbot.mouseClick(strip.turner.on, LEFT)
    assert (strip.turner.words.text(), next(iter(strip.chips))) == ("peak 2 of 3", "place2")
    row = QPoint(40, int(table.height() - 12))
    qtbot.mouseMove(table, row)
    assert page.drawn.peaks.pointed == 3
    assert "area" in table.toolTip()
    assert "±" in table.toolTip()
    qtbot.mouseClick(table, LEFT, pos=row)
    assert (next(iter(strip.chips)), page.drawn.peaks.chosen) == ("place3", 3)
    x, y, _ = page.drawn.grips.grips[0]
    qtbot.mouseClick(page.plot.viewport(), LEFT, pos=on_view(page.plot, page.plot.upper, (x, y)))
    assert (next(iter(strip.chips)), page.session.rows) == ("place1", frozenset())
    assert [words for *_, words in page.drawn.grips.grips][-1] == "peak 1: width"


def test_a_top_that_is_pulled_is_fitted_from_there_at_once_and_undo_takes_it_back(page, qtbot, settled, window):
    before, recipe = places(page), window.session.curve
    areas = page.drawn.peaks
    x, y, _ = page.drawn.grips.grips[2]
    seen = []
    page.strip.shaped.connect(lambda *_: None)
    page.drawn.grips.pulled.connect(lambda *_: seen.append(areas.tops[3]))
    pull(qtbot, page, "peak 3: place and height", (x + 12, y))
    settled()
    # Its area went with the hand; then the least squares brought it back.
    assert max(at[0] for at in seen) > x + 8
    assert places(page) == before
    assert window.session.curve.count == 3
    assert window.session.curve.places[2] == pytest.approx(x + 12, abs=1)
    window.session.undo()
    settled()
    assert window.session.curve == recipe


def test_a_peak_is_added_where_the_mark_stands_and_taken_out_by_a_key(page, qtbot, settled, window):
    page.choices.peaks.count.setCurrentIndex(2)
    page.choices.peaks.count.activated.emit(2)
    settled()
    mark = page.drawn.peak_more
    assert page.fit.peaks.count == 2
    assert mark.strong
    assert "would take" in mark.words
    low, high = page.plot.lower.vb.viewRange()[1]
    height = page.plot.lower.vb.viewPixelSize()[1]
    at = on_view(page.plot, page.plot.lower, (mark.place, high - 16 * height))
    qtbot.mouseMove(page.plot.viewport(), at)
    QTest.qWait(5)
    qtbot.mouseClick(page.plot.viewport(), LEFT, pos=at)
    settled()
    assert places(page) == [430, 470, 560]
    assert not mark.strong
    assert mark.words.endswith("no more than chance")
    page.peaks.choose(2)
    page.plot.setFocus()
    qtbot.keyClick(page.plot, Qt.Key.Key_Delete)
    settled()
    assert page.fit.peaks.count == 2
    assert low < 0 < high
    for _ in range(2):
        window.session.undo()
        settled()
    assert page.fit.peaks.count == 2
    window.session.undo()
    settled()
    assert (places(page), window.session.curve.count) == ([430, 470, 560], None)


def test_a_click_on_the_plot_adds_a_peak_when_it_was_asked_for(page, qtbot, settled, window):
    qtbot.mouseClick(page.choices.peaks.more, LEFT)
    qtbot.mouseClick(page.plot.viewport(), LEFT, pos=on_view(page.plot, page.plot.upper, (610, 0.6)))
    settled()
    assert page.fit.peaks.count == 4
    assert window.session.curve.places[-1] == pytest.approx(610, abs=2)
    # The next click reads the curve, as ever.
    qtbot.mouseClick(page.plot.viewport(), LEFT, pos=on_view(page.plot, page.plot.upper, (610, 0.6)))
    settled()
    assert page.fit.peaks.count == 4


def test_shape_background_number_and_widths_are_edits_each(page, qtbot, settled, window):
    choices = page.choices.peaks
    assert choices.count.currentText() == "3, found"
    for box, text, field, value in (
        (choices.shape, "mixed", "shape", "mixed"),
        (choices.ground, "level", "background", "level"),
        (choices.count, "3", "count", 3),
    ):
        box.setCurrentText(text)
        box.activated.emit(box.currentIndex())
        settled()
        assert getattr(window.session.curve, field) == value
    assert page.fit.name == "3 mixed peaks on a level"
    assert "share2" in page.fit.result.coefficients
    qtbot.mouseClick(choices.equal, LEFT, pos=QPoint(8, choices.equal.height() // 2))
    settled()
    assert "width" in page.fit.result.coefficients
    for _ in range(4):
        window.session.undo()
        settled()
    assert window.session.curve == PeaksRecipe(id=window.session.curve.id, series="s1")
    assert choices.shape.currentText() == "Gaussian"


def test_a_place_is_held_by_a_click_on_its_chip_and_stays_through_an_addition_only_in_words(
    page, qtbot, settled, window
):
    qtbot.mouseClick(page.strip, LEFT, pos=page.strip.frame_of("place1").center().toPoint())
    wait_for(lambda: window.session.curve.hold != ())
    settled()
    assert page.fit.peaks.peaks[0].place.standard_error is None
    assert page.strip.chips["place1"].held
    said = []
    window.session.message.connect(lambda _kind, sentence: said.append(sentence))
    page.peaks.add(610.0)
    settled()
    assert window.session.curve.hold == ()
    assert any("let go" in sentence for sentence in said)


def test_the_table_is_copied_in_full_digits_with_ranges(page, qtbot):
    rows = page.findings.in_full()
    assert rows[0][:5] == ["peak", "place (nm)", "± place", "place from", "place to"]
    peak = page.fit.peaks.peaks[1]
    area = rows[0].index("area (nm)")
    told = [peak.area.value, peak.area.standard_error, peak.area.low, peak.area.high]
    assert [float(cell) for cell in rows[2][area : area + 4]] == told
    assert QApplication.instance() is not None
