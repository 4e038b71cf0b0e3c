"""What hands and fields on a figure decide, as its recipe. Knows no widget."""

from __future__ import annotations

import json

import msgspec

from vettore.core.errors import Fault, VettoreError
from vettore.core.rounding import read_number
from vettore.report.figures.places import Plotted
from vettore.study.figures import LOOKS
from vettore.study.kinds.figure import SHARE, SIDE, TYPE, FigureRecipe, Note

# Texts on a figure that are changed in place, and the field of the recipe that holds each.
TEXTS = {"title": "title", "x title": "x_title", "y title": "y_title"}
# Where the words of a new note stand from its place, in shares of the plot.
AWAY = 0.16
# Digits of what is dragged: as fine as a pixel needs.
FINE = 4
SCALE_WORDS = {"log": "logarithmic", "reciprocal": "reciprocal"}
RANGES = {
    "width": (*SIDE, "The width of a figure is 30 to 1200 mm"),
    "height": (*SIDE, "The height of a figure is 30 to 1200 mm"),
    "type_size": (*TYPE, "Type is 4 to 48 points"),
    "mark_size": (*SHARE, "The size of marks is 0.1 to 10 times the usual"),
    "line_width": (*SHARE, "The width of lines is 0.1 to 10 times the usual"),
}


def dragged(recipe: FigureRecipe, what: str, plotted: Plotted, x: float, y: float) -> FigureRecipe:
    """Return the recipe after a part of the figure was dragged.

    ``x``, ``y`` are, in shares of the figure from the upper left, the new lower left corner of the legend or the inset, or
    the new middle of a note's words.
    """
    across, up = (round(share, FINE) for share in plotted.share_at(x, y))
    if what in ("legend", "inset"):
        return recipe.changed(**{f"{what}_at": (across, up)})
    number = int(what.removeprefix("note "))
    notes = list(recipe.notes)
    notes[number] = msgspec.structs.replace(notes[number], at=(across, up))
    return recipe.changed(notes=tuple(notes))


def with_note(recipe: FigureRecipe, plotted: Plotted, x: float, y: float, text: str) -> FigureRecipe:
    """Return the recipe with words about a place of the figure, given in shares from the upper left."""
    across, up = plotted.share_at(x, y)
    at_x, at_y = (float(f"{value:.{FINE}g}") for value in plotted.data_at(x, y))
    # Beside the place, towards the middle of the plot.
    away = (AWAY if across < 0.5 else -AWAY), (AWAY if up < 0.5 else -AWAY)
    place = (round(across + away[0], FINE), round(up + away[1], FINE))
    return recipe.changed(notes=(*recipe.notes, Note(text, at_x, at_y, place)))


def text_typed(recipe: FigureRecipe, what: str, text: str) -> FigureRecipe:
    """Return the recipe with other words; a note without words is taken away."""
    text = text.strip()
    if what in TEXTS:
        return recipe.changed(**{TEXTS[what]: text})
    number = int(what.removeprefix("note "))
    notes = list(recipe.notes)
    if text:
        notes[number] = msgspec.structs.replace(notes[number], text=text)
    else:
        del notes[number]
    return recipe.changed(notes=tuple(notes))


def size_typed(recipe: FigureRecipe, name: str, text: str) -> FigureRecipe:
    """Return the recipe with another size; none is a blank distance of ticks. Raises VettoreError for what is none."""
    if name.endswith("every"):
        step = read_number(text)
        if text.strip() and (step is None or not step > 0):
            raise VettoreError(
                f"Figures on an axis stand at a distance above 0; “{text}” was typed.", Fault.NOT_READABLE
            )
        return recipe.changed(**{name: step})
    low, high, words = RANGES[name]
    value = read_number(text)
    if value is None or not low <= value <= high:
        raise VettoreError(f"{words}; “{text}” was typed.", Fault.NOT_READABLE)
    return recipe.changed(**{name: value})


def limits_typed(recipe: FigureRecipe, axis: str, low: str, high: str) -> FigureRecipe:
    """Return the recipe with other limits of an axis, or other ends of the "inset". Raises VettoreError.

    A blank limit follows the data; blank ends are no inset.
    """
    what = "The part of x in the inset" if axis == "inset" else f"The axis of {axis}"
    ends: list[float | None] = []
    for text in (low, high):
        value = read_number(text)
        if value is None and text.strip():
            raise VettoreError(
                f"“{text}” is not a number: type where {what[0].lower()}{what[1:]} begins and ends.",
                Fault.NOT_READABLE,
            )
        ends.append(value)
    if ends[0] is not None and ends[1] is not None and not ends[0] < ends[1]:
        raise VettoreError(f"{what} runs from the lower number to the higher.", Fault.OUT_OF_BOUNDS)
    if axis == "inset":
        # One end alone waits for the other.
        return recipe.changed(inset=None if None in ends else tuple(ends))
    scale = getattr(recipe, f"{axis}_scale")
    if scale in SCALE_WORDS and any(end is not None and end <= 0 for end in ends):
        raise VettoreError(f"{what} is {SCALE_WORDS[scale]}: its limits are above 0.", Fault.OUT_OF_BOUNDS)
    return recipe.changed(**{f"{axis}_limits": tuple(ends)})


def style_text(recipe: FigureRecipe) -> str:
    """Return the look of a figure as a text that can be kept in a file and read by others."""
    look = {name: getattr(recipe, name) for name in LOOKS}
    return json.dumps({"vettore figure style": 1, **look}, indent=2) + "\n"


def with_style(recipe: FigureRecipe, text: str) -> FigureRecipe:
    """Return the recipe with the look of a style's text. Raises VettoreError in a sentence."""
    try:
        answer = json.loads(text)
        if not isinstance(answer, dict) or answer.get("vettore figure style") != 1:
            raise VettoreError("The file holds no style of a figure.", Fault.FILE_KIND)
        look = {name: answer[name] for name in LOOKS if name in answer}
        whole = {**msgspec.to_builtins(recipe), **look}
        return msgspec.convert(whole, FigureRecipe)
    except (ValueError, msgspec.ValidationError, RecursionError) as error:
        raise VettoreError(f"The style of a figure could not be read: {error}.", Fault.FILE_DAMAGED) from None
