"""Painting that harms nothing: a painter is always put away, and what cannot be drawn is left out and told, not raised.

An exception that leaves a ``paintEvent`` with its painter open ends the program a little later, inside Qt. So everything
that paints does so under ``painting``; tests/test_house.py holds it.
"""

from __future__ import annotations

import sys
from types import TracebackType

from PySide6.QtGui import QPaintDevice, QPainter

# Faults that were told: the same one comes again with every frame.
_told: set[tuple[type[BaseException], str, int]] = set()


class painting:
    """``with painting(widget) as painter:`` paints on a widget, a picture, or goes on with a painter and puts it back.

    An exception ends the drawing, nothing else; it is told once for each place that it comes from.
    """

    def __init__(self, on: QPaintDevice | QPainter) -> None:
        self._on = on

    def __enter__(self) -> QPainter:
        if isinstance(self._on, QPainter):
            self._painter = self._on
            self._painter.save()
        else:
            self._painter = QPainter(self._on)
        return self._painter

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> bool:
        if self._painter is self._on:
            self._painter.restore()
        else:
            self._painter.end()
        if not isinstance(error, Exception):
            return False
        tell_once(error, trace)
        return True


def tell_once(error: Exception, trace: TracebackType | None) -> None:
    """Tell of a fault as of any other that nobody caught, the first time that it comes from its place."""
    last = trace
    while last is not None and last.tb_next is not None:
        last = last.tb_next
    place = ("", 0) if last is None else (last.tb_frame.f_code.co_filename, last.tb_lineno)
    if (type(error), *place) not in _told:
        _told.add((type(error), *place))
        sys.excepthook(type(error), error, trace)
