"""The guide in its window: contents, search, back, links; and every place that the program points to."""

import re
from datetime import datetime

import pytest
from PySide6.QtCore import Qt, QUrl
from PySide6.QtWidgets import QPushButton, QWidget

from vettore.app.pages.listed import PAGES
from vettore.app.shell.guide import INDEX, anchor_of, find, guide_folder, places, places_on
from vettore.app.shell.help import LINK
from vettore.app.style import colour
from vettore.app.widgets.parts import help_of
from vettore.app.widgets.welcome import Card
from vettore.demo.study import demo_study
from vettore.words.dates import day_words

LEFT = Qt.MouseButton.LeftButton
KNOWN = {place.link for place in places()}


@pytest.fixture
def guide(window):
    window.show_help()
    return window._help


def test_every_link_of_the_guide_leads_somewhere():
    """Pages, headings and pictures that a page names are there."""
    for page in guide_folder().glob("*.md"):
        text = page.read_text("utf-8")
        for target in re.findall(r"\]\(([^)]+)\)", text):
            name, _, anchor = target.partition("#")
            assert (guide_folder() / (name or page.name)).resolve().exists(), (page.name, target)
            if anchor:
                assert f"{name or page.name}#{anchor}" in KNOWN, (page.name, target)


def test_everything_the_window_points_to_is_in_the_guide(window, settled):
    """The help of every page and of every widget in it is a heading that exists; most kinds of work have one."""
    window.start(demo_study())
    settled()
    asked = set()
    for entry in PAGES:
        page = window.pages[entry.name]
        asked.add(page.help_page)
        for part in (page.choices, page.stage, page.findings):
            asked |= {help_of(widget) for widget in (part, *part.findChildren(QWidget))}
    asked -= {""}
    assert asked <= KNOWN
    assert {"fit.md#read-values", "data.md#set-rows-aside", "integrate.md#take-the-area-under-a-function"} <= asked
    assert len(asked) >= 18


def test_f1_tells_about_what_has_the_keyboard(window, qtbot, settled):
    """On the readings of a fit it opens that heading; elsewhere on the page its beginning."""
    window.start(demo_study())
    window.show_page("Fit")
    settled()
    page = window.pages["Fit"]
    page.plot.setFocus()
    qtbot.keyClick(window, Qt.Key.Key_F1)
    assert window._help._at == "fit.md"
    window._help.close()
    window.activateWindow()
    field = next(one for one in page.readings.findChildren(QWidget) if one.focusPolicy() & Qt.FocusPolicy.TabFocus)
    field.setFocus()
    qtbot.keyClick(field, Qt.Key.Key_F1)
    assert window._help._at == "fit.md#read-values"
    assert window._help.text.textCursor().block().text() == "Read values"


def test_contents_search_and_back(guide, qtbot):
    """A heading of the contents comes to the top; words find their places, those in headings first; back goes back."""
    rows = [guide.list.item(row).text().strip() for row in range(guide.list.count())]
    assert rows[:3] == ["Vettore guide", "Ten tasks", "1. Open a file and trust it"]
    qtbot.keyClicks(guide.search, "peaks area")
    assert guide.list.item(0).data(LINK) == "integrate.md#keep-areas-find-peaks"
    qtbot.keyClick(guide.search, Qt.Key.Key_Return)
    assert guide.text.textCursor().selectedText() in ("peaks", "Peaks")
    guide.search.setText("zeppelin")
    assert [guide.list.item(row).text() for row in range(guide.list.count())] == [
        "Nothing in the guide holds these words."
    ]
    qtbot.keyClick(guide, Qt.Key.Key_Escape)
    assert guide.search.text() == ""
    guide.text.anchorClicked.emit(QUrl("fit.md#compare-models"))
    assert guide._at == "fit.md#compare-models"
    qtbot.mouseClick(guide.back, LEFT)
    assert guide._at == "integrate.md#keep-areas-find-peaks"
    while guide.back.isEnabled():
        guide.go_back()
    assert guide._at == "data.md"


def test_the_guide_has_the_colours_of_the_theme_and_pictures_that_fit(window, guide):
    """Links are in the accent of paper and of lamp; a picture is no wider than the page."""
    for lamp in (False, True):
        window.take_theme(lamp)
        guide.show_page("fit.md")
        block, inks, widths = guide.text.document().begin(), set(), []
        while block.isValid():
            place = block.begin()
            while not place.atEnd():
                shown = place.fragment().charFormat()
                if shown.isAnchor():
                    inks.add(shown.foreground().color().name())
                if shown.isImageFormat():
                    url = QUrl(shown.toImageFormat().name())
                    picture = guide.text.loadResource(2, url)
                    widths.append(picture.width() / picture.devicePixelRatio())
                place += 1
            block = block.next()
        assert inks == {colour("accent").name()}
        assert len(widths) == 3
        assert all(0 < width < guide.text.viewport().width() for width in widths)
    window.take_theme(False)


def test_places_and_anchors():
    """Anchors are those of Markdown; hits quote the words around what was found."""
    assert anchor_of("Keep areas, find peaks") == "keep-areas-find-peaks"
    assert [place.level for place in places_on("tasks.md")] == [1] + [2] * 10
    hit = next(hit for hit in find("Huber") if hit.place.page == "fit.md")
    assert "Huber" in hit.around
    assert places()[0].page == INDEX


def test_a_window_without_data_offers_what_to_do(window, qtbot, settled, tmp_path):
    """Recent studies with their pictures, the demo, the tasks of the guide; a click opens."""
    page = window.pages["Data"]
    assert page.welcome.cards == []
    assert not page.choices.dragging.isVisible()
    task = next(one for one in page.findings.first_steps.findChildren(QPushButton) if one.text() == "Compare models")
    qtbot.mouseClick(task, LEFT)
    assert window._help._at == "tasks.md#5-compare-models"
    demo = next(one for one in page.welcome.findChildren(QPushButton) if "demo" in one.text())
    qtbot.mouseClick(demo, LEFT)
    settled()
    assert window.session.study.title == demo_study().title
    assert page.findings.currentWidget() is page.findings.of_series
    window.session.path = tmp_path / "Week 23.vettore"
    window.saving.save()
    window.new_study()
    (card,) = page.welcome.findChildren(Card)
    assert card.text().splitlines()[0] == "Week 23"
    assert card.text().splitlines()[1].startswith("today, ")
    qtbot.mouseClick(card, LEFT)
    settled()
    assert window.session.path == tmp_path / "Week 23.vettore"
    assert len(window.session.study.series) > 3


def test_days_in_words():
    """Today and yesterday by the clock, a week by its days, older ones by the date."""
    now = datetime(2026, 3, 9, 8, 5)
    said = [
        day_words(datetime(2026, *then), now) for then in ((3, 9, 0, 0), (3, 8, 23, 59), (3, 2, 9, 0), (3, 1, 9, 0))
    ]
    assert said == ["today, 0:00", "yesterday, 23:59", "7 days ago", "2026-03-01"]
