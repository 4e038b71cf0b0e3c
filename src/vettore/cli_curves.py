"""The command line of models, comparison, interpolation, areas and polynomials."""

from __future__ import annotations

import json
import math
from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click
import numpy as np

from vettore.core.errors import DataError
from vettore.core.rounding import NumberStyle
from vettore.core.telling import plain
from vettore.core.typed import complex_in, limit_in

if TYPE_CHECKING:
    from vettore.core.models.model import Model
    from vettore.study.table import Table


def table_of(file: Path) -> Table:
    """Return the first table of a file; how it was read, and what is doubtful in it, goes to stderr."""
    from vettore.files.readers import read_file
    from vettore.words.findings import doubt_of, words_in

    table = read_file(file)[0].table
    click.echo("; ".join(f"{label}: {text}" for label, text in table.source.how), err=True)
    for column in table.columns:
        for words in (words_in(column), doubt_of(column), *column.remarks):
            if words:
                click.echo(words, err=True)
    return table


def numbers_of(table: Table) -> dict[str, Any]:
    """Return the columns of numbers by name."""
    return {column.name: column.values for column in table.columns if column.texts is None}


def column_of(columns: dict[str, Any], wanted: str | None, otherwise: int, file: Path) -> str:
    """Return the name of a column given by name, by number from 1, or by its usual place. Raises DataError."""
    names = list(columns)
    if wanted is None:
        if otherwise >= len(names):
            raise DataError(f"“{file.name}” has {len(names)} columns of numbers; two are needed.")
        return names[otherwise]
    if wanted in names:
        return wanted
    if wanted.isdigit() and 1 <= int(wanted) <= len(names):
        return names[int(wanted) - 1]
    raise DataError(f"“{file.name}” has no column “{wanted}”. Its columns are: {', '.join(names)}.", column=wanted)


def number_of(text: str, what: str) -> float:
    """Return a number that was typed; ``inf`` is one. Raises DataError."""
    value = limit_in(text)
    if value is None:
        raise DataError(f"“{text}” is not a number for {what}.")
    return value


def list_of(text: str, what: str) -> list[float]:
    """Return numbers separated by commas or blanks; points are decimal marks."""
    return [number_of(part, what) for part in text.replace(",", " ").replace(";", " ").split()]


def say_json(value: Any) -> None:
    """Print a value as JSON."""
    click.echo(json.dumps(plain(value), ensure_ascii=False, indent=1, allow_nan=False))


def model_of(key: str, library: Path | None = None) -> Model:
    """Return a model of the catalogue, or of a library of own models by its key or name. Raises VettoreError."""
    if library is None:
        from vettore.core.models.catalogue import model

        return model(key)
    from vettore.files.library import read_library

    found = read_library(library)
    for one in found:
        if key in (one.key, one.name):
            return one
    raise DataError(f"“{library.name}” has no model “{key}”. It has: {', '.join(one.key for one in found)}.")


@click.command()
@click.argument("key", required=False)
@click.option("--library", type=click.Path(path_type=Path), help="List a library of own models instead.")
@click.option("--json", "as_json", is_flag=True, help="Print as JSON.")
def models(key: str | None, library: Path | None, as_json: bool) -> None:
    """List the catalogue of models, or tell all about one of them."""
    from vettore.core.models.catalogue import CATALOGUE
    from vettore.files.library import read_library

    every = list(CATALOGUE.values()) if library is None else list(read_library(library))
    chosen = [model_of(key, library)] if key else every
    if as_json:
        say_json([_described(one) for one in chosen])
        return
    group = ""
    for one in chosen:
        if one.group != group:
            group = one.group
            click.echo(f"\n{group}" if key is None else group)
        click.echo(f"  {one.key:26} {one.formula}")
        if key:
            click.echo(f"\n  {one.name}. {one.use}\n")
            for name, words in one.meanings.items():
                click.echo(f"  {name:8} {words}")
            for quantity in one.quantities:
                click.echo(f"  {quantity.name} = {quantity.formula}")
            click.echo(f"  slope = {_slope_text(one)}")


def _slope_text(one: Model) -> str:
    """Return dy/dx of a model as a textbook writes it."""
    from vettore.core.formula.derivative import derivative
    from vettore.core.formula.simplify import simplified
    from vettore.core.formula.write import to_text

    return to_text(simplified(derivative(one.read.right, "x")))


def _described(one: Model) -> dict[str, Any]:
    return {
        "key": one.key,
        "name": one.name,
        "group": one.group,
        "formula": one.formula,
        "use": one.use,
        "meanings": dict(one.meanings),
        "quantities": [asdict(quantity) for quantity in one.quantities],
        "slope": _slope_text(one),
    }


@click.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--formula", "formulas", multiple=True, help="A formula over the columns; give it several times.")
@click.option("--model", "keys", multiple=True, help="A model of the catalogue by its key; give it several times.")
@click.option("--x", "x_name", help="Column for x of catalogue models.")
@click.option("--y", "y_name", help="Column for y of catalogue models.")
@click.option("--seed", type=int, default=1, show_default=True)
@click.option("--json", "as_json", is_flag=True, help="Print as JSON.")
def compare(
    file: Path,
    formulas: Sequence[str],
    keys: Sequence[str],
    x_name: str | None,
    y_name: str | None,
    seed: int,
    as_json: bool,
) -> None:
    """Fit several models to the same rows and rank them."""
    from vettore import core
    from vettore.core.fitting.compare import compare as ranked

    if len(formulas) + len(keys) < 2:
        raise DataError("A comparison needs at least two models. Give --formula or --model more than once.")
    if not keys and (x_name is not None or y_name is not None):
        raise DataError("--x and --y would have no effect here: formulas name their columns.")
    columns = numbers_of(table_of(file))
    fits = {formula: core.fit(formula, columns, seed=seed) for formula in formulas}
    if keys:
        x, y = column_of(columns, x_name, 0, file), column_of(columns, y_name, 1, file)
        fits |= {key: core.fit(core.model(key), {x: columns[x], y: columns[y]}, seed=seed) for key in keys}
    order = ranked(fits)
    style = NumberStyle()
    if as_json:
        say_json(
            [
                {
                    "model": one.name,
                    "formula": one.result.formula,
                    "aicc": one.result.aicc,
                    "difference": one.difference,
                    "weight": one.weight,
                    "as_good_as_the_best": one.equal,
                    "r_squared": one.result.r_squared,
                    "adjusted_r_squared": one.result.adjusted_r_squared,
                    "left_one_out_error": one.result.left_one_out_error,
                    "values": {name: c.value for name, c in one.result.coefficients.items()},
                }
                for one in order
            ]
        )
    else:
        click.echo(f"{'model':44} {'AICc':>10} {'weight':>8} {'adj. R²':>10} {'leave-one-out':>15}")
        for one in order:
            mark = "  as good as the best" if one.equal and one is not order[0] else ""
            weight = style.fixed(one.weight, 3)
            click.echo(
                f"{one.name:44} {style.number(one.result.aicc, 6):>10} {weight:>8} "
                f"{style.number(one.result.adjusted_r_squared, 5):>10} "
                f"{style.number(one.result.left_one_out_error, 4):>15}{mark}"
            )
    if not all(one.result.converged for one in order):
        raise SystemExit(1)


@click.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--method", default="monotone", show_default=True, help="See the guide; a wrong one lists all.")
@click.option("--at", "at_text", help="x to read at, as 1,2.5,7.")
@click.option("--every", type=float, help="Read from the first to the last point at this distance.")
@click.option("--x", "x_name", help="Column for x.")
@click.option("--y", "y_name", help="Column for y.")
@click.option("--sigma", "sigma_name", help="Column with the standard deviations of y.")
@click.option("--penalty", type=float, help="Penalty of the smoothing spline (found from the data when left out).")
@click.option("--outside", default="refuse", show_default=True, help="refuse, constant, linear or continue.")
@click.option("--json", "as_json", is_flag=True, help="Print as JSON.")
def interpolate(
    file: Path,
    method: str,
    at_text: str | None,
    every: float | None,
    x_name: str | None,
    y_name: str | None,
    sigma_name: str | None,
    penalty: float | None,
    outside: Any,
    as_json: bool,
) -> None:
    """Read values between points."""
    from vettore import core

    if at_text is not None and every is not None:
        raise DataError("Give either --at or --every, not both.")
    if penalty is not None and method != "smoothing":
        raise DataError("--penalty would have no effect here: it is that of --method smoothing.")
    columns = numbers_of(table_of(file))
    x, y = column_of(columns, x_name, 0, file), column_of(columns, y_name, 1, file)
    sigma = columns[column_of(columns, sigma_name, 2, file)] if sigma_name else None
    curve = core.interpolate(columns[x], columns[y], method, sigma=sigma, penalty=penalty, outside=outside)
    if every is not None:
        if not every > 0:
            raise DataError(f"The distance must be above zero, but is {every:g}.")
        low, high = curve.span
        at = low + every * np.arange(0.0, math.floor((high - low) / every * (1 + 1e-12)) + 1)
    else:
        at = np.array(list_of(at_text, "x") if at_text else curve.x, dtype=np.float64)
    values, errors = curve(at), curve.standard_error(at)
    if as_json:
        told = {
            "method": method,
            "x": at,
            "y": values,
            "standard_error": errors,
            "slope": curve.slope(at),
            "left_out_error": curve.left_out_error,
            "swing": curve.swing,
            "penalty": curve.penalty,
            "notes": list(curve.notes),
        }
        say_json(told)
        return
    click.echo(f"{x}\t{y}" + ("\t±" if sigma is not None else ""))
    for one, value, error in zip(at.tolist(), values.tolist(), errors.tolist(), strict=True):
        click.echo(f"{one!r}\t{value!r}" + (f"\t{error!r}" if sigma is not None else ""))
    for note in curve.notes:
        click.echo(note, err=True)


@click.command()
@click.argument("file", required=False, type=click.Path(path_type=Path))
@click.option("--formula", help="A function of x instead of a file.")
@click.option("--from", "start", help="Lower limit (inf is one for a formula).")
@click.option("--to", "end", help="Upper limit.")
@click.option(
    "--rule", help="Points: trapezoid, simpson, spline. Functions: left, right, midpoint, trapezoid, simpson."
)
@click.option("--strips", type=int, help="Number of strips for a formula; without it, as many as the error asks for.")
@click.option(
    "--baseline",
    "--floor",
    "baseline",
    help="A level (0 when left out), “ends” for the line between the ends, spans of base as “0 … 5; 90 … 100”, or a "
    "formula of x.",
)
@click.option("--x", "x_name", help="Column for x.")
@click.option("--y", "y_name", help="Column for y.")
@click.option("--sigma", "sigma_name", help="Column with the standard deviations of y.")
@click.option("--json", "as_json", is_flag=True, help="Print as JSON.")
def integrate(
    file: Path | None,
    formula: str | None,
    start: str | None,
    end: str | None,
    rule: str | None,
    strips: int | None,
    baseline: str | None,
    x_name: str | None,
    y_name: str | None,
    sigma_name: str | None,
    as_json: bool,
) -> None:
    """Work out the area under points, or under a function of x."""
    from vettore import core
    from vettore.study.areas import baseline_typed, floor_of
    from vettore.study.study import Study

    style = NumberStyle()
    if (file is None) == (formula is None):
        raise DataError("Give either a file with points or --formula, not both.")
    if formula is not None:
        for option, given in (("--x", x_name), ("--y", y_name), ("--sigma", sigma_name), ("--baseline", baseline)):
            if given is not None:
                raise DataError(f"{option} would have no effect here: it is for points from a file.")
        if rule is not None and strips is None:
            raise DataError(
                "--rule would have no effect here: without --strips their number and rule follow the error."
            )
        if start is None or end is None:
            raise DataError("A function needs its limits: --from and --to.")
        area = core.integrate_function(
            formula, number_of(start, "--from"), number_of(end, "--to"), strips, rule=rule or "trapezoid"
        )
        if as_json:
            told = asdict(area)
            told.pop("edges")
            say_json({"formula": formula, **told})
        else:
            error = "" if area.error is None else f"  (error below {area.error:.1e})"
            click.echo(f"area  {area.area!r}{error}\n{area.message}" if area.settled else f"no area\n{area.message}")
        if not area.settled:
            raise SystemExit(1)
        return
    assert file is not None
    if strips is not None:
        raise DataError("--strips would have no effect here: the points of the file make the strips.")
    columns = numbers_of(table_of(file))
    x, y = column_of(columns, x_name, 0, file), column_of(columns, y_name, 1, file)
    sigma = columns[column_of(columns, sigma_name, 2, file)] if sigma_name else None
    found = core.integrate(
        columns[x],
        columns[y],
        rule or "trapezoid",
        a=None if start is None else number_of(start, "--from"),
        b=None if end is None else number_of(end, "--to"),
        floor=floor_of(Study(), baseline_typed(baseline or "0")),
        sigma=sigma,
    )
    if as_json:
        say_json(found.to_dict())
        return
    click.echo(f"area            {style.pair(found.area, found.standard_error)}")
    click.echo(
        f"from … to       {style.short(found.a)} … {style.short(found.b)}, {len(found.strips)} strips, {found.rule}"
    )
    click.echo(f"above, below    {style.number(found.positive, 6)}, {style.number(found.negative, 6)}")
    for note in found.notes:
        click.echo(note, err=True)


@click.command()
@click.option("--coefficients", help="Rising order, as -2,0,1 for x² − 2.")
@click.option("--roots", help="Roots, as 1,-2,3 (complex ones in pairs, as 1+2i,1-2i).")
@click.option("--at", "at_text", help="x to evaluate at.")
@click.option("--json", "as_json", is_flag=True, help="Print as JSON.")
def polynomial(coefficients: str | None, roots: str | None, at_text: str | None, as_json: bool) -> None:
    """Tell roots, turning points, slope and antiderivative of a polynomial."""
    from vettore.core.polynomial import Polynomial
    from vettore.core.polynomial_words import doubts_in_words

    if (coefficients is None) == (roots is None):
        raise DataError("Give either --coefficients or --roots.")
    if coefficients is not None:
        p = Polynomial(list_of(coefficients, "a coefficient"))
    else:
        assert roots is not None
        p = Polynomial.from_roots([complex_in(text) for text in roots.replace(";", ",").split(",")])
    at = list_of(at_text, "x") if at_text else []
    found = () if p.is_zero else p.root_list
    if as_json:
        told = {
            "coefficients": list(p.coefficients),
            "degree": p.degree,
            "roots": [
                {
                    "real": one.value.real,
                    "imaginary": one.value.imag,
                    "multiplicity": one.multiplicity,
                    "residual": one.residual,
                    "zero_to_rounding": one.is_zero,
                    "sure_digits": one.digits,
                    "moved_by_a_last_digit": one.moved,
                    "roots_together": one.together,
                }
                for one in found
            ],
            "turns": [asdict(turn) for turn in p.turns()],
            "slope": list(p.slope().coefficients),
            "antiderivative": list(p.antiderivative().coefficients),
            "values": [{"x": one, "y": float(p(one))} for one in at],
        }
        say_json(told)
        return
    style = NumberStyle()
    click.echo("coefficients, rising  " + ", ".join(style.short(value) for value in p.coefficients))
    for one in found:
        times = f" ({one.multiplicity}-fold)" if one.multiplicity > 1 else ""
        told_rest = "zero to rounding" if one.is_zero else f"{one.residual:.1e}"
        doubt = (
            f"; a last-digit change of the coefficients moves it by {one.moved:.1e}" if one.ill_conditioned else ""
        )
        click.echo(f"root  {complex_text(one.value)}{times}; residual {told_rest}{doubt}")
    words = doubts_in_words(found, style)
    if words:
        click.echo(words)
    from vettore.words.readings import TURNS

    for turn in p.turns():
        click.echo(f"{TURNS.get(turn.kind, turn.kind):11} at x = {turn.x!r}, y = {turn.y!r}")
    for one_x in at:
        click.echo(f"p({one_x:g}) = {float(p(one_x))!r}")


def complex_text(value: complex) -> str:
    """Return a root with all its digits."""
    if value.imag == 0:
        return repr(value.real)
    return f"{value.real!r} {'+' if value.imag > 0 else '−'} {abs(value.imag)!r}i"


COMMANDS = (models, compare, interpolate, integrate, polynomial)
