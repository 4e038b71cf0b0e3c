"""What works beside the window lets it go first while it is busy, for a fair while, and never waits for one that waits."""

import threading

import pytest

from vettore.app import turns
from vettore.app.turns import FAIR, LONGEST, Turns


class Clock:
    """A clock that goes on as it is slept by; the window's thread is busy for a share of it."""

    def __init__(self):
        self.now, self.used, self.share, self.slept = 0.0, 0.0, 0.0, 0.0

    def monotonic(self):
        return self.now

    def pthread_getcpuclockid(self, _thread):
        return 1

    def clock_gettime(self, _clock):
        return self.used

    def goes_on(self, seconds):
        self.now += seconds
        self.used += seconds * self.share

    def sleep(self, seconds):
        self.slept += seconds
        self.goes_on(seconds)


@pytest.fixture
def clock(monkeypatch):
    made = Clock()
    monkeypatch.setattr(turns, "time", made)
    return made


def beside(what):
    """Do something on a thread beside the window's."""
    thread = threading.Thread(target=what)
    thread.start()
    thread.join()


def steps(clock, many, share, each=0.005):
    """Work in so many steps while the window is busy for a share of the time; return for how long that waited."""
    clock.share, before = share, clock.slept
    turn = Turns()

    def work():
        for _ in range(many):
            clock.goes_on(each)
            turn()

    beside(work)
    return clock.slept - before


def test_a_window_at_rest_is_not_waited_for(clock):
    assert steps(clock, 200, 0.0) == 0


def test_a_busy_window_goes_first_for_a_fair_while(clock):
    """Half a second at the most, and then what works beside it has its turn, too."""
    waited = steps(clock, 200, 0.9)
    assert waited > LONGEST
    worked = 200 * 0.005
    assert worked >= FAIR * (waited - LONGEST) - 0.01


def test_as_soon_as_the_window_rests_work_goes_on(clock):
    turn, slept = Turns(), []

    def work():
        turn()
        clock.share = 1.0
        clock.goes_on(0.05)
        clock.share = 0.0
        before = clock.slept
        turn()
        slept.append(clock.slept - before)

    beside(work)
    assert slept == [pytest.approx(turns.LOOK)]


def test_the_window_itself_never_waits(clock):
    clock.share, turn = 1.0, Turns()
    for _ in range(100):
        clock.goes_on(0.01)
        turn()
    assert clock.slept == 0
