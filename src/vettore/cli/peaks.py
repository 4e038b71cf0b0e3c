"""vettore peaks: the peaks of a spectrum or a chromatogram on their background."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from vettore.cli.fits.options import values_of
from vettore.cli.given import Reading, column_of, number_of, numbers_of, say_json, table_of, table_options
from vettore.core.errors import DataError, Fault

if TYPE_CHECKING:
    from vettore.core.peaks.result import PeaksFit

# Columns of the table that is written, and those a person reads.
NUMBERS = ("place", "height", "width", "area")
DELIMITERS = {".csv": ",", ".tsv": "\t"}


@click.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--shape", default="gaussian", show_default=True, help="See the guide; a wrong one lists all.")
@click.option("--count", type=int, help="How many peaks (found from the rows when left out).")
@click.option(
    "--background", default="slope", show_default=True, help="none, level, slope, parabola, smooth, or a formula."
)
@click.option("--from", "start", help="Where the rows begin that are looked at.")
@click.option("--to", "end", help="Where they end.")
@click.option("--x", "x_name", help="Column for x.")
@click.option("--y", "y_name", help="Column for y; * for every column but x.")
@click.option("--sigma", "sigma_name", help="Column with the standard deviations of y, taken as known.")
@click.option("--noise", default="normal", show_default=True, help="How y scatters: normal, poisson or growing.")
@click.option("--equal-widths", is_flag=True, help="All peaks have one width.")
@click.option("--negative", is_flag=True, help="Look for peaks that point down, too.")
@click.option("--hold", "held", multiple=True, help="Hold a coefficient at a value: --hold place2=470.")
@click.option(
    "--link", "linked", multiple=True, help="Let a coefficient follow others: --link 'place2 = place1 + 6'."
)
@click.option("-o", "--output", type=click.Path(path_type=Path), help="Write the peaks as a table: .csv or .tsv.")
@click.option("--json", "as_json", is_flag=True, help="Print as JSON.")
@table_options
def peaks(
    read: Reading,
    file: Path,
    start: str | None,
    end: str | None,
    x_name: str | None,
    y_name: str | None,
    sigma_name: str | None,
    held: Sequence[str],
    linked: Sequence[str],
    output: Path | None,
    as_json: bool,
    **options: Any,
) -> None:
    """Find the peaks of a spectrum: how many, and place, height, width and area of each with its ±."""
    import numpy as np

    from vettore import core

    columns = numbers_of(table_of(file, read))
    x = column_of(columns, x_name, 0, file)
    names = [name for name in columns if name != x] if y_name == "*" else [column_of(columns, y_name, 1, file)]
    if len(names) > 1 and as_json:
        raise DataError("--json is for one column of y; with --y '*' take -o.", Fault.NO_EFFECT)
    sigma = columns[column_of(columns, sigma_name, 2, file)] if sigma_name else None
    low = -np.inf if start is None else number_of(start, "--from")
    high = np.inf if end is None else number_of(end, "--to")
    inside = (columns[x] >= low) & (columns[x] <= high)
    if not inside.any():
        raise DataError(f"No row lies between --from {low:g} and --to {high:g}.", Fault.NOTHING)
    options["hold"], options["links"] = values_of(held), _links(linked)
    answers = {
        name: core.fit_peaks(
            columns[x][inside],
            columns[name][inside],
            sigma=None if sigma is None else sigma[inside],
            absolute_sigma=sigma is not None,
            **options,
        )
        for name in names
    }
    if output is not None:
        _write(answers, output)
    if as_json:
        say_json("peaks/1", answers[names[0]].to_dict())
        return
    for name, answer in answers.items():
        _tell(answer, name if len(names) > 1 else "")


def _links(given: Sequence[str]) -> dict[str, str]:
    """Return ``place2 = place1 + 6`` texts as formulas by name. Raises DataError."""
    pairs = [text.partition("=") for text in given]
    for text, (name, _, formula) in zip(given, pairs, strict=True):
        if not (name.strip() and formula.strip()):
            raise DataError(f"“{text}” is no link; write it as place2 = place1 + 6.", Fault.NOT_READABLE)
    return {name.strip(): formula.strip() for name, _, formula in pairs}


def _tell(answer: PeaksFit, name: str) -> None:
    """Print peaks as a person reads them."""
    from vettore.core.rounding import NumberStyle

    style = NumberStyle()
    if name:
        click.echo(name)
    click.echo("peak\tplace\theight\twidth\tarea\tshare")
    for peak in answer.peaks:
        numbers = [getattr(peak, of) for of in NUMBERS]
        pairs = [style.pair(number.value, number.standard_error) for number in numbers]
        click.echo("\t".join([str(peak.number), *pairs, f"{100 * peak.share:.1f} %"]))
    word = "peak" if answer.count == 1 else "peaks"
    click.echo(
        f"{answer.count} {answer.shape.called} {word}, R² {style.number(answer.fit.r_squared, 5)}, "
        f"background {answer.background_formula}"
    )
    for warning in answer.warnings:
        click.echo(warning, err=True)


def _write(answers: Mapping[str, PeaksFit], output: Path) -> None:
    """Write a row for each peak, in full digits. Raises DataError."""
    from vettore.files.whole import write_whole

    if output.suffix.casefold() not in DELIMITERS:
        raise DataError(f"“{output.name}”: the table of peaks ends in .csv or .tsv.", Fault.FILE_KIND)
    out = io.StringIO()
    writer = csv.writer(out, delimiter=DELIMITERS[output.suffix.casefold()], lineterminator="\n")
    fields = ("value", "standard_error", "low", "high")
    head = [
        f"{number}{'' if field == 'value' else ' ' + field.replace('_', ' ')}"
        for number in NUMBERS
        for field in fields
    ]
    several = len(answers) > 1
    writer.writerow([*(["y"] if several else []), "peak", *head, "share", "signal to noise", "resolution"])
    for name, answer in answers.items():
        for peak in answer.peaks:
            numbers = [getattr(getattr(peak, number), field) for number in NUMBERS for field in fields]
            row = [peak.number, *numbers, peak.share, peak.signal_to_noise, peak.resolution]
            writer.writerow([*([name] if several else []), *_cells(row)])
    write_whole(output, out.getvalue().encode("utf-8"))


def _cells(row: Sequence[Any]) -> list[str]:
    return ["" if value is None else repr(value) if isinstance(value, int) else repr(float(value)) for value in row]
