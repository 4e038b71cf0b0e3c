"""The journal brings back the last whole step of a window that was killed, and nothing of one that closed."""

import resource
import shutil
import signal
import subprocess
import sys

import pytest

from vettore.demo.study import demo_study
from vettore.files.held import Hold
from vettore.files.journal import Journal, let_go, recover
from vettore.files.refusals import FileError
from vettore.files.study_file import study_bytes
from vettore.study import edits


def kill(journal):
    """End a journal as a crash does: its files stay, its lock is free."""
    journal._log.close()
    journal._lock_file.close()


def test_the_last_whole_step_is_recovered(tmp_path):
    """Steps are found again bit for bit; a line cut off in the middle leaves the one before it."""
    journal = Journal(tmp_path)
    study = demo_study()
    journal.keep(1, study, None)
    second = edits.set_cell(edits.add_worked_column(study, "s1", "c", "", "2*signal"), "s1", 0, 1, "7")
    journal.keep(2, second, tmp_path / "a.vettore")
    assert recover(tmp_path) == []
    kill(journal)
    (found,) = recover(tmp_path)
    assert (found.steps, found.path) == (2, tmp_path / "a.vettore")
    assert study_bytes(found.study) == study_bytes(second)
    with (found.folder / "steps.log").open("r+b") as log:
        log.truncate(log.seek(0, 2) - 30)
    (found,) = recover(tmp_path)
    assert study_bytes(found.study) == study_bytes(study)
    let_go(found)
    assert recover(tmp_path) == []


def test_a_window_that_closes_in_order_leaves_nothing(tmp_path):
    """Late and repeated steps are passed over, and the folder goes with the window."""
    journal = Journal(tmp_path)
    journal.keep(2, demo_study(), None)
    size = (journal.folder / "steps.log").stat().st_size
    journal.keep(1, demo_study(), None)
    assert (journal.folder / "steps.log").stat().st_size == size
    journal.end()
    journal.keep(3, demo_study(), None)
    assert recover(tmp_path) == []
    assert list(tmp_path.iterdir()) == []


def test_a_full_disk_is_said_and_the_next_step_is_whole(tmp_path):
    """Nothing of the step that failed stays in its way; what was missed comes with the next one that is written."""
    journal, study = Journal(tmp_path), demo_study()
    journal.keep(1, study, None)
    second = edits.set_title(study, "while it was full")
    third = edits.set_title(study, "when there was room again")
    size = (journal.folder / "steps.log").stat().st_size
    before = resource.getrlimit(resource.RLIMIT_FSIZE)
    resource.setrlimit(resource.RLIMIT_FSIZE, (size + 500, before[1]))
    try:
        for _ in range(2):
            with pytest.raises(FileError, match=r"cannot be written in .*: File too large\. Nothing is lost"):
                journal.keep(2, second, None)
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, before)
    assert (journal.folder / "steps.log").stat().st_size == size
    journal.keep(3, third, None)
    assert journal.problem == ""
    kill(journal)
    (found,) = recover(tmp_path)
    assert (found.steps, found.study.title) == (3, third.title)


def test_a_log_that_could_not_be_cut_off_begins_a_new_line(tmp_path):
    """The torn step is passed over and the one after it is found."""
    journal = Journal(tmp_path)
    journal.keep(1, demo_study(), None)
    journal._log.write(b'{"step": 2, "study": {"torn')
    journal._log.close()
    journal.keep(3, edits.set_title(demo_study(), "after"), None)
    kill(journal)
    (found,) = recover(tmp_path)
    assert (found.steps, found.study.title) == (3, "after")


@pytest.mark.parametrize("how", ["removed", "moved", "emptied"])
def test_a_folder_that_vanishes_is_made_again(tmp_path, how):
    """With its lock, its tables and the whole study, at the next step."""
    home = tmp_path / "journal"
    journal = Journal(home)
    journal.keep(1, demo_study(), None)
    if how == "moved":
        home.rename(tmp_path / "elsewhere")
    elif how == "removed":
        shutil.rmtree(home)
    else:
        shutil.rmtree(journal.folder / "tables")
        (journal.folder / "tables").mkdir()
    after = edits.set_title(demo_study(), "after")
    journal.keep(2, after, None)
    assert recover(home) == []
    kill(journal)
    (found,) = recover(home)
    assert (found.steps, found.study.title) == (2, "after")
    assert study_bytes(found.study) == study_bytes(after)


def test_a_place_that_cannot_be_written_is_said_at_once_and_tried_again(tmp_path):
    """A file stands where the folder should be; once it is gone, the journal is kept."""
    home = tmp_path / "journal"
    home.write_text("in the way")
    journal = Journal(home)
    assert journal.problem.startswith(f"The journal of your work cannot be written in {home}: ")
    with pytest.raises(FileError, match="save often"):
        journal.keep(1, demo_study(), None)
    home.unlink()
    journal.keep(2, demo_study(), None)
    kill(journal)
    assert [found.steps for found in recover(home)] == [2]


def test_a_study_is_held_by_one_window_and_a_crash_sets_it_free(tmp_path):
    """The second is told who; after an orderly end nothing is left, after a crash nobody holds it."""
    path = tmp_path / "a.vettore"
    first, second = Hold(path), Hold(path)
    assert first.other is None
    assert second.other is not None
    assert len(second.other.since) == len("2026-01-01 00:00")
    first.let_go()
    assert second.try_again() is None
    second.let_go()
    assert list(tmp_path.iterdir()) == []
    program = "import sys, pathlib, vettore.files.held as held; h = held.Hold(pathlib.Path(sys.argv[1])); print(1, flush=True)"
    waits = f"{program}; input()"
    with subprocess.Popen(
        [sys.executable, "-c", waits, path], stdin=subprocess.PIPE, stdout=subprocess.PIPE
    ) as child:
        assert child.stdout.readline()
        assert Hold(path).other is not None
        child.send_signal(signal.SIGKILL)
    third = Hold(path)
    assert third.other is None
    third.let_go()
    assert list(tmp_path.iterdir()) == []


def test_a_place_where_no_lock_can_be_made_holds_nothing_and_disturbs_nobody(tmp_path):
    """As in a folder that may only be read."""
    hold = Hold(tmp_path / "gone" / "a.vettore")
    assert hold.other is None
    assert hold.try_again() is None
    hold.let_go()
