"""What a fit says on the command line: as a person reads it, or all of it as JSON."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from vettore.study.fits import DerivedFit


def fit_text(derived: DerivedFit) -> str:
    """Return a fit as a person reads it."""
    from vettore.core.errors import name_rows
    from vettore.core.rounding import NumberStyle
    from vettore.study.fits import coefficient_units
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


def fit_json(derived: DerivedFit) -> str:
    """Return everything in the result of a fit as JSON; rows by their numbers in the file."""
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
    return json.dumps(out, ensure_ascii=False, indent=1, allow_nan=False)
