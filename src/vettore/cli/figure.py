"""vettore figure: the figure of a fit of a study, as it looks there or otherwise."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from vettore.core.errors import DataError, Fault

if TYPE_CHECKING:
    from vettore.study.kinds.figure import FigureRecipe
    from vettore.study.study import Study

MM = {"mm": 1.0, "cm": 10.0, "in": 25.4, "pt": 25.4 / 72, "": 1.0}


# What figure_options add, by the names of the arguments.
LOOKS = ("log_x", "log_y", "width", "height", "figure_data")


def figure_options(command: Any) -> Any:
    """Give a command the options that say how a figure looks."""
    for option in (
        click.option("--log-x", is_flag=True, help="A logarithmic axis of x."),
        click.option("--log-y", is_flag=True, help="A logarithmic axis of y."),
        click.option("--width", help="Width of the figure, as 85mm or 3.3in."),
        click.option("--height", help="Height of the figure."),
        click.option("--figure-data", is_flag=True, help="Rows and curve of the figure as CSV beside it."),
    ):
        command = option(command)
    return command


@click.command()
@click.argument("study", type=click.Path(path_type=Path))
@click.option(
    "-o", "--output", required=True, type=click.Path(path_type=Path), help="Where to (.svg, .pdf, .png, .tiff)."
)
@click.option("--fit", "which", help="Which fit: its number from 1, or its name (the reported one when left out).")
@click.option("--of", "part", help="What else: a surface, areas, all fits side by side … by a part of its name.")
@figure_options
def figure(study: Path, output: Path, which: str | None, part: str | None, **looks: Any) -> None:
    """Save the figure of a fit of a study, or of anything else in it that has one."""
    from vettore.files.study_file import open_study
    from vettore.report.figures.listed import find_figure

    opened = open_study(study)
    of = _fit_of(opened, which) if part is None else find_figure(opened, part)
    save_figure_of(opened, of, output, looks)
    click.echo(f"The figure was saved as {output}.")


def save_figure_of(study: Study, of: str, output: Path, looks: dict[str, Any]) -> None:
    """Write a figure of a study, its look that of the study but for what was asked. Raises VettoreError."""
    from vettore.report.document import style_of
    from vettore.report.figures.listed import study_figure
    from vettore.study.figures import figure_of

    recipe = _with_looks(figure_of(study, of), looks)
    study_figure(study, of, style_of(study), recipe).save(output, looks["figure_data"])


def _with_looks(recipe: FigureRecipe, looks: dict[str, Any]) -> FigureRecipe:
    for axis in "xy":
        if looks[f"log_{axis}"]:
            recipe = recipe.changed(**{f"{axis}_scale": "log"})
    for side in ("width", "height"):
        if looks[side] is not None:
            recipe = recipe.changed(**{side: millimetres(looks[side], side)})
    return recipe


def millimetres(text: str, side: str) -> float:
    """Return a length such as ``85mm``, ``8.5 cm`` or ``3.3in``; a bare number is millimetres. Raises DataError."""
    from vettore.core.rounding import read_number
    from vettore.study.kinds.figure import SIDE

    number = text.strip().rstrip("abcdefghijklmnopqrstuvwxyz").strip()
    value, unit = read_number(number), text.strip()[len(number) :].strip()
    if value is None or unit not in MM:
        raise DataError(f"“{text}” is no {side}; write it as 85mm, 8.5cm or 3.3in.", Fault.NOT_READABLE)
    value *= MM[unit]
    if not SIDE[0] <= value <= SIDE[1]:
        raise DataError(
            f"A figure is {SIDE[0]:g} to {SIDE[1]:g} mm wide and high; the {side} {text} was asked for.",
            Fault.OUT_OF_BOUNDS,
        )
    return value


def _fit_of(study: Study, which: str | None) -> str:
    if not study.curves:
        raise DataError("The study holds no fit, so there is no figure of one.", Fault.NOTHING)
    if which is None:
        assert study.reported_curve is not None
        return study.reported_curve.id
    if which.isdecimal() and 1 <= int(which) <= len(study.curves):
        return study.curves[int(which) - 1].id
    named = [curve for curve in study.curves if which == curve.name]
    if not named:
        listed = "; ".join(
            f"{number} {curve.name} of {study.find_series(curve.series).name}"
            for number, curve in enumerate(study.curves, 1)
        )
        raise DataError(f"The study has no fit “{which}”. It has: {listed}.", Fault.NO_SUCH_NAME)
    return named[0].id
