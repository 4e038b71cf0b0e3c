"""What a map paints at once: contours in one array with gaps, those of the level that is asked for apart; the outline as seen."""

import numpy as np
import pytest
from PySide6.QtCore import QRectF

from vettore.app.stage.items import BESIDE, within
from vettore.app.stage.map_items import Contours, Lines
from vettore.core.rounding import NumberStyle
from vettore.core.surface.contours import Contour

SQUARE = np.array([[0.0, 0.0], [3.0, 0.0], [3.0, 4.0], [0.0, 4.0], [0.0, 0.0]])
LINE = np.array([[0.0, 0.0], [6.0, 8.0]])


def test_lines_stand_in_one_array_and_keep_their_lengths():
    lines = Lines([Contour(1.0, (SQUARE, LINE)), Contour(2.0, ()), Contour(3.0, (LINE * 2,))])
    assert lines.levels == [1.0, 1.0, 3.0]
    assert lines.lengths(lines.corners[:, 0], lines.corners[:, 1]) == pytest.approx([14.0, 10.0, 20.0])
    assert [lines.corners[slice(*ends)].tolist() for ends in lines.ends] == [
        SQUARE.tolist(),
        LINE.tolist(),
        (LINE * 2).tolist(),
    ]
    # A gap after each, so that none is joined to the next.
    assert np.flatnonzero(np.isnan(lines.corners[:, 0])).tolist() == [5, 8, 11]
    assert len(Lines([]).lengths(np.array([np.nan]), np.array([np.nan]))) == 0


def test_the_level_that_is_asked_for_is_painted_apart():
    item = Contours()
    contours = tuple(Contour(level, (LINE,)) for level in (1.0, 2.0, 3.0))
    item.set_contours(contours, 2.0, NumberStyle())
    assert (item._plain.levels, item._at_level.levels) == ([1.0, 3.0], [2.0])
    item.set_contours(contours, None, NumberStyle())
    assert (item._plain.levels, item._at_level.levels) == ([1.0, 2.0, 3.0], [])


@pytest.mark.parametrize("scale", [1.0, 1e3, 1e9])
def test_an_outline_is_cut_to_what_is_seen(scale):
    """However far its corners are: a triangle about the middle of the room covers the room, one beside it nothing."""
    room = QRectF(0, 0, 200, 100)
    about = np.array([[100.0, 50.0]]) + 800 * scale * np.array([[-1.0, -1.0], [1.0, -1.0], [0.0, 2.0]])
    seen = within(about, room)
    assert (seen.min(axis=0).tolist(), seen.max(axis=0).tolist()) == (
        [-BESIDE, -BESIDE],
        [200 + BESIDE, 100 + BESIDE],
    )
    assert len(within(about + 4000 * scale, room)) == 0
    inside = np.array([[20.0, 20.0], [60.0, 20.0], [40.0, 70.0]])
    assert sorted(within(inside, room).tolist()) == sorted(inside.tolist())
