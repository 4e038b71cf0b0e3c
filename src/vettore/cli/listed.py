"""The commands by name, in their order, each with its line in the list of all.

A new one is a file beside this, with a command of that name, and its entry here.
"""

from __future__ import annotations

import importlib

import click

HELP = ["-h", "--help"]
CAREFUL = "careful"
# Said here, too, so that the list of all commands loads none of them; a test compares.
COMMANDS = {
    "describe": "Describe the columns of a text table in numbers.",
    "fit": "Fit a polynomial to two columns of a file, or a formula to any of its columns.",
    "models": "List the catalogue of models, or tell all about one of them.",
    "compare": "Fit several models to the same rows and rank them.",
    "plan": "Tell where to measure before there are data, and which ± that will give.",
    "interpolate": "Read values between points.",
    "integrate": "Work out the area under points, or under a function of x.",
    "peaks": "Find the peaks of a spectrum: how many, and place, height, width and area of each with its ±.",
    "polynomial": "Tell roots, turning points, slope and antiderivative of a polynomial.",
    "surface": "Fill between scattered sites.",
    "figure": "Save the figure of a fit of a study, or of anything else in it that has one.",
    "thumbnail": "Draw a study small, as a PNG: the figure of the reported fit, or else its first.",
    "report": "Save the report of a study.",
    "study": "Make a study from files, add to it, or tell what it holds.",
    "replay": "Do the work of a study again on many files.",
    "schema": "Print the JSON schema of all that is written as JSON.",
    "manual": "Print the reference of all commands.",
    "desktop": "Add Vettore to the desktop's menu for this user, or remove it.",
}


# Commands whose module is not called like them.
ELSEWHERE = {"fit": "fits.fit"}


def command(name: str) -> click.Command:
    """Load a command; its file is read only when it is asked for, so that the others start at once."""
    result: click.Command = getattr(importlib.import_module(f"vettore.cli.{ELSEWHERE.get(name, name)}"), name)
    result.context_settings["help_option_names"] = HELP
    result.short_help = COMMANDS[name]
    return result if getattr(result, CAREFUL, False) else _careful(result)


def _careful(result: click.Command) -> click.Command:
    from vettore.cli.careful import with_checks

    setattr(result, CAREFUL, True)
    return with_checks(result)
