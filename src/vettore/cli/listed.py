"""The commands by name, in their order. A new one is a file beside this, with a command of that name, and its name here."""

from __future__ import annotations

import importlib

import click

HELP = ["-h", "--help"]
COMMANDS = (
    "describe",
    "fit",
    "models",
    "compare",
    "interpolate",
    "integrate",
    "polynomial",
    "surface",
    "figure",
    "report",
    "replay",
    "manual",
)


def command(name: str) -> click.Command:
    """Load a command; its file is read only when it is asked for, so that the others start at once."""
    found: click.Command = getattr(importlib.import_module(f"vettore.cli.{name}"), name)
    found.context_settings["help_option_names"] = HELP
    return found
