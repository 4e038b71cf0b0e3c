"""vettore integrate: the area under points or under a function of x."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING

import click

from vettore import core
from vettore.cli.given import Reading, column_of, number_of, numbers_of, say_json, table_of, table_options
from vettore.core.errors import DataError, Fault
from vettore.core.rounding import NumberStyle

if TYPE_CHECKING:
    from vettore.core.integration.function import FunctionArea
    from vettore.core.integration.sampled import SampledArea


@click.command()
@click.argument("file", required=False, type=click.Path(path_type=Path))
@click.option("--formula", help="A function of x instead of a file.")
@click.option("--from", "start", help="Lower limit (inf is one for a formula).")
@click.option("--to", "end", help="Upper limit.")
@click.option(
    "--rule", help="Points: trapezoid, simpson, spline. Functions: left, right, midpoint, trapezoid, simpson."
)
@click.option("--strips", type=int, help="Number of strips for a formula; without it, as many as the error asks for.")
@click.option(
    "--baseline",
    "--floor",
    "baseline",
    help="A level (0 when left out), “ends” for the line between the ends, spans of base as “0 … 5; 90 … 100”, or a "
    "formula of x.",
)
@click.option("--x", "x_name", help="Column for x.")
@click.option("--y", "y_name", help="Column for y.")
@click.option("--sigma", "sigma_name", help="Column with the standard deviations of y.")
@click.option("--json", "as_json", is_flag=True, help="Print as JSON.")
@table_options
def integrate(
    read: Reading,
    file: Path | None,
    formula: str | None,
    start: str | None,
    end: str | None,
    rule: str | None,
    strips: int | None,
    baseline: str | None,
    x_name: str | None,
    y_name: str | None,
    sigma_name: str | None,
    as_json: bool,
) -> None:
    """Work out the area under points, or under a function of x."""
    if (file is None) == (formula is None):
        raise DataError("Give either a file with points or --formula, not both.", Fault.CONFLICT)
    if formula is not None:
        for option, given in (("--x", x_name), ("--y", y_name), ("--sigma", sigma_name), ("--baseline", baseline)):
            if given is not None:
                raise DataError(f"{option} would have no effect here: it is for points from a file.", Fault.NO_EFFECT)
        read.refuse()
        if rule is not None and strips is None:
            why = "without --strips their number and rule follow the error"
            raise DataError(f"--rule would have no effect here: {why}.", Fault.NO_EFFECT)
        if start is None or end is None:
            raise DataError("A function needs its limits: --from and --to.", Fault.MISSING)
        limits = number_of(start, "--from"), number_of(end, "--to")
        _tell_function(formula, core.integrate_function(formula, *limits, strips, rule=rule or "trapezoid"), as_json)
        return
    assert file is not None
    from vettore.study.areas import baseline_typed, floor_of
    from vettore.study.study import Study

    if strips is not None:
        why = "the points of the file make the strips"
        raise DataError(f"--strips would have no effect here: {why}.", Fault.NO_EFFECT)
    columns = numbers_of(table_of(file, read))
    x, y = column_of(columns, x_name, 0, file), column_of(columns, y_name, 1, file)
    area = core.integrate(
        columns[x],
        columns[y],
        rule or "trapezoid",
        a=None if start is None else number_of(start, "--from"),
        b=None if end is None else number_of(end, "--to"),
        floor=floor_of(Study(), baseline_typed(baseline or "0")),
        sigma=columns[column_of(columns, sigma_name, 2, file)] if sigma_name else None,
    )
    _tell_points(area, as_json)


def _tell_function(formula: str, area: FunctionArea, as_json: bool) -> None:
    """Print an area under a function; one that did not settle ends with 1."""
    if as_json:
        by_name = asdict(area)
        by_name.pop("edges")
        say_json("function-area/1", {"formula": formula, **by_name})
    else:
        error = "" if area.error is None else f"  (error below {area.error:.1e})"
        click.echo(f"area  {area.area!r}{error}\n{area.message}" if area.settled else f"no area\n{area.message}")
    if not area.settled:
        raise SystemExit(1)


def _tell_points(area: SampledArea, as_json: bool) -> None:
    """Print an area under points."""
    if as_json:
        say_json("area/1", area.to_dict())
        return
    style = NumberStyle()
    limits = f"{style.short(area.a)} … {style.short(area.b)}"
    click.echo(f"area            {style.pair(area.area, area.standard_error)}")
    click.echo(f"from … to       {limits}, {len(area.strips)} strips, {area.rule}")
    click.echo(f"above, below    {style.number(area.positive, 6)}, {style.number(area.negative, 6)}")
    for note in area.notes:
        click.echo(note, err=True)
