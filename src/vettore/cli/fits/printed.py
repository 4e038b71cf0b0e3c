"""What a fit says on the command line: as a person reads it, or all of it as JSON."""

from __future__ import annotations

import dataclasses
import math
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

if TYPE_CHECKING:
    from vettore.study.fitting.fits import DerivedFit
    from vettore.study.kinds.readings import FormulaReading, Reading
    from vettore.study.study import Study


def fit_text(derived: DerivedFit, readings: Sequence[dict[str, Any]] = ()) -> str:
    """Return a fit as a person reads it."""
    from vettore.core.errors import name_rows
    from vettore.core.rounding import NumberStyle
    from vettore.study.fitting.quantities import coefficient_units
    from vettore.words.checks import check_figure, check_sentence
    from vettore.words.fits import conflict_in_words, goodness_lines, rows_words, summary_of

    style, result = NumberStyle(), derived.result
    lines = [result.formula, ""]
    for unit, coefficient in zip(coefficient_units(derived), result.coefficients.values(), strict=True):
        held = "  (held)" if coefficient.held else "  (at its limit)" if coefficient.at_limit else ""
        lines.append(
            f"  {coefficient.name:8} {style.pair(coefficient.value, coefficient.standard_error, unit)}{held}"
        )
    lines += ["", *(f"  {line.label:38} {line.text}" for line in goodness_lines(derived, style))]
    lines.append(f"  {'rows':38} {rows_words(derived)}")
    for reading in readings:
        lines.append(f"  {reading['asked']:38} {reading['told']}")
        lines += [f"    {sentence}" for sentence in reading.get("budget", {}).get("words", ())]
    lines += ["", summary_of(derived, style), result.message]
    if derived.formula_units is not None:
        lines += map(conflict_in_words, derived.formula_units.contradictions)
    lines += result.warnings
    if result.weighted_down:
        rows = name_rows([int(derived.rows[place]) + 1 for place in _places_weighted_down(derived)])
        weigh = "weighs" if len(result.weighted_down) == 1 else "weigh"
        lines.append(f"{rows.capitalize()} {weigh} less than half under the {result.loss} loss.")
    for check in derived.checks:
        figure = check_figure(check, result, style)
        lines.append(f"{check.verdict.value:5} {check_sentence(check, result)}" + (f" ({figure})" if figure else ""))
    return "\n".join(lines)


def _places_weighted_down(derived: DerivedFit) -> list[int]:
    used = [row for row, in_use in enumerate(derived.result.rows_in_use.tolist(), 1) if in_use]
    return [used.index(row) for row in derived.result.weighted_down]


def fit_json(derived: DerivedFit, readings: Sequence[dict[str, Any]] = ()) -> str:
    """Return everything in the result of a fit as JSON; rows by their numbers in the file."""
    from vettore.cli.given import json_of
    from vettore.core.rounding import NumberStyle
    from vettore.words.checks import check_figure, check_sentence

    out: dict[str, Any] = {}
    for name, value in derived.result.to_dict().items():
        if name == "covariance":
            out["checks"] = [
                {
                    "kind": check.kind.value,
                    "verdict": check.verdict.value,
                    "sentence": check_sentence(check, derived.result),
                    "figure": check_figure(check, derived.result, NumberStyle()),
                }
                for check in derived.checks
            ]
        out[name] = value
    out["rows"] = (derived.rows + 1).tolist()
    if readings:
        out["readings"] = list(readings)
    return json_of("fit/1", out)


def readings_of(study: Study, derived: DerivedFit) -> list[dict[str, Any]]:
    """Return the readings that were kept of a fit, each as a person reads it and as numbers."""
    from vettore.core.rounding import NumberStyle
    from vettore.study.derive import derive_reading
    from vettore.study.kinds.readings import FormulaReading
    from vettore.words.readings import reading_line

    by_names = []
    kept = study.readings_of(derived.recipe.id)
    for reading in kept:
        result = derive_reading(study, reading)
        line = reading_line(derived, result, NumberStyle())
        numbers: list[dict[str, Any]] = [dataclasses.asdict(place) for place in result.crossings]
        for number in numbers:
            number["value"] = number.pop("x")
        if result.value is not None:
            numbers = [{"value": result.value, "standard_error": result.standard_error}]
        if result.planned:
            numbers = [{"x": place, "now": result.before, "then": result.value} for place in result.planned]
        by_name: dict[str, Any] = {"asked": line.label, "told": line.text, "unit": result.unit, "numbers": numbers}
        if isinstance(reading, FormulaReading) and result.standard_error:
            by_name["budget"] = _budget_told(derived, reading, kept, result.unit)
        by_names.append(by_name)
    return by_names


def _budget_told(derived: DerivedFit, reading: FormulaReading, kept: Sequence[Reading], unit: str) -> dict[str, Any]:
    """Return what the ± of a number is made of: each share, the expanded uncertainty, and it in words."""
    from dataclasses import asdict

    from vettore.core.errors import VettoreError
    from vettore.core.rounding import NumberStyle
    from vettore.study.fitting.budgets import budget_of
    from vettore.words.budgets import expanded_in_words, share_lines

    try:
        budget, style = budget_of(derived, reading, kept), NumberStyle()
    except VettoreError as error:
        # The number stands all the same.
        return {"words": [str(error)]}
    words = [f"{name} {text}" for name, _, text in share_lines(budget, style)]
    return {
        **asdict(budget),
        "freedom": None if math.isinf(budget.freedom) else budget.freedom,
        "expanded": budget.expanded,
        "words": [f"The variance is made of {', '.join(words)}.", expanded_in_words(budget, unit, style)],
    }


def ranges_of(derived: DerivedFit) -> list[dict[str, Any]]:
    """Return the range of each coefficient from the likelihood, as readings are told. Raises DataError."""
    from vettore.core.rounding import NumberStyle
    from vettore.study.fitting.profiles import likelihood_ranges
    from vettore.study.fitting.quantities import coefficient_units

    ranges, style = likelihood_ranges(derived), NumberStyle()
    percent, out = f"{derived.result.level * 100:g} %", []
    for unit, (name, coefficient) in zip(
        coefficient_units(derived), derived.result.coefficients.items(), strict=True
    ):
        low, high = ranges[name]
        text = f"{style.interval(low, high, coefficient.standard_error)} {unit or ''}".strip()
        word = f"{name}, {percent} range of the likelihood"
        out.append({"asked": word, "told": text, "unit": unit or "", "numbers": [{"low": low, "high": high}]})
    return out


def save_rows(derived: DerivedFit, path: Path) -> None:
    """Write the fitted rows: row, x, y, fitted value, residual, band of the curve, ± of y. Raises DataError."""
    import csv
    import io

    import numpy as np

    from vettore.core.errors import DataError, Fault
    from vettore.files.whole import write_whole
    from vettore.study.fitting.fits import FitColumn

    delimiters = {".csv": ",", ".tsv": "\t"}
    if path.suffix.casefold() not in delimiters:
        raise DataError(f"“{path.name}”: the table of a fit ends in .csv or .tsv.", Fault.FILE_KIND)
    result = derived.result
    table = {str(name): values for name, values in derived.table_of_rows().items()}
    names, columns = list(table), list(table.values())
    if derived.curve is not None:
        low, high = derived.curve.band(derived.x, result.level)
        at = names.index(FitColumn.RESIDUAL) + 1
        names[at:at], columns[at:at] = ["band from", "band to"], [low, high]
    out = io.StringIO()
    writer = csv.writer(out, delimiter=delimiters[path.suffix.casefold()], lineterminator="\n")
    writer.writerow(names)
    for row in zip(*columns, strict=True):
        cells = [str(int(row[0])), *(repr(float(value)) if np.isfinite(value) else "" for value in row[1:])]
        writer.writerow(cells)
    write_whole(path, out.getvalue().encode("utf-8"))


def tell_saved(saved: Mapping[str, Path | None], as_json: bool) -> None:
    for what, path in saved.items():
        if path is not None:
            click.echo(f"The {what} was saved as {path}.", err=as_json)
