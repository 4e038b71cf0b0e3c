"""A figure of a study: its look, what it is drawn from and how; as a file, and as a picture with hands on it."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any, NamedTuple, cast, get_args

from vettore.core.errors import Fault, VettoreError
from vettore.core.rounding import NumberStyle
from vettore.files.whole import write_whole
from vettore.report.figures.beforehand import promised
from vettore.report.figures.paper import DPI, Kind, Sheet, drawn
from vettore.report.figures.places import Place, Plotted, places_on
from vettore.study.kinds.figure import FigureRecipe

# How finely a screen shows a figure, and how many pixels wide it is at most.
SCREEN_DPI, SCREEN_PIXELS = 200, 2600
# Drawings that are kept while words of a report are typed; the one used longest ago goes first.
# Those for posters are drawn when they are asked for.
MOST_KNOWN, LARGEST_KNOWN = 64, 2_000_000
# The side of the sheet of a small picture.
THUMBNAIL_MM = 60.0
# What every figure can be told.
ON_ANY_SHEET = frozenset({"type_size", "serif", "width", "height"})
_known: OrderedDict[Hashable, bytes] = OrderedDict()
_lock = threading.Lock()


class OnPaper(NamedTuple):
    """The plot that hands are on, and its scales across and up; the first of ``many`` where a figure has such."""

    axes: Any
    scales: tuple[str, str]
    many: bool = False


@dataclass(frozen=True, eq=False)
class StudyFigure:
    """What a figure is: ``draw`` puts it on a sheet; ``made_from`` is all, beside its look, that it depends on.

    ``fields`` are those of the recipe that do something for it; ``tables`` gives what is drawn as CSV, by what follows the
    figure's name.
    """

    recipe: FigureRecipe
    style: NumberStyle
    made_from: Hashable
    caption: str
    draw: Callable[[Any], OnPaper]
    tables: Callable[[], Mapping[str, str]]
    fields: frozenset[str]

    def __call__(self, kind: Kind, letters: bool = False) -> bytes:
        """Return the figure as a file; see ``blocks.Drawing``."""
        key = self.key(kind, letters)
        with _lock:
            if key in _known:
                _known.move_to_end(key)
                return _known[key]
        data = promised(key) or self.draw_anew(kind, letters)
        if len(data) > LARGEST_KNOWN:
            return data
        with _lock:
            _known[key] = data
            if len(_known) > MOST_KNOWN:
                _known.popitem(last=False)
        return data

    def key(self, kind: Kind, letters: bool) -> Hashable:
        """Return all that a file of the figure depends on."""
        return (self.made_from, self.recipe, self.style, kind, letters)

    def is_known(self, kind: Kind, letters: bool) -> bool:
        """Whether a file of the figure need not be drawn again."""
        with _lock:
            return self.key(kind, letters) in _known

    def draw_anew(self, kind: Kind, letters: bool) -> bytes:
        """Return the figure as a file, whether it was drawn before or not."""
        return drawn(self.draw, sheet_of(self.recipe, letters), kind)

    def with_places(self) -> tuple[bytes, tuple[Place, ...], Plotted]:
        """Return the figure as a picture (PNG), where its parts stand on it, and the scale of its plot."""
        items: list[Any] = []

        def look(figure: Any, paper: OnPaper) -> None:
            items[:] = places_on(figure, *paper)

        picture = drawn(self.draw, sheet_of(self.recipe, dpi=_fine_enough(self.recipe)), "png", look)
        return picture, items[0], items[1]

    def thumbnail(self, pixels: int) -> bytes:
        """Return the figure as a small square picture (PNG)."""
        sheet = Sheet(THUMBNAIL_MM, THUMBNAIL_MM, dpi=pixels * 25.4 / THUMBNAIL_MM)
        return drawn(self.draw, sheet, "png")

    def save(self, path: Path, data: bool = False) -> None:
        """Write the figure as its name's ending says, with what it draws as CSV beside it if asked. Raises VettoreError."""
        ending = path.suffix.casefold().removeprefix(".")
        kind = {"tif": "tiff"}.get(ending, ending)
        if kind not in get_args(Kind):
            raise VettoreError(f"“{path.name}”: a figure ends in .svg, .pdf, .png or .tiff.", Fault.FILE_KIND)
        # What stands beside it first, so that a figure is never without the data that it was asked to bring.
        if data:
            for name, text in self.tables().items():
                write_whole(path.with_name(path.stem + name), text.encode("utf-8"))
        write_whole(path, self(cast("Kind", kind), letters=True))


def sheet_of(recipe: FigureRecipe, letters: bool = False, dpi: int = DPI) -> Sheet:
    """Return what the figure is drawn on."""
    return Sheet(recipe.width, recipe.height, recipe.type_size, recipe.serif, letters, dpi)


def _fine_enough(recipe: FigureRecipe) -> int:
    """Return dots per inch that a screen shows: about its own for a figure of a report, no more pixels for a poster."""
    return int(min(SCREEN_DPI, SCREEN_PIXELS * 25.4 / max(recipe.width, recipe.height)))
