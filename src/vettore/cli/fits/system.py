"""Several equations over a file: rates of change, reactions, columns that share coefficients."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from vettore.cli.fits.of_table import limits_of
from vettore.cli.fits.options import values_of
from vettore.cli.given import Reading, numbers_of, say_json, table_of
from vettore.core.errors import DataError, Fault

if TYPE_CHECKING:
    from vettore.core.systems.result import SystemFit

# What several equations take of the options of a fit.
TAKEN = ("formula", "equations", "start", "hold", "limit", "seed", "as_json")


def equations_of(options: Mapping[str, Any]) -> str | None:
    """Return the text of several equations, from its file or its option; None for a single one. Raises DataError."""
    from vettore.core.systems.read import is_system

    file: Path | None = options["equations"]
    if file is not None:
        for option in ("formula", "model_key", "degree"):
            if options[option] is not None:
                raise DataError(
                    f"--equations would have no effect beside --{option.removesuffix('_key')}. Give one.",
                    Fault.CONFLICT,
                )
        try:
            return file.read_text(encoding="utf-8")
        except (OSError, UnicodeDecodeError) as error:
            raise DataError(f"The equations in “{file}” cannot be read: {error}.", Fault.FILE_MISSING) from None
    formula: str | None = options["formula"]
    return formula if formula is not None and is_system(formula) else None


def fit_equations(text: str, file: Path, read: Reading, options: Mapping[str, Any]) -> None:
    """Fit several equations to a file, and tell what came of it. Raises VettoreError."""
    from vettore import core
    from vettore.core.fitting.request import DEFAULT_SEED

    unused = [name for name, value in options.items() if value and name not in TAKEN]
    if unused:
        option = unused[0].removesuffix("_name").replace("_", "-")
        raise DataError(f"--{option} is for a single equation; several are fitted without it.", Fault.NO_EFFECT)
    columns = numbers_of(table_of(file, read))
    answer = core.fit_system(
        text,
        columns,
        start=values_of(options["start"]),
        hold=values_of(options["hold"]),
        limits=limits_of(options["limit"]),
        seed=DEFAULT_SEED if options["seed"] is None else options["seed"],
    )
    if options["as_json"]:
        say_json("system/1", answer.to_dict())
    else:
        click.echo(_text(answer))


def _text(answer: SystemFit) -> str:
    """Return a fit as a person reads it."""
    from vettore.core.rounding import NumberStyle

    style = NumberStyle()
    lines = [*answer.equations, ""]
    for coefficient in answer.coefficients.values():
        held = "  (held)" if coefficient.held else "  (at its limit)" if coefficient.at_limit else ""
        lines.append(f"  {coefficient.name:8} {style.pair(coefficient.value, coefficient.standard_error)}{held}")
    lines.append("")
    for name, scatter in answer.scatters.items():
        of = answer.r_squared[name]
        share = "" if of is None else f", R² {style.number(of, 5)}"
        lines.append(f"  {name:38} scatter {style.number(scatter, 3)}{share}, {len(answer.residuals[name])} rows")
    for total in answer.conserved:
        parts = [name if factor == 1 else f"{style.short(factor, 6)} {name}" for name, factor in total.items()]
        lines.append(f"  {'never changes':38} {' + '.join(parts)}")
    return "\n".join([*lines, *([""] if answer.warnings else []), *answer.warnings])
