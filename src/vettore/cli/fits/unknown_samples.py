"""``vettore fit CALIBRATION --unknowns SAMPLES``: what many samples hold, read off one calibration, in one table."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from vettore.cli.given import Columns, Reading, column_of, json_of, list_of, numbers_of, quiet_table
from vettore.core.errors import DataError, Fault

if TYPE_CHECKING:
    from vettore.core.fitting.after.unknowns import Unknowns
    from vettore.core.rounding import NumberStyle
    from vettore.study.fitting.fits import DerivedFit
    from vettore.study.table import Table

# Names by which columns of samples are known without being told, in small letters.
USUAL = {
    "sample": ("sample", "name", "id", "unknown", "label", "well"),
    "dilution": ("dilution", "dilution factor", "factor"),
    "added": ("added", "spike", "spiked"),
    "nominal": ("nominal", "expected", "target"),
}
# The options about samples, which have no effect without them.
OPTIONS = ("signal", "sample", "dilution", "added", "nominal", "within")


@dataclass(frozen=True)
class Samples:
    """Samples with their replicates, and what is known of them (m,)."""

    names: tuple[str, ...]
    signals: tuple[tuple[float, ...], ...]
    dilution: tuple[float, ...]
    added: tuple[float, ...]
    nominal: tuple[float, ...]


def unknowns_options(command: Any) -> Any:
    """Give a command the options about unknowns; they come as ``unknowns`` and by their names."""
    options = (
        click.option(
            "--unknowns",
            help="A file of samples with their signals, or the signals themselves (0.41; 0.38): tell their x.",
        ),
        click.option("--signal", multiple=True, help="Column of the signals of --unknowns; several are replicates."),
        click.option("--sample", help="Column with the names of samples; rows of one name are replicates."),
        click.option("--dilution", help="Column with dilution factors, or one number for all."),
        click.option(
            "--added", help="Column with what was added to a sample (0 for the same without): tells recoveries."
        ),
        click.option("--nominal", help="Column with what quality samples hold (blank for others)."),
        click.option("--within", help="Limits of quality samples in per cent, as 80..120."),
    )
    for option in reversed(options):
        command = option(command)
    return command


def taken_from(options: dict[str, Any]) -> dict[str, Any] | None:
    """Take what is about unknowns out of the options; None where none are asked for. Raises DataError."""
    given = {name: options.pop(name) for name in ("unknowns", *OPTIONS)}
    if given["unknowns"] is not None:
        return given
    useless = next((name for name in OPTIONS if given[name]), None)
    if useless is not None:
        raise DataError(
            f"--{useless} would have no effect here: it is about the samples of --unknowns.", Fault.NO_EFFECT
        )
    return None


def tell_unknowns(
    derived: DerivedFit, given: dict[str, Any], read: Reading, output: Path | None, as_json: bool
) -> None:
    """Print and save what the samples hold."""
    from vettore.core.fitting.after.unknowns import WITHIN, unknowns
    from vettore.files.number_table import write_table
    from vettore.study.columns import Role

    x_name, unit = derived.series.name_and_unit(Role.X)
    samples = _samples(given, read, derived.series.name_and_unit(Role.Y)[0])
    within = WITHIN
    if given["within"] is not None:
        ends = [part.strip() for part in given["within"].split("..")]
        within = tuple(list_of(" ".join(ends), "--within"))  # type: ignore[assignment]
        if len(within) != 2:
            raise DataError(f"“{given['within']}” are no limits; write them as 80..120.", Fault.NOT_READABLE)
    answer = unknowns(
        derived.result,
        samples.signals,
        names=samples.names,
        dilution=samples.dilution,
        added=samples.added if any(samples.added) else None,
        nominal=samples.nominal,
        within=within,
    )
    whole = {"schema": "vettore.unknowns/1", **answer.to_dict()}
    if output is not None:
        write_table(output, answer.columns, whole)
    if as_json:
        click.echo(json_of("unknowns/1", answer.to_dict()))
    elif output is None:
        click.echo(_text(answer, f"{x_name} ({unit})" if unit else x_name))
    else:
        away = int(answer.beyond.sum())
        rest = f"; {away} beyond the data of the calibration" if away else ""
        click.echo(f"{output.name}: {len(answer)} unknowns{rest}.", err=True)


def _samples(given: dict[str, Any], read: Reading, response: str) -> Samples:
    """Return the samples of a file, or signals that were typed. Raises VettoreError."""
    path = Path(given["unknowns"])
    if not path.exists() and not path.suffix[1:].isalpha():
        try:
            typed = list_of(given["unknowns"], "a signal")
        except DataError:
            raise DataError(
                f"“{given['unknowns']}” is no file, and no list of signals such as 0.41; 0.38.", Fault.FILE_MISSING
            ) from None
        factor = 1.0 if given["dilution"] is None else list_of(given["dilution"], "--dilution")[0]
        m = len(typed)
        names = tuple(str(k + 1) for k in range(m))
        return Samples(names, tuple((v,) for v in typed), (factor,) * m, (0.0,) * m, (math.nan,) * m)
    table = quiet_table(path, Reading(sheet=None, delimiter=read.delimiter, decimal=read.decimal), whole=True)
    return _of_table(table, given, path, response)


def _of_table(table: Table, given: dict[str, Any], path: Path, response: str) -> Samples:
    columns = numbers_of(table)
    words = {column.name: column.texts for column in table.columns if column.texts is not None}
    names_of = given["sample"] or _usual("sample", [*words, *columns])
    signals = [column_of(columns, name, 0, path) for name in _listed(given["signal"])]
    numbers = {
        role: _numbers(given[role], role, columns, table.rows, path) for role in ("dilution", "added", "nominal")
    }
    if not signals:
        taken = {names_of, *(_usual(role, list(columns)) for role in numbers), *(given[role] for role in numbers)}
        left = [name for name in columns if name not in taken]
        signals = [response] if response in left else left[:1]
        if not signals:
            raise DataError(f"“{path.name}” has no column of signals; name it, as --signal COLUMN.", Fault.MISSING)
    if names_of is not None and names_of not in words and names_of not in columns:
        raise DataError(
            f"“{path.name}” has no column “{names_of}”. Its columns are: {', '.join(columns.names)}.",
            Fault.NO_SUCH_NAME,
        )
    groups: dict[tuple[Any, ...], list[float]] = {}
    for row in range(table.rows):
        label = str(row + 1) if names_of is None else _label(words, columns, names_of, row)
        values = [float(columns[name][row]) for name in signals]
        if not label.strip() and all(map(math.isnan, values)):
            continue
        key = (label, *(repr(float(numbers[role][row])) for role in numbers))
        groups.setdefault(key, []).extend(values)
    if not groups:
        raise DataError(f"“{path.name}” holds no sample.", Fault.NOTHING)
    known = [tuple(float(text) for text in key[1:]) for key in groups]
    return Samples(
        tuple(key[0] for key in groups),
        tuple(tuple(values) for values in groups.values()),
        *(tuple(entry[place] for entry in known) for place in range(3)),
    )


def _listed(given: Sequence[str]) -> list[str]:
    return [name.strip() for text in given for name in text.split(",") if name.strip()]


def _usual(role: str, names: Sequence[str]) -> str | None:
    return next((name for name in names if name.casefold().strip() in USUAL[role]), None)


def _label(words: dict[str, Any], columns: Columns, name: str, row: int) -> str:
    if name in words:
        return str(words[name][row])
    value = float(columns[name][row])
    return "" if math.isnan(value) else f"{value:g}"


def _numbers(given: str | None, role: str, columns: Columns, rows: int, path: Path) -> list[float]:
    """Return a number of every row: a column, or one number for all; what is blank is none."""
    missing = {"dilution": 1.0, "added": 0.0, "nominal": math.nan}[role]
    if given is not None and given not in columns.names:
        try:
            return [list_of(given, f"--{role}")[0]] * rows
        except (DataError, IndexError):
            pass
    name = column_of(columns, given, 0, path) if given is not None else _usual(role, list(columns))
    if name is None:
        return [missing] * rows
    return [missing if math.isnan(value) else float(value) for value in columns[name].tolist()]


def _with_error(style: NumberStyle, value: float, error: float) -> str:
    if math.isnan(value):
        return ""
    number, spread = style.with_error(value, error if math.isfinite(error) else None)
    return f"{number} ± {spread}" if spread else number


def _text(answer: Unknowns, x_name: str) -> str:
    """Return the table as it is printed: numbers as far as their ± goes."""
    from vettore.core.rounding import NumberStyle

    style = NumberStyle()
    diluted = bool((answer.dilution != 1).any())
    lines = []
    for k, name in enumerate(answer.names):
        value, error = float(answer.x[k]), float(answer.standard_error[k])
        ends = [style.number(float(end)) if math.isfinite(end) else "open" for end in (answer.low[k], answer.high[k])]
        cells = [name, _with_error(style, value, error)]
        cells.append(f"{ends[0]} … {ends[1]}" if math.isfinite(error) else "")
        if diluted:
            factor = float(answer.dilution[k])
            cells.append(_with_error(style, value * factor, error * factor))
        if math.isfinite(answer.recovery[k]):
            cells.append(f"{answer.recovery[k]:.1f} %")
        lines.append([*cells, answer.notes[k]])
    heads = ["sample", f"{x_name or 'x'} ± standard error", f"{100 * answer.level:g} % range"]
    heads += ["times dilution"] if diluted else []
    rows = [heads, *lines]
    widths = [max(len(row[place]) if place < len(row) else 0 for row in rows) for place in range(len(heads))]
    return "\n".join(
        "  ".join(
            cell.ljust(widths[place]) if place < len(widths) else cell for place, cell in enumerate(row)
        ).rstrip()
        for row in rows
    )
