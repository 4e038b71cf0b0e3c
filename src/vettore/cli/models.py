"""vettore models: the catalogue, or all about one model."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from vettore.cli.given import model_of, say_json

if TYPE_CHECKING:
    from vettore.core.models.model import Model


@click.command()
@click.argument("key", required=False)
@click.option("--library", type=click.Path(path_type=Path), help="List a library of own models instead.")
@click.option("--json", "as_json", is_flag=True, help="Print as JSON.")
def models(key: str | None, library: Path | None, as_json: bool) -> None:
    """List the catalogue of models, or tell all about one of them."""
    from vettore.core.models.catalogue import CATALOGUE
    from vettore.files.library import read_library

    every = list(CATALOGUE.values()) if library is None else list(read_library(library))
    chosen = [model_of(key, library)] if key else every
    if as_json:
        say_json("models/1", {"models": [_described(model) for model in chosen]})
        return
    group = ""
    for item in chosen:
        if item.group != group:
            group = item.group
            click.echo(f"\n{group}" if key is None else group)
        click.echo(f"  {item.key:26} {item.formula}")
        if key:
            click.echo(f"\n  {item.name}. {item.use}\n")
            for name, words in item.meanings.items():
                click.echo(f"  {name:8} {words}")
            for quantity in item.quantities:
                click.echo(f"  {quantity.name} = {quantity.formula}")
            click.echo(f"  slope = {_slope_text(item)}")


def _slope_text(model: Model) -> str:
    """Return dy/dx of a model as a textbook writes it."""
    from vettore.core.formula.derivative import derivative
    from vettore.core.formula.simplify import simplified
    from vettore.core.formula.write import to_text

    return to_text(simplified(derivative(model.read.right, "x")))


def _described(model: Model) -> dict[str, Any]:
    return {
        "key": model.key,
        "name": model.name,
        "group": model.group,
        "formula": model.formula,
        "use": model.use,
        "meanings": dict(model.meanings),
        "quantities": [asdict(quantity) for quantity in model.quantities],
        "slope": _slope_text(model),
    }
