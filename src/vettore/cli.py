"""The command line: everything without a screen, and the window."""

from __future__ import annotations

import json
import sys
from collections.abc import Sequence
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any

import click

from vettore import __version__
from vettore.cli_curves import COMMANDS, column_of, finite, model_of, numbers_of, table_of
from vettore.core.errors import DataError, VettoreError

# Exit codes: done, the fit did not converge, the request or the data are wrong.
DONE, NOT_CONVERGED, WRONG = 0, 1, 2


class Commands(click.Group):
    """A group whose words that are no commands are files to open in the window."""

    def resolve_command(self, ctx: click.Context, args: list[str]) -> Any:
        if args and args[0] not in self.commands and not args[0].startswith("-"):
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
@click.option("--degree", type=int, default=1, show_default=True, help="Degree of the polynomial.")
@click.option("--formula", help='A formula over the columns instead of a polynomial: "y = A*exp(-k*t) + C".')
@click.option("--start", multiple=True, help="A starting value, as k=0.1 (none is needed).")
@click.option("--hold", multiple=True, help="A coefficient held at a value, as C=0.")
@click.option("--limit", multiple=True, help="Limits of a coefficient, as k=0.. or k=0..1 or k=..1.")
@click.option("--loss", default="squares", show_default=True, help="squares, huber, cauchy or tukey.")
@click.option("--model", "model_key", help="A model of the catalogue by its key (see vettore models).")
@click.option("--library", type=click.Path(path_type=Path), help="A library of own models to take --model from.")
@click.option("--seed", type=int, default=1, show_default=True, help="Seed of the search for an answer.")
@click.option("--x", "x_name", help="Column for x (name, or number from 1).")
@click.option("--y", "y_name", help="Column for y (name, or number from 1).")
@click.option("--sigma", "sigma_name", help="Column with the standard deviations of y.")
@click.option("--no-intercept", is_flag=True, help="Fit through the origin.")
@click.option("--json", "as_json", is_flag=True, help="Print everything in the result as JSON.")
@click.option("--report", "report", type=click.Path(path_type=Path), help="Save a report (.html or .pdf).")
def fit(
    file: Path,
    degree: int,
    formula: str | None,
    start: Sequence[str],
    hold: Sequence[str],
    limit: Sequence[str],
    loss: str,
    model_key: str | None,
    library: Path | None,
    seed: int,
    x_name: str | None,
    y_name: str | None,
    sigma_name: str | None,
    no_intercept: bool,
    as_json: bool,
    report: Path | None,
) -> None:
    """Fit a polynomial to two columns of a file, or a formula to any of its columns."""
    if model_key is not None:
        chosen = model_of(model_key, library)
        columns = numbers_of(table_of(file))
        if formula is not None:
            raise DataError("Give either --formula or --model, not both.")
        x_of, y_of = column_of(columns, x_name, 0, file), column_of(columns, y_name, 1, file)
        formula = chosen.over(x_of, y_of, list(columns))
    if formula is not None and report is None:
        wanted = {
            "start": _values(start),
            "hold": _values(hold),
            "limits": _limits(limit),
            "loss": loss,
            "seed": seed,
        }
        result = _fit_formula(table_of(file), formula, wanted, sigma_name, file)
        click.echo(_result_json(result) if as_json else _result_text(result))
        if not result.converged:
            raise SystemExit(NOT_CONVERGED)
        return
    from vettore.study import edits
    from vettore.study.derive import derive_fit
    from vettore.study.series import Role
    from vettore.study.study import Study

    table = table_of(file)
    study = edits.add_series(Study(title=file.name), table, file.stem)
    series = study.series[0].id
    wanted = {Role.X: x_name, Role.Y: y_name, Role.Y_ERROR: sigma_name}
    for role, name in wanted.items():
        if name is not None:
            columns = study.series[0].columns
            place = _place([column.name for column in columns], name, file)
            study = edits.set_column(study, series, place, replace(columns[place], role=role))
    if formula is not None:
        study = edits.add_formula(study, series, formula)
    else:
        study = edits.add_fit(study, series, degree)
    recipe = replace(
        study.curves[0],
        intercept=not no_intercept,
        use_errors=sigma_name is not None,
        model=model_key if model_key and library is None else "",
        called=chosen.name if model_key and library is not None else "",
        hold=tuple(_values(hold).items()),
        start=tuple(_values(start).items()),
        limits=tuple((name, low, high) for name, (low, high) in _limits(limit).items()),
        loss=loss,
    )
    study = edits.change_fit(study, recipe)
    derived = derive_fit(study, recipe.id)
    click.echo(_fit_json(derived) if as_json else _fit_text(derived))
    if report is not None:
        from vettore.report.pages import save_report

        save_report(study, report)
        click.echo(f"The report was saved as {report}.", err=as_json)
    if not derived.result.converged:
        raise SystemExit(NOT_CONVERGED)


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
    from vettore.report.pages import save_report

    save_report(open_study(study), output)
    click.echo(f"The report was saved as {output}.")


for _command in COMMANDS:
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


def _place(names: list[str], wanted: str, file: Path) -> int:
    if wanted in names:
        return names.index(wanted)
    if wanted.isdigit() and 1 <= int(wanted) <= len(names):
        return int(wanted) - 1
    raise DataError(f"“{file.name}” has no column “{wanted}”. Its columns are: {', '.join(names)}.", column=wanted)


def _values(given: Sequence[str]) -> dict[str, float]:
    """Return ``k=0.1`` texts as values by name."""
    from vettore.core.rounding import read_number

    found = {}
    for text in given:
        name, _, value = text.partition("=")
        number = read_number(value)
        if not name.strip() or number is None:
            raise DataError(f"“{text}” is not a value for a coefficient; write it as k=0.1.")
        found[name.strip()] = number
    return found


def _limits(given: Sequence[str]) -> dict[str, tuple[float | None, float | None]]:
    """Return ``k=0..1`` texts as limits by name; a side left out is open."""
    from vettore.core.rounding import read_number

    found = {}
    for text in given:
        name, _, span = text.partition("=")
        low, dots, high = span.partition("..")
        sides = [read_number(side) if side.strip() else None for side in (low, high)]
        blank = [not side.strip() for side in (low, high)]
        if not name.strip() or not dots or any(s is None and not b for s, b in zip(sides, blank, strict=True)):
            raise DataError(f"“{text}” are no limits of a coefficient; write them as k=0.. or k=0..1.")
        found[name.strip()] = (sides[0], sides[1])
    return found


def _fit_formula(table, formula: str, wanted: dict[str, Any], sigma_name: str | None, file: Path):
    from vettore.core import fit as fit_formula
    from vettore.core.formula.formula import read_formula
    from vettore.core.rounding import read_number

    columns = {column.name: column.values for column in table.columns if column.texts is None}
    read = read_formula(formula, [column.name for column in table.columns])
    for column in table.columns:
        if column.texts is not None and column.name in (read.response, *read.data):
            sample = next((text for text in column.texts if text.strip() and read_number(text) is None), "")
            raise DataError(f"{column.name} holds text, as “{sample}”, so no formula can be fitted to it.")
    sigma = None
    if sigma_name is not None:
        names = list(columns)
        sigma = columns[names[_place(names, sigma_name, file)]]
    return fit_formula(formula, columns, sigma=sigma, **wanted)


def _result_text(result) -> str:
    from vettore.core.errors import name_rows
    from vettore.core.fit.checks import checks
    from vettore.core.rounding import NumberStyle

    style = NumberStyle()
    lines = [result.formula, ""]
    for one in result.coefficients.values():
        held = "  (held)" if one.held else "  (at its limit)" if one.at_limit else ""
        lines.append(f"  {one.name:8} {style.pair(one.value, one.standard_error)}{held}")
    told = {
        "R²" + ("" if result.r_squared_against == "mean" else " against zero"): style.number(result.r_squared, 6),
        "residual standard deviation": style.number(result.residual_sd, 4),
        "sum of squares": style.number(result.sum_of_squares, 5),
        "degrees of freedom": str(result.degrees_of_freedom),
        "AICc": style.number(result.aicc, 5),
    }
    lines += ["", *(f"  {name:28} {text}" for name, text in told.items()), "", result.message, *result.warnings]
    if result.weighted_down:
        rows = name_rows(result.weighted_down)
        lines.append(f"{rows.capitalize()} weigh less than half under the {result.loss} loss.")
    for one in checks(result):
        lines.append(f"{one.verdict.value:5} {one.sentence}" + (f" ({one.figure})" if one.figure else ""))
    return "\n".join(lines)


def _fit_text(derived) -> str:
    from vettore.core.fit.summary import summary
    from vettore.core.rounding import NumberStyle
    from vettore.report.content import goodness_lines
    from vettore.study.derive import coefficient_units
    from vettore.study.series import Role

    style, result = NumberStyle(), derived.result
    y = derived.series.column(Role.Y)
    lines = [result.formula, ""]
    for unit, one in zip(coefficient_units(derived), result.coefficients.values(), strict=True):
        lines.append(f"  {one.name:4} {style.pair(one.value, one.standard_error, unit)}")
    lines += ["", *(f"  {line.label:28} {line.text}" for line in goodness_lines(derived, style))]
    rows = derived.series.rows
    lines.append(f"  {'rows in use':28} {len(derived.rows)} of {rows}")
    lines += ["", summary(result, derived.recipe.name, y.name, y.unit, 0, style, derived.checks), *result.warnings]
    return "\n".join(lines)


def _fit_json(derived) -> str:
    return _result_json(derived.result, [int(row) + 1 for row in derived.rows])


def _result_json(result, rows: list[int] | None = None) -> str:
    from vettore.core.fit.checks import checks

    if rows is None:
        rows = [row for row, used in enumerate(result.rows_in_use.tolist(), 1) if used]
    out: dict[str, Any] = {
        "formula": result.formula,
        "method": result.method,
        "converged": result.converged,
        "message": result.message,
        "warnings": list(result.warnings),
        "coefficients": {name: asdict(one) for name, one in result.coefficients.items()},
        "rows": rows,
    }
    for name in (
        "n",
        "degrees_of_freedom",
        "r_squared",
        "r_squared_against",
        "adjusted_r_squared",
        "sum_of_squares",
        "total_sum_of_squares",
        "residual_sd",
        "aicc",
        "bic",
        "left_one_out_error",
        "level",
        "weighted",
        "loss",
        "weighted_down",
        "iterations",
        "starts_tried",
        "gradient",
    ):
        out[name] = getattr(result, name)
    out["alternatives"] = [asdict(one) for one in result.alternatives]
    out["checks"] = [
        {"kind": one.kind.value, "verdict": one.verdict.value, "sentence": one.sentence, "figure": one.figure}
        for one in checks(result)
    ]
    for name in ("covariance", "correlation", "residuals", "fitted", "leverage"):
        values = getattr(result, name)
        out[name] = None if values is None else values.tolist()
    return json.dumps(finite(out), ensure_ascii=False, indent=1, allow_nan=False)
