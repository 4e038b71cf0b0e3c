"""vettore interpolate: a curve through points, and values read from it."""

from __future__ import annotations

import math
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click
import numpy as np
from numpy.typing import NDArray

from vettore.cli.given import Reading, column_of, list_of, numbers_of, say_json, table_of, table_options
from vettore.core.errors import DataError, Fault

if TYPE_CHECKING:
    pass


@click.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--method", default="monotone", show_default=True, help="See the guide; a wrong one lists all.")
@click.option("--at", "at_text", help="x to read at, as 1,2.5,7.")
@click.option("--every", type=float, help="Read from the first to the last point at this distance.")
@click.option("--x", "x_name", help="Column for x.")
@click.option("--y", "y_name", help="Column for y.")
@click.option("--sigma", "sigma_name", help="Column with the standard deviations of y.")
@click.option("--penalty", type=float, help="Penalty of the smoothing spline (found from the data when left out).")
@click.option("--outside", default="refuse", show_default=True, help="refuse, constant, linear or continue.")
@click.option("--json", "as_json", is_flag=True, help="Print as JSON.")
@table_options
def interpolate(
    read: Reading,
    file: Path,
    method: str,
    at_text: str | None,
    every: float | None,
    x_name: str | None,
    y_name: str | None,
    sigma_name: str | None,
    penalty: float | None,
    outside: Any,
    as_json: bool,
) -> None:
    """Read values between points."""
    from vettore import core

    if at_text is not None and every is not None:
        raise DataError("Give either --at or --every, not both.", Fault.CONFLICT)
    if penalty is not None and method != "smoothing":
        raise DataError("--penalty would have no effect here: it is that of --method smoothing.", Fault.NO_EFFECT)
    columns = numbers_of(table_of(file, read))
    x, y = column_of(columns, x_name, 0, file), column_of(columns, y_name, 1, file)
    sigma = columns[column_of(columns, sigma_name, 2, file)] if sigma_name else None
    curve = core.interpolate(columns[x], columns[y], method, sigma=sigma, penalty=penalty, outside=outside)
    at = _places(curve.span, every) if every is not None else np.array(list_of(at_text, "x") if at_text else curve.x)
    values, errors = curve(at), curve.standard_error(at)
    if as_json:
        texts = {
            "method": method,
            "x": at,
            "y": values,
            "standard_error": errors,
            "slope": curve.slope(at),
            "left_out_error": curve.left_out_error,
            "swing": curve.swing,
            "penalty": curve.penalty,
            "notes": list(curve.notes),
        }
        say_json("interpolate/1", texts)
        return
    click.echo(f"{x}\t{y}" + ("\t±" if sigma is not None else ""))
    for item, value, error in zip(at.tolist(), values.tolist(), errors.tolist(), strict=True):
        click.echo(f"{item!r}\t{value!r}" + (f"\t{error!r}" if sigma is not None else ""))
    for note in curve.notes:
        click.echo(note, err=True)


def _places(span: tuple[float, float], every: float) -> NDArray[np.float64]:
    """Return x at a distance of each other over a span. Raises DataError."""
    if not every > 0:
        raise DataError(f"The distance must be above zero, but is {every:g}.", Fault.OUT_OF_BOUNDS)
    low, high = span
    return low + every * np.arange(0.0, math.floor((high - low) / every * (1 + 1e-12)) + 1)
