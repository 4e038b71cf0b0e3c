"""Peaks of small traces whose numbers can be worked out by hand."""

import numpy as np
import pytest

from vettore import core
from vettore.core.errors import DataError
from vettore.core.integration.peaks import find_peaks, measure_peak

TWO = [0, 0, 1, 2, 3, 4, 3, 2, 1, 0, 0, 0, 2, 4, 2, 0, 0]
JOINED = [0, 2, 6, 3, 5, 1, 0]


def told(peak, *names):
    return tuple(pytest.approx(getattr(peak, name)) for name in names)


def test_two_triangles_apart():
    """Places, heights, widths at half height, limits where the trace is down, areas and their shares."""
    first, second = find_peaks(range(17), TWO, least=2.0)
    assert told(first, "position", "height", "prominence", "width") == (5, 4, 4, 4)
    assert told(second, "position", "height", "prominence", "width") == (13, 4, 4, 2)
    assert (first.start, first.end, second.start, second.end) == (1, 9, 11, 15)
    assert told(first, "area", "share") == (16, 2 / 3)
    assert told(second, "area", "share") == (8, 1 / 3)


def test_two_that_are_joined_part_at_the_lowest_point_between():
    """Each above the line between its own ends; the lower one stands out from the valley alone."""
    first, second = find_peaks(range(7), JOINED, least=2.0)
    assert (first.start, first.end, second.start, second.end) == (0, 3, 3, 6)
    assert (first.prominence, second.prominence) == (6, 2)
    assert told(first, "area", "share") == (5, 5 / 8)
    assert told(second, "area", "share") == (3, 3 / 8)
    (alone,) = find_peaks(range(7), JOINED, least=2.0000001)
    assert (alone.start, alone.end, alone.share) == (0, 6, 1)


def test_x_may_be_uneven_and_falling():
    """Limits and places are those of x; rows in another order are the same trace."""
    x = np.array([1.0, 2, 4, 5, 7, 10, 12, 13, 15, 16, 20])
    y = [0, 0, 2, 4, 8, 4, 2, 0, 0, 1, 0]
    whole = find_peaks(x, y, least=1.0)
    assert [(one.start, one.end) for one in whole] == [(2, 13), (15, 20)]
    assert whole == find_peaks(x[::-1], y[::-1], least=1.0)
    assert whole[0].area == pytest.approx(2 + 3 + 12 + 18 + 6 + 1)
    assert 5 < whole[0].position < 10


def test_a_level_top_has_its_place_in_the_middle():
    """And a level valley belongs to both sides up to where the trace leaves it."""
    y = [0, 3, 3, 3, 1, 1, 1, 1, 3, 3, 0, 0]
    first, second = find_peaks(range(12), y, least=1.5)
    # Above the line from 0 at its start to 1 at its end.
    assert told(first, "position", "height") == (2, 2.5)
    assert 8 <= second.position <= 9
    assert (first.end, second.start) == (4, 7)
    assert second.end == 10


def test_the_most_prominent_are_kept_in_their_order():
    """As many as asked for; without a least prominence those that stand out of the scatter."""
    y = np.zeros(60)
    y[[5, 15, 25, 35, 45]] = [3, 9, 5, 8, 4]
    assert [one.position for one in find_peaks(range(60), y, least=1.0, most=3)] == [15, 25, 35]
    assert len(find_peaks(range(60), y, least=1.0)) == 5
    rng = np.random.default_rng(4)
    x = np.linspace(0, 30, 601)
    noisy = 4 * np.exp(-((x - 12) ** 2)) + rng.normal(0, 0.1, 601)
    (found,) = find_peaks(x, noisy)
    assert found.position == pytest.approx(12, abs=0.2)
    assert find_peaks(range(4), [0, 5, 0, 1], least=1.0) == ()


def test_the_ends_of_a_trace_are_no_peaks():
    """However high they are; and what rises all the way has none."""
    assert find_peaks(range(7), [9, 1, 0, 2, 0, 1, 9], least=1.0)[0].position == 3
    assert find_peaks(range(6), [0, 1, 2, 3, 4, 5], least=0.1) == ()
    assert find_peaks(range(6), [2] * 6, least=0.1) == ()


def test_the_error_of_an_area_is_that_of_its_rows():
    """By the weight of each row, looked up by moving it; limits may be given in either order."""
    sigma = np.linspace(0.1, 0.3, 17)
    peak = measure_peak(range(17), TWO, 1, 9, sigma=sigma)
    weights = []
    for row in range(17):
        moved = np.array(TWO, dtype=float)
        moved[row] += 1
        weights.append(measure_peak(range(17), moved, 1, 9).area - peak.area)
    assert peak.standard_error == pytest.approx(np.sqrt(np.sum((np.array(weights) * sigma) ** 2)))
    assert measure_peak(range(17), TWO, 9, 1, sigma=sigma) == peak
    assert peak.share == 1
    for limits, place in (((0, 2), 0), ((2, 4), 4)):
        edge = measure_peak(range(5), [5, 1, 0, 1, 5], *limits, floor=0.0)
        assert told(edge, "position", "height") == (place, 5)
    level = measure_peak(range(17), TWO, 1, 9, floor=-1.0)
    assert (level.area, level.height) == (pytest.approx(24), pytest.approx(5))
    spline = measure_peak(range(17), TWO, 1, 9, rule="spline")
    assert spline.area == pytest.approx(core.integrate(range(17), TWO, "spline", a=1, b=9, floor="ends").area)


@pytest.mark.parametrize(
    ("call", "words"),
    [
        (lambda: find_peaks(range(17), TWO, least=0.0), "least prominence must be above zero, but is 0"),
        (lambda: find_peaks(range(17), TWO, least=-2.5), "but is -2.5"),
        (lambda: measure_peak(range(17), TWO, 3.2, 3.8), r"no point between 3.2 and 3.8"),
    ],
)
def test_what_cannot_be_is_said(call, words):
    """In a sentence with the number that was given."""
    with pytest.raises(DataError, match=words):
        call()
