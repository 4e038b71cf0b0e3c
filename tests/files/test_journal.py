"""The journal brings back the last whole step of a window that was killed, and nothing of one that closed."""

from vettore.demo.study import demo_study
from vettore.files.journal import Journal, let_go, recover
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
