"""A label with its text, as lists on screen, in a report and on the command line show them."""

from __future__ import annotations

from typing import NamedTuple


class Line(NamedTuple):
    """A label and its text."""

    label: str
    text: str
