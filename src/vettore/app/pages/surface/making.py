"""What is typed on the Surface page as decisions, and what it makes of a series. Knows no widget."""

from __future__ import annotations

from vettore.core.errors import Fault, VettoreError
from vettore.core.rounding import read_number
from vettore.core.surface.models import SURFACE_MODELS
from vettore.study import edits
from vettore.study.series import Series
from vettore.study.study import Study
from vettore.study.surfaces import matrix_of, model_fit, set_surface, sites_of, surface_of

# Digits to which a place on the map is taken.
FINE = 4


def shape_typed(across: str, along: str) -> tuple[int, int]:
    """Return the places of a grid. Raises VettoreError."""
    if not (across.strip().isdecimal() and along.strip().isdecimal()):
        raise VettoreError("The grid has whole numbers of places across and along, as 80 and 54.", Fault.NOT_READABLE)
    return int(across), int(along)


def number_typed(text: str) -> float | None:
    """Return a number, None for nothing. Raises VettoreError for what is neither."""
    number = read_number(text)
    if text and number is None:
        raise VettoreError(f"“{text}” is not a number.", Fault.NOT_A_NUMBER)
    return number


def colours_typed(parted: str | None, step: str, low: str, high: str, middle: float) -> dict[str, object]:
    """Return what a recipe keeps of colours and contours; colours that part at no level part at the ``middle``.

    Raises VettoreError.
    """
    every, least, most = number_typed(step), number_typed(low), number_typed(high)
    if every is not None and not every > 0:
        raise VettoreError("Contours are some distance above 0 apart.", Fault.OUT_OF_BOUNDS)
    if least is not None and most is not None and not least < most:
        raise VettoreError("The lowest height that colours tell is below the highest.", Fault.OUT_OF_BOUNDS)
    at = None if parted is None else read_number(parted)
    if parted is not None and at is None:
        at = middle
    return {"parted_at": at, "step": every, "clip": (least, most)}


def clicked(value: float, span: float) -> float:
    """Return a place of an axis that spans so much, to so many digits that a click is no row of them."""
    return float(f"{value:.{max(0, FINE - len(str(int(abs(span)))))}f}")


def with_model(study: Study, series: Series, key: str) -> tuple[Study, str]:
    """Return the study with a surface model fitted to a series and shown, and the model's name."""
    model = next(model for model in SURFACE_MODELS if model.key == key)
    recipe = surface_of(study, series.id)
    result = edits.add_curve(study, model_fit(series, sites_of(series, recipe), model))
    return set_surface(result, recipe.changed(fit=result.curves[-1].id)), model.name


def as_grid(study: Study, series: Series) -> Study | None:
    """Return the study with a table that is a grid as a series of x, y, z; None when it is none."""
    table = matrix_of(series.table)
    return None if table is None else edits.add_series(study, table, f"{series.name}, as a grid")
