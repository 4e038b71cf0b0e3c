"""A file that an instrument is still writing comes in row by row; the fit follows; nothing is lost or doubled."""

import time

import numpy as np
import pytest

from tests.waiting import wait_for
from vettore.app import following
from vettore.files.growing import only_grew, rows_so_far
from vettore.files.readers import read_file
from vettore.files.refusals import FileError
from vettore.study import edits

HEAD = "time (s),signal (V)\n"


def line(n):
    return f"{n * 0.1:.1f},{3 + 2 * n * 0.1:.3f}\n"


@pytest.fixture
def followed(window, qtbot, tmp_path, monkeypatch):
    """A window that follows a file of ten rows, with a line fitted to them."""
    monkeypatch.setattr(following, "PAUSE", 60)
    path = tmp_path / "logger.csv"
    path.write_text(HEAD + "".join(line(n) for n in range(10)))
    window.open_paths([path])
    wait_for(lambda: bool(window.session.study.series))
    session = window.session
    session.do("fit", edits.add_fit(session.study, session.series.id, 1))
    session.choose_newest()
    window.pages["Data"].findings.follow.click()
    return window, path


def test_rows_come_in_as_they_are_written_and_the_fit_follows(followed, qtbot, settled):
    """Written in pieces that end in the middle of a row; set-aside rows, undo and the name stay as they were."""
    window, path = followed
    session = window.session
    session.do("aside", edits.set_rows_aside(session.study, session.series.id, [2], "spilt"))
    undo = session.history.undo_label
    text = "".join(line(n) for n in range(10, 60))
    with path.open("a") as file:
        for start in range(0, len(text), 7):
            file.write(text[start : start + 7])
            file.flush()
            qtbot.wait(5)
    wait_for(lambda: session.series.rows == 60)
    x, y = session.series.data[0].values, session.series.data[1].values
    assert x.tolist() == [round(0.1 * n, 1) for n in range(60)]
    assert y.tolist() == [float(line(n).split(",")[1]) for n in range(60)]
    assert session.series.reason(2) == "spilt"
    assert session.history.undo_label == undo
    assert window.pages["Data"].findings.followed.text().startswith("followed since ")
    assert window.pages["Data"].findings.followed.text().endswith("50 rows more")
    window.show_page("Fit")
    settled()
    assert window.pages["Fit"].fit.result.n == 59
    # An edit that is undone, or done again, brings back no table of before.
    session.undo()
    assert session.series.rows == 60
    session.redo()
    assert session.series.rows == 60
    session.undo()
    with path.open("a") as file:
        file.write(line(60))
    wait_for(lambda: session.series.rows == 61)
    assert session.series.reason(2) is None
    window.show_page("Data")
    window.pages["Data"].findings.follow.click()
    with path.open("a") as file:
        file.write(line(61))
    # Nothing is watched any more, so nothing can come in.
    assert window.session.follower._watcher.files() == []
    assert not window.session.follower._soon.isActive()
    settled()
    assert session.series.rows == 61
    assert not window.pages["Data"].findings.followed.isVisible()


@pytest.mark.parametrize("how", ["replaced", "cut", "gone", "another table"])
def test_a_file_that_does_not_only_grow_is_no_longer_followed(followed, qtbot, how):
    """What was read stays, and it is said; a whole file put in its place that goes on is followed."""
    window, path = followed
    said = []
    window.session.message.connect(lambda kind, text: said.append(text) if kind == "bad" else None)
    text = path.read_text()
    if how == "replaced":
        other = path.with_suffix(".new")
        other.write_text(text + line(10))
        other.replace(path)
        wait_for(lambda: window.session.series.rows == 11)
        with path.open("a") as file:
            file.write(line(11))
        wait_for(lambda: window.session.series.rows == 12)
        return
    if how == "gone":
        path.unlink()
    else:
        path.write_text(text[: len(text) // 2] if how == "cut" else "a,b,c\n1,2,3\n2,3,4\n")
    wait_for(lambda: bool(said))
    assert "logger.csv" in said[0]
    assert window.session.series.rows == 10
    assert window.session.follower.words(window.session.series.id) == ""


def test_another_study_is_not_filled_from_the_files_of_the_last(followed):
    """Following ends with the study."""
    window, _path = followed
    series = window.session.series.id
    assert window.session.follower.words(series)
    window.new_study()
    assert window.session.follower.words(series) == ""


def test_only_whole_lines_are_rows(tmp_path):
    """The last line may be half a number; archives cannot be followed."""
    path = tmp_path / "a.csv"
    path.write_text("t,y\n1,2\n2,3.4")
    assert rows_so_far(path).rows == 1
    path.write_text("t,y\n1,2\n2,3.45\n")
    assert rows_so_far(path).columns[1].values.tolist() == [2, 3.45]
    path.write_bytes(b"\x1f\x8b\x08" + bytes(20))
    with pytest.raises(FileError, match="grows by lines"):
        rows_so_far(path)


def test_a_table_only_grew_when_it_begins_with_all_that_was_there(tmp_path):
    """Blanks, words and texts count, too."""

    def table(text):
        path = tmp_path / f"{time.monotonic_ns()}.csv"
        path.write_text(text)
        return read_file(path)[0].table

    old = table("t,y,note\n1,2,a\n2,n/a,b\n3,4,c\n")
    assert only_grew(old, old)
    assert only_grew(old, table("t,y,note\n1,2,a\n2,n/a,b\n3,4,c\n4,<LOD,d\n5,6,e\n"))
    for other in (
        "t,y,note\n1,2,a\n2,n/a,b\n",
        "t,y,note\n1,2,a\n2,n/a,b\n3,5,c\n4,5,d\n",
        "t,y,note\n1,2,a\n2,n/a,x\n3,4,c\n4,5,d\n",
        "t,z,note\n1,2,a\n2,n/a,b\n3,4,c\n4,5,d\n",
        "t,y\n1,2\n2,n/a\n3,4\n4,5\n",
        "t,y,note\n1,2,a\n2,0,b\n3,4,c\n4,5,d\n",
    ):
        assert not only_grew(old, table(other)), other
    assert np.isnan(old.columns[1].values[1])
