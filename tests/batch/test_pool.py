"""Work by several processes: all results, whichever process dies; an item that kills each is given up."""

import os
import signal
from pathlib import Path

from vettore.batch.pool import run

BASE = 0


def start(base):
    global BASE
    BASE = base


def work(item):
    """Square an item; a folder in its place is where a process notes that it is about to die, the first time."""
    if isinstance(item, tuple):
        folder, number, times = item
        marks = list(Path(folder).glob(f"{number}-*"))
        if len(marks) < times:
            Path(folder, f"{number}-{len(marks)}").touch()
            os.kill(os.getpid(), signal.SIGKILL)
        item = number
    return BASE + item**2


def lost(item):
    return "lost"


def test_one_worker_and_two_give_the_same():
    """In any order, each once, of a source that is read only as it is needed."""
    asked = []

    def source():
        for number in range(70):
            asked.append(number)
            yield number

    here = dict(run(work, lost, range(70), 1, start, (3,)))
    results = run(work, lost, source(), 2, start, (3,))
    first = next(results)
    assert len(asked) < 70
    assert dict([first, *results]) == here == {number: 3 + number**2 for number in range(70)}


def test_what_a_killed_process_was_at_is_done_again(tmp_path):
    """A process that is killed in the middle costs nothing; an item that kills three is said to be lost."""
    items = [*range(20), (str(tmp_path), 50, 1), *range(20), (str(tmp_path), 60, 9), *range(5)]
    done = dict(run(work, lost, items, 2, start, (0,)))
    assert sorted(done) == list(range(len(items)))
    squares = [number**2 for number in range(20)]
    assert [done[place] for place in range(len(items))] == [*squares, 2500, *squares, "lost", *squares[:5]]


def test_nothing_is_lost_however_often_processes_die(tmp_path):
    """Many items kill their process once or twice, one for ever: that one alone is lost, and nothing beside it."""
    items = [(str(tmp_path), 100 + number, 99 if number == 7 else number % 3) for number in range(18)]
    done = dict(run(work, lost, items, 2, start, (0,)))
    assert done == {place: "lost" if place == 7 else (100 + place) ** 2 for place in range(18)}
