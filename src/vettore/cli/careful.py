"""What every command checks before it works: no option twice that counts once, no output that could not be written."""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping
from pathlib import Path

import click

from vettore.core.errors import DataError, Fault

# Options that name a file to be written, by their parameters.
OUTPUTS = frozenset({"output", "report", "figure", "table", "save", "picture"})
FIGURES = (".svg", ".pdf", ".png", ".tiff", ".tif")
TABLES = (".csv", ".tsv")


def with_checks(command: click.Command) -> click.Command:
    """Return a command, and those inside it, that checks what it is given before it begins."""
    plain = command.parse_args

    def parse_args(ctx: click.Context, args: list[str]) -> list[str]:
        _check_once(command, args)
        rest = plain(ctx, args)
        if not ctx.resilient_parsing:
            for name, value in ctx.params.items():
                if name in OUTPUTS and isinstance(value, Path):
                    _check_output(command.name or "", name, value)
        return rest

    command.parse_args = parse_args  # type: ignore[method-assign]
    if isinstance(command, click.Group):
        for inner in command.commands.values():
            with_checks(inner)
    return command


def _check_once(command: click.Command, args: list[str]) -> None:
    """Refuse an option that is given again where the last one alone would count. Raises UsageError."""
    given = args[: args.index("--")] if "--" in args else args
    for option in command.params:
        if not isinstance(option, click.Option) or option.multiple or option.is_flag or option.count:
            continue
        marks = [*option.opts, *option.secondary_opts]
        values = []
        for place, word in enumerate(given):
            name, sign, value = word.partition("=")
            if word in marks or (name in marks and name.startswith("--")):
                values.append(value if sign else "".join(given[place + 1 : place + 2]))
        if len(values) > 1:
            named = max(marks, key=len)
            text = " and ".join(f"“{value}”" for value in values[:2])
            hint = " For several columns of y give the command once for each." if named == "--y" else ""
            raise click.UsageError(f"{named} takes one value, and {text} were given.{hint}")


def _check_output(command: str, name: str, path: Path) -> None:
    """Refuse a file that could not be written. Raises DataError."""
    folder = path.absolute().parent
    if not folder.is_dir():
        raise DataError(
            f"“{path}” cannot be written: there is no folder {folder}. Make it, or name another place.",
            Fault.CANNOT_WRITE,
        )
    if path.is_dir():
        raise DataError(f"“{path}” is a folder. Name a file in it.", Fault.CANNOT_WRITE)
    if not os.access(folder, os.W_OK):
        raise DataError(f"“{path}” cannot be written: nothing may be written in {folder}.", Fault.CANNOT_WRITE)
    check = ENDINGS.get("report" if command == "report" else "figure" if command == "figure" else name)
    endings = None if check is None else check()
    if endings is not None and path.suffix.casefold() not in endings:
        raise DataError(f"“{path.name}”: this is written as {', '.join(endings)}.", Fault.FILE_KIND)


def _report_endings() -> tuple[str, ...]:
    from vettore.report.renderers.listed import FORMATS

    return tuple(ending for known in FORMATS for ending in known.endings)


ENDINGS: Mapping[str, Callable[[], tuple[str, ...]]] = {
    "report": _report_endings,
    "figure": lambda: FIGURES,
    "table": lambda: TABLES,
}
