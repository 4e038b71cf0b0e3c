"""The command line: everything without a screen, and the window."""

from __future__ import annotations

import json
import sys
from collections.abc import Sequence
from dataclasses import asdict
from difflib import get_close_matches
from pathlib import Path
from typing import Any

import click

from vettore import __version__
from vettore.cli_curves import COMMANDS, table_of
from vettore.cli_fit import fit
from vettore.core.errors import DataError, VettoreError

# Exit codes: done, and the request or the data are wrong; 1, of a fit that did not converge, is in cli_fit.
DONE, WRONG = 0, 2


class Commands(click.Group):
    """A group whose words that are no commands are files to open in the window."""

    def resolve_command(self, ctx: click.Context, args: list[str]) -> Any:
        if args and args[0] not in self.commands and not args[0].startswith("-"):
            missing = [name for name in args if not name.startswith("-") and not Path(name).exists()]
            if missing:
                near = get_close_matches(missing[0], [name for name in self.commands if name != "open"], 1)
                hint = f"Did you mean {near[0]}?" if near else "See vettore --help."
                raise click.UsageError(f"There is no command and no file “{missing[0]}”. {hint}")
            return "open", self.commands["open"], args
        return super().resolve_command(ctx, args)


@click.group(cls=Commands, invoke_without_command=True)
@click.version_option(__version__, prog_name="Vettore")
@click.pass_context
def program(ctx: click.Context) -> None:
    """Vettore: look at measured data, fit models, and report values with their uncertainty.

    Without a command, or with the names of files, the window opens.
    """
    if ctx.invoked_subcommand is None:
        _window([])


@program.command("open", hidden=True)
@click.argument("files", nargs=-1, type=click.Path(path_type=Path))
def open_command(files: Sequence[Path]) -> None:
    """Open the window with studies or text tables."""
    _window(list(files))


@program.command()
def demo() -> None:
    """Open the window with the demo study."""
    _window([], demo=True)


@program.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print as JSON.")
def describe(file: Path, as_json: bool) -> None:
    """Describe the columns of a text table in numbers."""
    from vettore.core.rounding import NumberStyle
    from vettore.core.statistics import describe as describe_values

    style = NumberStyle()
    told: dict[str, dict[str, Any]] = {}
    for column in table_of(file).columns:
        if column.texts is None:
            try:
                told[column.name] = {"unit": column.unit, **asdict(describe_values(column.values))}
            except DataError:
                told[column.name] = {"unit": column.unit, "count": 0, "blank": len(column.values)}
    if as_json:
        click.echo(json.dumps(told, ensure_ascii=False, indent=1))
        return
    for name, numbers in told.items():
        unit = numbers.pop("unit")
        click.echo(f"{name} ({unit})" if unit else name)
        for label, value in numbers.items():
            text = str(value) if isinstance(value, int) else style.number(value, 8)
            click.echo(f"  {label.replace('_', ' '):20} {text}")


@program.command()
@click.argument("study", type=click.Path(path_type=Path))
@click.option("-o", "--output", required=True, type=click.Path(path_type=Path), help="Where to (.html or .pdf).")
def report(study: Path, output: Path) -> None:
    """Save the report of a study."""
    from vettore.files.study_file import open_study
    from vettore.report.save import save_report

    save_report(open_study(study), output)
    click.echo(f"The report was saved as {output}.")


for _command in (fit, *COMMANDS):
    program.add_command(_command)


def main(arguments: list[str] | None = None) -> None:
    """Run the command line and leave with its exit code."""
    try:
        code = program.main(arguments, prog_name="vettore", standalone_mode=False)
        sys.exit(code if isinstance(code, int) else DONE)
    except click.exceptions.Abort:
        sys.exit(WRONG)
    except click.ClickException as error:
        click.echo(f"vettore: {error.format_message()}", err=True)
        sys.exit(WRONG)
    except VettoreError as error:
        click.echo(f"vettore: {error}", err=True)
        sys.exit(WRONG)


def _window(files: list[Path], demo: bool = False) -> None:
    from vettore.app.main import run

    sys.exit(run(files, demo))
