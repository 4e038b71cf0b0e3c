"""Where plots stand on a sheet, where their lines have points, and what is taken out of a drawn figure."""

import re

import matplotlib.figure
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as some

from vettore.report.figures.layout import EDGE_POINTS, InRows, fit_titles, without_middle
from vettore.report.figures.lean import ON_THE_LINE, lean
from vettore.report.figures.multiples import _panel_after
from vettore.report.figures.plot import CURVE_POINTS, Drawn, line_table, spread
from vettore.report.figures.plotting import _reciprocals

SVG = '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink">{}</svg>'


def sheet(rows, across, width, height, long=""):
    """A sheet of plots in rows, their words and places as they are after they were laid out."""
    figure = matplotlib.figure.Figure(figsize=(width / 25.4, height / 25.4), dpi=200)
    grid = figure.subplots(rows, across, squeeze=False)
    for number, axes in enumerate(grid.ravel()):
        axes.plot([0, 10.0 ** (number % 4)], [0, 10.0 ** (3 - number % 4)])
        axes.set_xlabel(f"minute {number} (min)")
        axes.set_ylabel(f"oxygen{long} (mg/L)")
    titles = [axis for axes in grid.ravel() for axis in (axes.xaxis, axes.yaxis)]
    fit_titles(figure, titles, InRows(figure, [list(row) for row in grid], [2.0] + [1.0] * (rows - 1)))
    return figure, grid


@settings(max_examples=12)
@given(some.integers(1, 3), some.integers(1, 3), some.floats(60, 100), some.floats(50, 100))
def test_plots_in_rows_share_the_sheet(rows, across, width, height):
    """All of one width; heights in their shares; none over another; words within the sheet and up to its edges."""
    figure, grid = sheet(rows, across, width * across, height * rows)
    boxes = np.array([[axes.get_window_extent().extents for axes in row] for row in grid])
    widths, heights = boxes[..., 2] - boxes[..., 0], boxes[..., 3] - boxes[..., 1]
    assert widths == pytest.approx(np.full((rows, across), widths[0, 0]))
    assert heights[0] == pytest.approx(2 * heights[-1] if rows > 1 else heights[0])
    assert heights[-1] == pytest.approx(np.full(across, heights[-1, 0]))
    if across > 1:
        assert (boxes[:, 1:, 0] > boxes[:, :-1, 2]).all()
    if rows > 1:
        assert (boxes[1:, :, 3] < boxes[:-1, :, 1]).all()
    around = [axes.get_tightbbox() for axes in grid.ravel()]
    edge = EDGE_POINTS * figure.dpi / 72
    assert min(box.x0 for box in around) == pytest.approx(edge, abs=2)
    assert min(box.y0 for box in around) == pytest.approx(edge, abs=2)
    assert max(box.x1 for box in around) <= figure.bbox.width + 1
    assert max(box.y1 for box in around) <= figure.bbox.height + 1


def test_words_longer_than_their_axis_are_broken_then_shortened():
    """First before the unit, and the plot gives way by a line; what is still too long loses its middle."""
    _, plain = sheet(1, 1, 100, 60)
    broken_at, whole = plain[0, 0].get_window_extent().x0, plain[0, 0].get_ylabel()
    assert whole == "oxygen (mg/L)"
    _, broken = sheet(1, 1, 100, 60, long=" left in the jar")
    label = broken[0, 0].yaxis.label
    assert label.get_text() == "oxygen left in the jar\n(mg/L)"
    line = plain[0, 0].yaxis.label.get_window_extent().width
    moved = broken[0, 0].get_window_extent().x0 - broken_at
    assert 0.8 * line < moved < 1.6 * line
    _, short = sheet(1, 1, 100, 60, long=" left" * 30)
    told = short[0, 0].get_ylabel()
    assert " … " in told
    assert told.startswith("oxygen left")
    assert told.endswith("(mg/L)")
    frame, words = short[0, 0].get_window_extent(), short[0, 0].yaxis.label.get_window_extent()
    assert words.height <= frame.height + 1
    assert words.x1 < min(tick.get_window_extent().x0 for tick in short[0, 0].get_yticklabels())


@given(some.text("abc (/)", min_size=1, max_size=60), some.integers(0, 80))
def test_what_is_left_of_a_long_text_are_its_ends(text, room):
    """Not more letters than there is room for, or than nine."""
    left = without_middle(text, room)
    first, last = left.split(" … ")
    assert text.startswith(first)
    assert text.endswith(last)
    assert len(left) <= max(room, 9)


@given(some.floats(1e-6, 1e6), some.floats(1.01, 1e4))
def test_a_reciprocal_axis_turns_back_to_what_it_was(low, times):
    """Above its lower end; it rises, and what is not above 0 lies far outside."""
    turn, back = _reciprocals(low)
    x = np.linspace(low, low * times, 50)
    assert back(turn(x)) == pytest.approx(x, rel=1e-12)
    assert (np.diff(turn(x)) > 0).all()
    outside = turn(np.array([0.0, -1.0, -1e300]))
    assert (outside == outside[0]).all()
    assert outside[0] < 10 * turn(low) < turn(low)
    assert np.isnan(back(1.0))


@given(some.floats(-1e3, 1e3), some.floats(1e-3, 1e3), some.sampled_from(["linear", "log", "reciprocal"]))
def test_lines_have_points_where_a_scale_shows_them(low, width, scale):
    """From end to end to the last digit, rising; even on the scale where all of it has a place there."""
    high = low + width
    x = spread((low, high), scale)
    assert (x[0], x[-1]) == (low, high)
    assert (np.diff(x) > 0).all()
    assert len(x) >= CURVE_POINTS
    if scale == "log" and low > 0:
        steps = np.diff(np.log(x))
        assert steps == pytest.approx(np.full(len(steps), steps.mean()), rel=1e-3, abs=1e-13)
    if scale == "reciprocal" and low > 0 and high < 900 * low:
        steps = -np.diff(1 / x)
        assert steps == pytest.approx(np.full(len(steps), steps.mean()), rel=1e-3, abs=1e-13)


def test_the_data_of_a_line_are_the_line_in_full_digits():
    """Curve and band at the places at which they are drawn."""
    drawn = Drawn("cubic", lambda x: x**3 / 3, (0.1, 7.0), lambda x: (x - 1 / 3, x + 1 / 3))
    head, *rows = line_table(drawn, "log").splitlines()
    assert head == "x,curve,band from,band to"
    numbers = np.array([[float(cell) for cell in row.split(",")] for row in rows])
    assert numbers[:, 0].tolist() == spread(drawn.span, "log").tolist()
    assert numbers[:, 1].tolist() == (numbers[:, 0] ** 3 / 3).tolist()
    assert numbers[:, 3].tolist() == (numbers[:, 0] + 1 / 3).tolist()


@pytest.mark.parametrize(
    ("first", "by", "wanted"),
    [("a", 0, "a"), ("a", 3, "d"), ("(a)", 1, "(b)"), ("B", 2, "D"), ("y", 3, "bb"), ("1", 5, "1"), ("", 2, "")],
)
def test_letters_of_panels_go_on(first, by, wanted):
    """After the one that was typed, in its brackets; after z come two."""
    assert _panel_after(first, by) == wanted


@given(some.lists(some.tuples(some.floats(0, 400), some.floats(0, 300)), min_size=61, max_size=150), some.booleans())
def test_a_thinned_outline_stays_on_its_line(points, marked):
    """No point that is left out lies farther from the line than a hundredth of a point, drawn at once or by a definition."""
    d = "M " + " L ".join(f"{x:.6f} {y:.6f}" for x, y in points)
    if marked:
        made = f'<defs><path id="C0_0_0123456789" d="{d}"/></defs><g><use xlink:href="#C0_0_0123456789" x="5" y="7"/></g>'
        by = np.array([5.0, 7.0])
    else:
        made, by = f'<path d="{d}"/>', np.zeros(2)
    (told,) = re.findall(r'd="M ([^"]*)"', lean(SVG.format(made)))
    kept = np.array([float(one) for one in re.findall(r"-?[\d.]+(?:e-?\d+)?", told)]).reshape(-1, 2)
    whole = np.array(points) + by
    assert len(kept) <= len(whole)
    assert kept[0] == pytest.approx(whole[0], abs=1e-3)
    assert kept[-1] == pytest.approx(whole[-1], abs=1e-3)
    for point in whole:
        starts, along = kept[:-1], np.diff(kept, axis=0)
        size = np.maximum((along**2).sum(axis=1), 1e-300)
        share = np.clip(((point - starts) * along).sum(axis=1) / size, 0, 1)
        away = np.hypot(*(starts + share[:, None] * along - point).T).min()
        assert away <= ON_THE_LINE + 2e-3


def test_what_says_nothing_goes_and_what_is_seen_stays():
    """Marks become what they stand for, discs circles; groups without a look go, those with one stay around their parts."""
    square = '<path id="m0123456789" d="M -1 -1 L 1 -1 L 1 1 L -1 1 z" style="stroke: #5a6870"/>'
    made = SVG.format(
        f'<defs>{square}<style>*{{}}</style></defs><g id="axes_1"><g clip-path="url(#p)">'
        '<use xlink:href="#m0123456789" x="10" y="20" style="fill: #ffffff"/></g></g>'
        '<text style="font: 8px Inter" transform="rotate(-0 3 4)">0</text>'
    )
    told = lean(made)
    assert "<use" not in told
    assert "<style" not in told
    assert 'id="axes_1"' not in told
    assert 'clip-path="url(#p)"' in told
    assert 'd="M 9 19 L 11 19 L 11 21 L 9 21 z"' in told
    assert 'fill="#ffffff" stroke="#5a6870"' in told
    assert 'font="8px Inter"' in told
    assert "rotate" not in told


@pytest.mark.parametrize("end", [9.7, 9.9, 10.0, 10.4, 97.0])
def test_figures_near_the_end_of_an_axis_stay_on_the_sheet(end):
    """The narrower a plot, the farther the last figure reaches beyond it: measured again at the width that plots get."""
    for width in range(50, 96, 3):
        figure, grid = sheet(1, 2, 2 * width, 50)
        for axes in grid.ravel():
            axes.set_xlim(0, end)
        layout = InRows(figure, [list(grid[0])], [1.0])
        layout.place()
        for axes in grid.ravel():
            boxes = [label.get_window_extent() for label in axes.get_xticklabels() if label.get_text()]
            frame = axes.get_window_extent()
            shown = [box for box in boxes if frame.x0 - 1 <= (box.x0 + box.x1) / 2 <= frame.x1 + 1]
            assert max(box.x1 for box in shown) <= figure.bbox.width
            assert min(box.x0 for box in shown) >= 0
