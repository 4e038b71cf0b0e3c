"""The program that a shell starts: its commands, the window, and how a refusal is said."""

from __future__ import annotations

import gc
import json
import sys
from collections.abc import Sequence
from difflib import get_close_matches
from pathlib import Path
from typing import Any

import click

from vettore import __version__
from vettore.cli.listed import COMMANDS, HELP, command
from vettore.core.errors import VettoreError

# Exit codes: done, and the request or the data are wrong; 1, of a fit that did not converge, is in fit.py.
DONE, WRONG = 0, 2
# How a refusal is named where JSON was asked for.
REFUSAL = "vettore.refusal/1"
# Garbage is looked for after so many new objects: a command works for seconds, and nearly all that it makes is needed.
NEW_OBJECTS = 200_000


class Commands(click.Group):
    """A group whose words that are no commands are files to open in the window."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return sorted([*self.commands, *COMMANDS])

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        by_name = {
            **COMMANDS,
            **{name: known.get_short_help_str(80) for name, known in self.commands.items() if not known.hidden},
        }
        with formatter.section("Commands"):
            formatter.write_dl(sorted(by_name.items()))

    def get_command(self, ctx: click.Context, name: str) -> click.Command | None:
        return command(name) if name in COMMANDS else super().get_command(ctx, name)

    def resolve_command(self, ctx: click.Context, args: list[str]) -> Any:
        if args and args[0] not in self.list_commands(ctx) and not args[0].startswith("-"):
            missing = [name for name in args if not name.startswith("-") and not Path(name).exists()]
            if missing:
                near = get_close_matches(missing[0], [name for name in self.list_commands(ctx) if name != "open"], 1)
                hint = f"Did you mean {near[0]}?" if near else "See vettore --help."
                raise click.UsageError(f"There is no command and no file “{missing[0]}”. {hint}")
            return "open", self.commands["open"], args
        return super().resolve_command(ctx, args)


@click.group(cls=Commands, invoke_without_command=True, context_settings={"help_option_names": HELP})
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
@click.option("--save", type=click.Path(path_type=Path), help="Save the demo study there instead of opening it.")
def demo(save: Path | None) -> None:
    """Open the window with the demo study."""
    if save is None:
        _window([], demo=True)
        return
    from vettore.demo.study import demo_study
    from vettore.files.study_file import save_study

    save_study(demo_study(), save)
    click.echo(f"The demo study was saved as {save}.")


def main(arguments: list[str] | None = None) -> None:
    """Run the command line and leave with its exit code. Without arguments, those of the process, which is then its own."""
    if arguments is None:
        gc.set_threshold(NEW_OBJECTS, 10, 10)
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
        if "--json" in (sys.argv if arguments is None else arguments):
            click.echo(json.dumps({"schema": REFUSAL, "code": error.code, "message": str(error)}, ensure_ascii=False))
        sys.exit(WRONG)
    finally:
        if arguments is None:
            # The process ends: nobody need look through what it leaves.
            gc.freeze()


def _window(files: list[Path], demo: bool = False) -> None:
    from vettore.app.main import run

    sys.exit(run(files, demo))
