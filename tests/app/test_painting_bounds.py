"""What is painted costs no more than its pixels, and what has no place on the axes is not painted at all."""

import numpy as np
import pytest
from PySide6.QtCore import QRectF
from PySide6.QtGui import QColor, QImage, QPainter, QTransform

from vettore.app.stage import items
from vettore.app.stage.items import Map, fill_between

AREA = QRectF(0, 0, 300, 200)


@pytest.mark.parametrize(("x", "y"), [(-1.0, 5.0), (0.0, 5.0), (np.nan, 5.0), (np.inf, 5.0), (1e301, 5.0)])
def test_what_has_no_place_in_an_area_has_no_point(x, y):
    """On a logarithmic axis a value that is not above 0 has none; Qt takes a NaN for inside."""
    assert AREA.contains(np.nan, 5.0)
    assert Map(QTransform(), (True, False)).point(x, y, AREA) is None
    assert Map(QTransform(), (True, False)).point(100.0, y, AREA).x() == pytest.approx(2.0)


def filled(qapp, most, monkeypatch, swing):
    monkeypatch.setattr(items, "MOST_TRAVEL", most)
    image = QImage(300, 200, QImage.Format.Format_ARGB32_Premultiplied)
    image.fill(0)
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setBrush(QColor(0, 0, 0, 255))
    x = np.arange(10.0, 290.0)
    fill_between(painter, x, 100 + swing * np.sin(x / 9), np.full(len(x), 100.0))
    assert painter.testRenderHint(QPainter.RenderHint.Antialiasing)
    painter.end()
    pixels = np.frombuffer(image.constBits(), np.uint8).reshape(200, 300, 4)
    return pixels[..., 3] / 255


def test_an_area_filled_by_columns_looks_like_the_whole(qapp, monkeypatch):
    """Within a pixel of its edges, that is."""
    whole = filled(qapp, np.inf, monkeypatch, 60.0)
    columns = filled(qapp, -1, monkeypatch, 60.0)
    assert whole.sum() == pytest.approx(columns.sum(), rel=0.02)
    assert np.abs(whole - columns).mean() < 0.02
    assert set(np.unique(columns)) == {0.0, 1.0}


def test_lines_that_swing_from_pixel_to_pixel_are_filled_by_columns(qapp, monkeypatch):
    """So many crossings would take seconds; here it is seen by its edges, which are not smoothed."""
    assert len(np.unique(filled(qapp, 1_000, monkeypatch, 60.0))) == 2
    assert len(np.unique(filled(qapp, 60_000, monkeypatch, 60.0))) > 2
