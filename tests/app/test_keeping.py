"""Nobody's work is overwritten, and what a reader does is told in the window."""

import os
from pathlib import Path

import pytest
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QPushButton

from tests.waiting import wait_for
from vettore.demo.study import demo_study
from vettore.files.journal import Journal
from vettore.files.study_file import open_study, save_study
from vettore.study import edits


@pytest.fixture
def shared(window, tmp_path, qtbot):
    """A study that is open here, and that somebody else has changed on disk."""
    path = tmp_path / "shared.vettore"
    save_study(demo_study(), path)
    window.open_paths([path])
    wait_for(lambda: window.session.path == path)
    theirs = edits.rename_series(demo_study(), "s1", "theirs")
    save_study(theirs, path)
    os.utime(path, ns=(1, 1))
    window.session.do("rename", edits.rename_series(window.session.study, "s1", "mine"))
    return window, path


def answer(window, words):
    """Press a button of the box that is about to open."""

    def press():
        button = next(b for b in window.saving.box.findChildren(QPushButton) if b.text().replace("&", "") == words)
        button.click()

    QTimer.singleShot(150, press)


def test_a_study_that_changed_on_disk_is_not_overwritten_unasked(shared, monkeypatch):
    """Not saving leaves theirs; a copy keeps both; overwriting is a decision, and asks no second time."""
    window, path = shared
    answer(window, "Do not save")
    assert window.saving.save() is False
    assert open_study(path).series[0].name == "theirs"
    copy = path.with_name("copy.vettore")
    monkeypatch.setattr("vettore.app.shell.saving.QFileDialog.getSaveFileName", lambda *_: (str(copy), ""))
    answer(window, "Save a copy …")
    assert window.saving.save() is True
    assert open_study(path).series[0].name == "theirs"
    assert open_study(copy).series[0].name == "mine"
    window.session.path, window.session.stamp = path, (0, 0)
    answer(window, "Overwrite theirs")
    assert window.saving.save() is True
    assert open_study(path).series[0].name == "mine"
    assert window.saving.save() is True


@pytest.mark.parametrize("fault", [KeyboardInterrupt, SystemExit, type("Panic", (BaseException,), {})])
def test_whatever_a_reader_raises_is_a_sentence(window, qtbot, fault):
    """A panic is no ordinary exception; the window does not go on reading for ever."""

    def job():
        raise fault("\udce9 panicked")

    said = []
    window.session.background.run("read", job, said.append, said.append)
    wait_for(lambda: bool(said))
    assert "panicked" in said[0]


def test_a_file_whose_name_is_not_utf8_comes_in(window, qtbot, tmp_path):
    """And the window can show its name."""
    path = Path(os.fsdecode(os.fsencode(tmp_path) + b"/caf\xe9.csv"))
    path.write_text("t,y\n1,2\n2,3\n3,5\n")
    window.open_paths([path])
    wait_for(lambda: bool(window.session.study.series))
    assert "caf" in window.session.series.name


def test_theirs_can_be_looked_at_before_anything_is_saved(shared, qtbot):
    """It opens in a window of its own; nothing is written, and it knows that the study is open here, too."""
    window, path = shared
    answer(window, "Look at theirs")
    assert window.saving.save() is False
    beside = window.saving.beside
    qtbot.addWidget(beside)
    wait_for(lambda: beside.session.path == path)
    assert beside.session.study.series[0].name == "theirs"
    assert window.session.study.series[0].name == "mine"
    assert "in another window, too" in beside._status.text()
    answer(beside, "Do not save")
    assert beside.saving.save() is False
    window.session.let_go()
    assert beside.saving.save() is True
    beside.close()


def test_a_save_that_fails_leaves_the_study_where_it_was(window, monkeypatch, tmp_path):
    """The title bar does not say that it is saved, and the next save asks again."""
    monkeypatch.setattr(
        "vettore.app.shell.saving.QFileDialog.getSaveFileName", lambda *_: (str(tmp_path / "gone" / "a.vettore"), "")
    )
    window.session.start(demo_study())
    assert window.saving.save() is False
    assert window.session.path is None
    assert "could not be saved" in window._status.text()


def test_choosing_another_fit_is_told_as_a_change_of_the_report(window, tmp_path):
    """The report of the study shows another fit; “all changes saved” would be untrue, until the first is chosen again."""
    window.session.start(demo_study())
    monkey = tmp_path / "a.vettore"
    assert window.saving._save_to(monkey)
    assert window.menus.kept.text() == "all changes saved"
    first, *_, last = window.session.study.curves
    window.session.show_curve(first.id if window.session.curve is last else last.id)
    assert window.menus.kept.text() == "changes not saved"
    assert window.saving.save()
    assert open_study(monkey).report.curve == window.session.curve.id


def test_a_journal_that_cannot_be_kept_is_said_once_and_tried_again(window, qtbot, monkeypatch):
    """In a sentence; when it works again, that is said, too."""
    monkeypatch.setattr("vettore.app.shell.keeping.TRIES_AGAIN_AFTER", 20)
    home = window.places.journal
    home.parent.mkdir(parents=True, exist_ok=True)
    home.write_text("in the way")
    said = []
    window.session.message.connect(lambda kind, text: said.append((kind, text)))
    window.keeper.start_journal()
    window.session.do("rename", edits.set_title(demo_study(), "a"))
    # Tried three times, and said once.
    wait_for(lambda: window.keeper._steps >= 3)
    assert [kind for kind, text in said if "journal" in text] == ["bad"]
    home.unlink()
    wait_for(lambda: any("is kept again" in text for _, text in said))
    assert list(home.glob("*/steps.log"))


def test_work_that_was_recovered_is_not_called_saved(window, tmp_path, monkeypatch):
    """It is marked as changed, in the title and when the window is left, until it is saved."""
    path = tmp_path / "bed.vettore"
    save_study(demo_study(), path)
    journal = Journal(window.places.journal)
    journal.keep(1, demo_study(), path)
    journal.keep(2, edits.set_title(demo_study(), "typed before the power went"), path)
    # As a crash does: its files stay, its lock is free.
    journal._log.close()
    journal._lock_file.close()
    assert window.keeper.recover()
    assert window.session.study.title == "typed before the power went"
    assert window.session.history.unsaved
    assert window.session.path == path
    window.saving.save()
    assert not window.session.history.unsaved
    assert open_study(path).title == "typed before the power went"
