"""The finder and the sheet of keys, in the real window."""

from PySide6.QtCore import Qt

from tests.waiting import wait_for
from vettore.app.shell.finder import KEYS, Thing, matching
from vettore.demo.study import demo_study

CONTROL = Qt.KeyboardModifier.ControlModifier


def test_words_find_what_begins_with_them_before_what_holds_them():
    """All words have to be there; the beginning of a word counts more than its middle."""
    things = [
        Thing("Quadratic", "model", print),
        Thing("Ratio of quadratics", "model", print),
        Thing("Data", "page", print),
    ]
    assert [thing.words for thing in matching(things, "quad")] == ["Quadratic", "Ratio of quadratics"]
    assert [thing.words for thing in matching(things, "adratic")] == ["Quadratic", "Ratio of quadratics"]
    assert [thing.words for thing in matching(things, "model ratio")] == ["Ratio of quadratics"]
    assert matching(things, "nothing") == []
    assert len(matching(things, "")) == 3


def test_anything_is_found_by_its_words_and_done(window, qtbot, settled):
    """A page, a series, a model and a page of help, by keys alone; Escape leaves without doing anything."""
    window.start(demo_study())
    window.show_page("Data")

    def find(text, *keys):
        window.activateWindow()
        wait_for(window.isActiveWindow)
        qtbot.keyClick(window, Qt.Key.Key_K, CONTROL)
        finder = window.finder
        assert finder.isVisible()
        qtbot.keyClicks(finder.field, text)
        first = finder.list.item(0).text()
        for key in keys or (Qt.Key.Key_Return,):
            qtbot.keyClick(finder.field, key)
        settled()
        return first

    find("integrate")
    assert window.page.name == "Integrate"
    assert "Dye pulse" in find("dye pulse")
    assert window.session.series.name.startswith("Dye pulse")
    find("skewed peak")
    assert window.page.name == "Fit"
    assert window.session.curve.model == "skewed-peak"
    title = window.session.history.undo_label
    find("undo", Qt.Key.Key_Escape)
    assert window.session.history.undo_label == title
    find("nothing has these", Qt.Key.Key_Return, Qt.Key.Key_Escape)
    assert window.session.history.undo_label == title
    find("polynomial help")
    assert window._help.isVisible()
    window._help.close()


def test_the_sheet_of_keys_lists_those_of_the_menus_and_of_the_pages(window, qtbot):
    """Each with what it does."""
    qtbot.keyClick(window, Qt.Key.Key_F1, CONTROL)
    rows = {(keys, words) for _place, keys, words in window.keys.rows}
    assert ("Ctrl+K", "Find anything …") in rows
    assert ("Ctrl+Z", "Undo") in rows
    assert {row[1:] for row in KEYS} <= rows
    window.keys.close()


def test_the_folded_tray_opens_searches_and_chooses(window, qtbot, settled):
    """Ctrl+T opens the list; words narrow it; Enter chooses; the line says what is chosen; Escape leaves it as it was."""
    window.start(demo_study())
    window.show_page("Fit")
    settled()
    tray = window.tray
    assert tray.fold.isVisible()
    qtbot.keyClick(window, Qt.Key.Key_T, CONTROL)
    qtbot.keyClicks(tray.list.search_field, "pond t")
    assert [entry.text() for entry in tray.list.entries.values() if entry.isVisible()] == ["Pond temperature"]
    qtbot.keyClick(tray.list.search_field, Qt.Key.Key_Return)
    settled()
    assert window.session.series.name == "Pond temperature"
    assert tray.fold.text() == "Pond temperature"
    assert tray._popup is None
    window.show_page("Data")
    assert tray.list.isVisible()
    assert not tray.fold.isVisible()


def test_series_are_renamed_moved_and_duplicated_from_the_tray(window, settled, monkeypatch):
    """Each is one step; what is moved to the end stays there."""
    from PySide6.QtWidgets import QInputDialog

    window.start(demo_study())
    session, tray = window.session, window.tray.list
    names = [series.name for series in session.study.series]
    first = session.study.series[0].id

    def choose(words):
        menu = tray.offer(first, "")
        next(action for action in menu.actions() if action.text() == words).trigger()

    choose("Move down")
    assert [series.name for series in session.study.series[:2]] == [names[1], names[0]]
    choose("Move up")
    choose("Move up")
    assert [series.name for series in session.study.series] == names
    monkeypatch.setattr(QInputDialog, "getText", lambda *_args, **_more: ("Another name", True))
    choose("Rename …")
    assert session.study.series[0].name == "Another name"
    choose("Duplicate")
    assert session.study.series[-1].name.startswith("Another name")
    assert len(session.study.series) == len(names) + 1
    for _ in range(4):
        session.undo()
    assert [series.name for series in session.study.series] == names
    settled()
