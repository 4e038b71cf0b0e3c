"""vettore schema: what is written as JSON, described."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import click

from vettore.core.errors import Fault
from vettore.core.fitting.noises.listed import OTHERS

SCHEMA = Path(__file__).with_name("schema.json")


def schema_text() -> str:
    """Return the schema as text, with the kinds of noise and the codes of refusals that there are."""
    names = ", ".join(json.dumps(kind.key) for kind in OTHERS)
    codes = ", ".join(json.dumps(code) for code in Fault)
    text = SCHEMA.read_text(encoding="utf-8").replace('"enum": []', f'"enum": [{names}]')
    return text.replace('"enum": ["of faults"]', f'"enum": [{codes}]')


def whole_schema() -> dict[str, Any]:
    """Return the schema."""
    whole: dict[str, Any] = json.loads(schema_text())
    return whole


@click.command()
def schema() -> None:
    """Print the JSON schema of all that is written as JSON.

    Each output names its part of it, as "vettore.fit/1". Fields are added under the same number; where one is changed or
    taken away, the number rises.
    """
    click.echo(schema_text(), nl=False)
