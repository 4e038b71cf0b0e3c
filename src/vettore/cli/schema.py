"""vettore schema: what is written as JSON, described."""

from __future__ import annotations

from pathlib import Path

import click

SCHEMA = Path(__file__).with_name("schema.json")


@click.command()
def schema() -> None:
    """Print the JSON schema of all that is written as JSON.

    Each output names its part of it, as "vettore.fit/1". Fields are added under the same number; where one is changed or
    taken away, the number rises.
    """
    click.echo(SCHEMA.read_text(encoding="utf-8"), nl=False)
