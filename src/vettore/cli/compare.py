"""vettore compare: several models on the same rows."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from vettore.cli.given import Reading, column_of, numbers_of, say_json, table_of, table_options
from vettore.core.errors import DataError, Fault
from vettore.core.rounding import NumberStyle

if TYPE_CHECKING:
    from vettore.core.fitting.after.compare import Compared


@click.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--formula", "formulas", multiple=True, help="A formula over the columns; give it several times.")
@click.option("--model", "keys", multiple=True, help="A model of the catalogue by its key; give it several times.")
@click.option("--x", "x_name", help="Column for x of catalogue models.")
@click.option("--y", "y_name", help="Column for y of catalogue models.")
@click.option("--seed", type=int, default=1, show_default=True)
@click.option("--json", "as_json", is_flag=True, help="Print as JSON.")
@table_options
def compare(
    read: Reading,
    file: Path,
    formulas: Sequence[str],
    keys: Sequence[str],
    x_name: str | None,
    y_name: str | None,
    seed: int,
    as_json: bool,
) -> None:
    """Fit several models to the same rows and rank them."""
    from vettore import core
    from vettore.core.fitting.after.compare import compare as ranked
    from vettore.core.fitting.fit import fit

    if len(formulas) + len(keys) < 2:
        raise DataError(
            "A comparison needs at least two models. Give --formula or --model more than once.", Fault.NOT_COMPARABLE
        )
    if not keys and (x_name is not None or y_name is not None):
        raise DataError("--x and --y would have no effect here: formulas name their columns.", Fault.NO_EFFECT)
    columns = numbers_of(table_of(file, read))
    fits = {formula: fit(formula, columns, seed=seed) for formula in formulas}
    if keys:
        x, y = column_of(columns, x_name, 0, file), column_of(columns, y_name, 1, file)
        fits |= {key: fit(core.model(key), {x: columns[x], y: columns[y]}, seed=seed) for key in keys}
    order = ranked(fits)
    if as_json:
        say_json("compare/1", {"models": [_as_json(compared) for compared in order]})
    else:
        _say_table(order, NumberStyle())
    if not all(item.result.converged for item in order):
        raise SystemExit(1)


def _as_json(compared: Compared) -> dict[str, Any]:
    """Return a model of a comparison as JSON tells it."""
    result = compared.result
    return {
        "model": compared.name,
        "formula": result.formula,
        "aicc": result.aicc,
        "difference": compared.difference,
        "weight": compared.weight,
        "as_good_as_the_best": compared.equal,
        "r_squared": result.r_squared,
        "adjusted_r_squared": result.adjusted_r_squared,
        "r_squared_against": result.r_squared_against,
        "adjusted_r_squared_about_mean": compared.adjusted_r_squared_about_mean,
        "left_one_out_error": result.left_one_out_error,
        "values": {name: coefficient.value for name, coefficient in result.coefficients.items()},
    }


def _say_table(order: Sequence[Compared], style: NumberStyle) -> None:
    """Print the models, best first; R² against the mean for all of them, so that they compare."""
    click.echo(f"{'model':44} {'AICc':>10} {'weight':>8} {'adj. R²':>10} {'leave-one-out':>15}")
    for compared in order:
        mark = "  as good as the best" if compared.equal and compared is not order[0] else ""
        weight = style.fixed(compared.weight, 3)
        click.echo(
            f"{compared.name:44} {style.number(compared.result.aicc, 6):>10} {weight:>8} "
            f"{style.number(compared.adjusted_r_squared_about_mean, 5):>10} "
            f"{style.number(compared.result.left_one_out_error, 4):>15}{mark}"
        )
