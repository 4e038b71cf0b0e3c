"""vettore plan: where to measure before there are data."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import click

from vettore.cli.given import model_of, number_of, say_json
from vettore.core.errors import DataError, Fault
from vettore.core.rounding import NumberStyle

# Places over the span that could be measured.
PLACES = 201


@click.command()
@click.argument("formula", required=False)
@click.option("--model", "model_key", help="A model of the catalogue instead of a FORMULA.")
@click.option("--guess", multiple=True, help="What a coefficient may be, as k=0.3; one for each.")
@click.option("--hold", multiple=True, help="A coefficient that is known and will not be fitted, as C=0.")
@click.option("--x", "span", required=True, help="What can be measured: 0..12, or single places as 0,1,2,4,8.")
@click.option("--rows", type=int, required=True, help="How many measurements there can be.")
@click.option("--sigma", type=float, default=1.0, show_default=True, help="Standard deviation of one measurement.")
@click.option("--improve", default="all", show_default=True, help="A coefficient, or all of them together.")
@click.option("--json", "as_json", is_flag=True, help="Print as JSON.")
def plan(
    formula: str | None,
    model_key: str | None,
    guess: Sequence[str],
    hold: Sequence[str],
    span: str,
    rows: int,
    sigma: float,
    improve: str,
    as_json: bool,
) -> None:
    """Tell where to measure before there are data, and which ± that will give.

    The coefficients are guessed: the plan is the best one near the guess. FORMULA is as in "y = A*exp(-k*x)".
    """
    from vettore.cli.fits.options import values_of
    from vettore.core.design.planning import plan_rows

    if (formula is None) == (model_key is None):
        raise DataError("Give either a formula or --model.", Fault.CONFLICT)
    text = formula if formula is not None else model_of(str(model_key))
    planned = plan_rows(text, values_of(guess), _places(span), rows, improve, sigma=sigma, hold=values_of(hold))
    if as_json:
        by_name: dict[str, Any] = {
            "x": list(planned.x),
            "standard_errors": dict(planned.standard_errors),
            "standard_error": planned.standard_error,
            "even": planned.even if math.isfinite(planned.even) else None,
        }
        say_json("plan/1", by_name)
        return
    style = NumberStyle()
    places = [
        f"{planned.x.count(place)} × {style.short(float(f'{place:.4g}'))}" for place in dict.fromkeys(planned.x)
    ]
    click.echo(f"measure at x  {', '.join(places)}")
    for name, value in values_of(guess).items():
        click.echo(f"  {name:10} {style.pair(value, planned.standard_errors[name])}")
    of = "the radius of their joint confidence region" if improve == "all" else f"the ± of {improve}"
    if math.isfinite(planned.even):
        click.echo(
            f"as many evenly spread rows make {of} {style.number(planned.even / planned.standard_error, 3)} times as large"
        )
    else:
        click.echo(f"as many evenly spread rows tell nothing of {of}")


def _places(text: str) -> list[float]:
    low, dots, high = text.partition("..")
    if not dots:
        return [number_of(part.strip(), "--x") for part in text.replace(";", ",").split(",")]
    ends = number_of(low.strip(), "--x"), number_of(high.strip(), "--x")
    if not -math.inf < ends[0] < ends[1] < math.inf:
        raise DataError(f"“{text}” holds nothing to measure: write --x as 0..12 or 0,1,2.", Fault.NOT_READABLE)
    return [ends[0] + (ends[1] - ends[0]) * place / (PLACES - 1) for place in range(PLACES)]
