"""Readings in words: what was asked, the answer with its uncertainty, and what stands beside it."""

from __future__ import annotations

from vettore.core.errors import VettoreError
from vettore.core.rounding import NumberStyle
from vettore.study.derive import DerivedFit
from vettore.study.readings import DerivedReading, split_formula
from vettore.study.recipes import Asked, Reading
from vettore.study.series import Role


def reading_question(fit: DerivedFit, recipe: Reading, style: NumberStyle) -> str:
    """Return what a reading asks, in words."""
    (x_name, x_unit), (y_name, y_unit) = fit.series.name_and_unit(Role.X), fit.y_called
    at = style.short(recipe.at)
    match recipe.asked:
        case Asked.VALUE:
            return f"{y_name} at {x_name} = {at} {x_unit}".strip()
        case Asked.SLOPE:
            return f"slope at {x_name} = {at} {x_unit}".strip()
        case Asked.AREA:
            return f"area from {at} to {style.short(recipe.to or 0.0)} {x_unit}".strip()
        case Asked.TURNS:
            return "tops and bottoms"
        case Asked.FORMULA:
            return recipe.formula
        case _:
            if recipe.signals:
                mean = style.short(recipe.at, 5)
                return f"{x_name} where {y_name} = {mean} {y_unit}, the mean of {len(recipe.signals)} signals".strip()
            return f"{x_name} where {y_name} = {at} {y_unit}".strip()


def reading_answer(fit: DerivedFit, reading: DerivedReading, style: NumberStyle) -> str:
    """Return ``oxygen = 2.471 ± 0.018 mg/L`` and the like."""
    recipe = reading.recipe
    if reading.problem:
        return reading.problem
    (x_name, x_unit), (y_name, y_unit) = fit.series.name_and_unit(Role.X), fit.y_called
    if recipe.asked is Asked.WHERE:
        answers = [style.pair(one.x, one.standard_error, x_unit) for one in reading.crossings]
        return f"{x_name} = {'; '.join(answers)}" if answers else "nowhere near the data"
    if recipe.asked is Asked.TURNS:
        words = [
            f"{one.kind} at {style.number(one.x, 4)} {x_unit}".strip()
            + f", {style.number(one.y, 4)} {y_unit}".rstrip()
            for one in reading.turns
        ]
        return "; ".join(words) or "none over the data"
    answer = style.pair(reading.value or 0.0, reading.standard_error, reading.unit)
    return f"{_called(recipe, y_name)} = {answer}"


def _called(recipe: Reading, y_name: str) -> str:
    match recipe.asked:
        case Asked.VALUE:
            return y_name
        case Asked.SLOPE:
            return "slope"
        case Asked.AREA:
            return "area"
        case _:
            try:
                return split_formula(recipe.formula)[0] or "number"
            except VettoreError:
                return "number"


def reading_asides(reading: DerivedReading, style: NumberStyle) -> str:
    """Return what stands beside an answer: whether it lies beyond the data, neighbours, signals."""
    notes = ["beyond the data"] if reading.beyond else []
    if reading.recipe.asked is Asked.VALUE and reading.neighbours:
        notes.append("neighbours " + " · ".join(style.short(one.y) for one in reading.neighbours))
    if len(reading.crossings) > 1:
        notes.append(f"{len(reading.crossings)} places")
    if reading.recipe.signals:
        notes.append(f"mean of {len(reading.recipe.signals)} signals {style.short(reading.recipe.at, 5)}")
    # Where y was measured once, its own scatter counts, too.
    if reading.single is not None:
        notes.append(f"one signal: ± {style.number(reading.single, 2)}")
    return "   ".join(notes)
