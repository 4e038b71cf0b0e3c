"""vettore manual: the reference of all commands, as Markdown or as a man page, made from what --help says."""

from __future__ import annotations

from collections.abc import Iterator

import click

from vettore import __version__
from vettore.cli import listed

EXIT_CODES = (
    (0, "done"),
    (1, "a fit did not converge, an integral did not settle, or some of many files failed"),
    (2, "what was asked, or a file, is wrong; a sentence says how"),
    (3, "the run over many files was ended by hand"),
)


@click.command()
@click.option("--man", is_flag=True, help="Write a man page instead of Markdown.")
def manual(man: bool) -> None:
    """Print the reference of all commands."""
    click.echo(man_page() if man else markdown(), nl=False)


def commands() -> Iterator[tuple[str, click.Command]]:
    """Give all commands with their names, in the order of the list; those of a group follow it."""
    for name in listed.COMMANDS:
        command = listed.command(name)
        yield name, command
        if isinstance(command, click.Group):
            yield from ((f"{name} {inner}", item) for inner, item in command.commands.items())


def _usage(name: str, command: click.Command) -> str:
    context = click.Context(command, info_name=f"vettore {name}", help_option_names=listed.HELP)
    return " ".join([f"vettore {name}", *command.collect_usage_pieces(context)])


def _options(command: click.Command) -> Iterator[tuple[str, str]]:
    context = click.Context(command, help_option_names=listed.HELP)
    for parameter in command.get_params(context):
        record = parameter.get_help_record(context)
        if record is not None:
            yield record


def _paragraphs(command: click.Command) -> list[str]:
    return [" ".join(part.split()) for part in (command.help or "").split("\n\n")]


def markdown() -> str:
    """Return the reference as Markdown."""
    lines = ["# Commands", "", "Made by `vettore manual`; `vettore COMMAND --help` says the same.", ""]
    for name, command in commands():
        lines += [f"## vettore {name}", "", *(f"{text}\n" for text in _paragraphs(command))]
        lines += ["```", _usage(name, command), "```", ""]
        lines += ["| Option | |", "|---|---|"]
        lines += [f"| `{option}` | {text} |" for option, text in _cells(command)]
        lines.append("")
    lines += ["## Exit codes", "", *(f"- {code}: {words}" for code, words in EXIT_CODES), ""]
    return "\n".join(lines)


def _cells(command: click.Command) -> Iterator[tuple[str, str]]:
    for option, text in _options(command):
        yield option.replace("|", "\\|"), text.replace("|", "\\|")


def man_page() -> str:
    """Return the reference as a man page."""
    lines = [
        f'.TH VETTORE 1 "" "Vettore {__version__}" "User commands"',
        ".SH NAME",
        "vettore \\- look at measured data, fit models, report values with their uncertainty",
        ".SH SYNOPSIS",
        ".B vettore",
        "[FILE ...]",
        ".br",
        ".B vettore",
        "COMMAND ...",
        ".SH DESCRIPTION",
        "Without a command, or with the names of files, the window opens.",
    ]
    for name, command in commands():
        lines += [f".SH vettore {name}", _roff(_usage(name, command)), ".PP"]
        lines += [line for text in _paragraphs(command) for line in (_roff(text), ".PP")]
        for option, text in _options(command):
            lines += [".TP", f".B {_roff(option)}", _roff(text) or "\\&"]
    lines.append(".SH EXIT STATUS")
    for code, words in EXIT_CODES:
        lines += [".TP", f".B {code}", words]
    return "\n".join(lines) + "\n"


def _roff(text: str) -> str:
    escaped = text.replace("\\", "\\e").replace("-", "\\-")
    return f"\\&{escaped}" if escaped.startswith((".", "'")) else escaped
