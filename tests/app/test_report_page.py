"""The Report page by hand: sections dragged, titled and annotated; units; the web page in the dark."""

import re

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QLineEdit

from tests.waiting import wait_for
from vettore.app.pages.report.preview import printed_of
from vettore.demo.study import demo_study
from vettore.files.study_file import open_study, save_study
from vettore.report.document import report_document
from vettore.report.renderers.html import html
from vettore.report.renderers.pdf import pdf
from vettore.report.sections.listed import SECTIONS
from vettore.study import edits
from vettore.study.derive import derive_fit

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def page(window, settled):
    window.start(demo_study())
    window.show_page("Report")
    settled()
    return window.pages["Report"]


def headings(window):
    text = html(report_document(window.session.study))
    return re.findall(r'<h2 class="part">(.*?)</h2>', text)


def middle(sections, key):
    return sections.visualItemRect(sections.item_of(key)).center()


def test_a_section_is_dragged_to_another_place(page, window, qtbot, settled, tmp_path):
    """It follows the hand; the report has it there; undo brings it back; the study keeps it."""
    sections, before = page.report_choices.sections, headings(window)
    view, start, end = sections.viewport(), middle(sections, "checks"), middle(sections, "source")
    qtbot.mousePress(view, LEFT, pos=start)
    for share in (0.2, 0.6, 1.0):
        qtbot.mouseMove(view, start + (end - start) * share)
    assert sections.keys.index("checks") == 3
    qtbot.mouseRelease(view, LEFT, pos=end)
    settled()
    assert headings(window)[0] == "Checks"
    assert sorted(headings(window)) == sorted(before)
    save_study(window.session.study, tmp_path / "s.vettore")
    assert open_study(tmp_path / "s.vettore").report.order[3] == "checks"
    window.session.undo()
    settled()
    assert headings(window) == before
    assert sections.keys.index("checks") > sections.keys.index("goodness")
    # A click that does not move takes nothing anywhere.
    qtbot.mouseClick(view, LEFT, pos=middle(sections, "method"))
    assert window.session.study.report.order == ()
    qtbot.keyClick(sections, Qt.Key.Key_Up, Qt.KeyboardModifier.ControlModifier)
    settled()
    order = window.session.study.report.order
    assert order.index("method") == order.index("aside") - 1
    assert sections.chosen == "method"


def test_a_section_is_titled_and_written_under(page, window, qtbot, settled):
    """On its line and in the field beneath; blanked, its own title comes back."""
    sections = page.report_choices.sections
    sections.setCurrentItem(sections.item_of("method"))
    qtbot.keyClick(sections, Qt.Key.Key_F2)
    field = sections.findChild(QLineEdit)
    field.setText("")
    qtbot.keyClicks(field, "How it was done")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    wait_for(lambda: window.session.study.report.titles == (("method", "How it was done"),))
    settled()
    assert "How it was done" in headings(window)
    assert page.report_choices.words.isEnabled()
    page.report_choices.words.setFocus()
    qtbot.keyClicks(page.report_choices.words, "By *hand*.")
    page.report_choices.note.setFocus()
    settled()
    assert dict(window.session.study.report.notes) == {"method": "By *hand*."}
    assert '<p class="note">By <em>hand</em>.</p>' in html(report_document(window.session.study))
    sections.setCurrentItem(sections.item_of("checks"))
    assert page.report_choices.words.toPlainText() == ""
    sections.item_of("method").setText("")
    settled()
    assert "Method" in headings(window)
    assert window.session.study.report.titles == ()


def test_equal_parts_of_units_are_taken_together_if_asked(page, window, qtbot, settled):
    """On every value of the report; no number changes."""
    study = window.session.study
    probe = next(series.id for series in study.series if series.name == "Nitrate probe")
    window.session.show_curve(study.curves_of(probe)[0].id)
    settled()
    before = html(report_document(window.session.study))
    values = derive_fit(window.session.study, window.session.study.report.curve).result.values
    assert '<td class="words">mV/(mg/L)</td>' in before
    qtbot.mouseClick(page.sending.units, LEFT, pos=QPoint(8, 8))
    settled()
    after = html(report_document(window.session.study))
    assert '<td class="words">mV·L/mg</td>' in after
    assert derive_fit(window.session.study, window.session.study.report.curve).result.values == values


def test_a_page_is_dark_only_where_it_is_asked_for(page, window, qtbot, settled):
    """And on screen alone."""
    assert "prefers-color-scheme" not in html(report_document(window.session.study))
    qtbot.mouseClick(page.sending.dark, LEFT, pos=QPoint(8, 8))
    settled()
    document = report_document(window.session.study)
    assert "@media screen and (prefers-color-scheme: dark)" in html(document)
    assert "prefers-color-scheme" not in html(document, for_print=True)


def test_of_a_long_report_the_chapter_in_view_is_printed_first(window, qtbot, settled, monkeypatch):
    """What is typed stands there before all is printed again; the other pages stay, and so does the place that is seen."""
    from vettore.app.pages.report import page as module

    study = demo_study()
    for series in study.series[:4]:
        study = edits.add_fit(study, series.id, 3)
    kept = ("summary", "figure", "goodness", "coefficients", "checks")
    left_out = tuple(entry.key for entry in SECTIONS if entry.key not in kept)
    study = edits.set_report(study, study.report.changed(fits="all", left_out=left_out))
    window.start(study)
    window.show_page("Report")
    settled()
    page = window.page
    pages, chapters = page.pages, page.preview.printed.chapters
    wait_for(lambda: page.preview.verticalScrollBar().maximum() > 600 * pages)
    assert pages > module.SOON_PRINTED
    assert len(chapters) == len(study.curves)
    assert page.preview.printed.of_chapter(2) == range(chapters[2], chapters[2] + 2)
    assert chapters[0] == 0
    page.preview.verticalScrollBar().setValue(page.preview.column.itemAt(chapters[2]).widget().y() + 200)
    place, number = page.preview.chapter_in_view()
    # Where two begin on one page, the later one.
    assert chapters[place] == chapters[2]
    assert 0 < place < len(study.curves)
    seen = page.preview.verticalScrollBar().value()
    printed = []
    original = module.pdf
    monkeypatch.setattr(module, "pdf", lambda document, *only: printed.append(document) or original(document, *only))
    old = page.preview.printed
    window.session.do("t", edits.set_report(study, study.report.changed(titles=(("goodness", "How good it is"),))))
    wait_for(lambda: page.preview.printed is not old)
    first = printed[0]
    assert [chapter.title for chapter in first.chapters] == [page_title(study, place)]
    assert any(section.title == "How good it is" for section in first.sections)
    kept = page.preview.printed.pages
    # Of a chapter that is as long as before, one page is painted.
    assert [at for at, image in enumerate(kept) if image is not old.pages[at]] == [chapters[place] + number]
    assert page.preview.verticalScrollBar().value() == seen
    settled()
    assert [len(document.chapters) for document in printed] == [1, len(chapters)]
    assert page.pages == len(page.preview.printed.pages)


def page_title(study, place):
    curve = study.curves[place]
    return f"{curve.name}: {study.find_series(curve.series).name}"


def grey_of(image):
    grey = image.convertToFormat(QImage.Format.Format_Grayscale8)
    rows = np.frombuffer(grey.constBits(), np.uint8).reshape(grey.height(), grey.bytesPerLine())
    return rows[:, : grey.width()].astype(float)


def test_small_pages_are_the_large_ones_made_small(qapp):
    """Letters keep their edges at one pixel for a point: hardly a pixel is far from the mean of those of a large page."""
    data = pdf(report_document(demo_study()))
    large, small = (grey_of(printed_of(data, scale).pages[0]) for scale in (4.0, 1.0))
    height, width = (min(big // 4, little) for big, little in zip(large.shape, small.shape, strict=True))
    means = large[: 4 * height, : 4 * width].reshape(height, 4, width, 4).mean((1, 3))
    assert means.min() < 100
    assert (np.abs(means - small[:height, :width]) > 60).mean() < 0.0035
