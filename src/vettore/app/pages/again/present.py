"""What is shown of the same work on a new file: which columns are asked for, and old and new numbers. Knows no widget."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from vettore.core.errors import VettoreError
from vettore.core.rounding import NumberStyle
from vettore.study.kept_numbers import Beside, Kept, side_by_side
from vettore.study.replay import MatchedBy, pairings, replayed
from vettore.study.series import Series
from vettore.study.study import Study
from vettore.study.table import Table

# A difference of more standard errors than this is no chance.
FAR = 3.0
NO_COLUMN = "—"


@dataclass(frozen=True)
class Question:
    """A column that is needed, what it is called in the new file as far as that is known, and what there is to choose."""

    wanted: str
    likely: str
    there: tuple[str, ...]
    how: str


@dataclass(frozen=True)
class ComparedLine:
    """A number, old and new, and how far they are apart; ``far`` says that it is no chance."""

    name: str
    old: str
    new: str
    apart: str
    far: bool


@dataclass(frozen=True)
class Again:
    """The work on a new file: its study (None while columns are missing), what is asked, what came out, what is wrong."""

    name: str
    study: Study | None
    questions: tuple[Question, ...]
    lines: tuple[ComparedLine, ...]
    trouble: str


HOW_WORDS = {
    MatchedBy.NAME: "by its name",
    MatchedBy.SPELLING: "by its name, spelt otherwise",
    MatchedBy.UNIT: "by its unit",
    MatchedBy.PLACE: "by its place",
    MatchedBy.CHOSEN: "chosen",
}


def work_again(
    study: Study, series: Series, tables: list[Table], name: str, chosen: Mapping[str, str], style: NumberStyle
) -> Again:
    """Return the work on one series done again on the first of the tables that has its columns, or what is missing."""
    table = tables[0]
    trouble, result, lines = "", None, ()
    try:
        result, done = replayed(study, tables, only=series.id, chosen=dict(chosen))
        table = next((item for item in tables if item.source == result.find_series(series.id).table.source), table)
        lines = tuple(_line(beside, style) for beside in side_by_side(study, result, done))
    except VettoreError as error:
        trouble = str(error)
    return Again(name, result, _questions(study, series, table, chosen), lines, trouble)


def _questions(study: Study, series: Series, table: Table, chosen: Mapping[str, str]) -> tuple[Question, ...]:
    there = tuple(column.name for column in table.columns)
    return tuple(
        Question(
            pairing.wanted,
            NO_COLUMN if pairing.number is None else there[pairing.number],
            there,
            "" if pairing.how is None else HOW_WORDS[pairing.how],
        )
        for pairing in pairings(study, series, table, chosen=dict(chosen), strict=False)
        if pairing.needed
    )


def _line(beside: Beside, style: NumberStyle) -> ComparedLine:
    apart = "—" if math.isnan(beside.apart) else style.plain(f"{beside.apart:+.1f} σ")
    name = f"{beside.old.part} · {beside.old.number}" if beside.old.number else beside.old.part
    return ComparedLine(
        name, _value_in_words(beside.old, style), _value_in_words(beside.new, style), apart, abs(beside.apart) > FAR
    )


def _value_in_words(kept: Kept | None, style: NumberStyle) -> str:
    if kept is None:
        return "—"
    if math.isnan(kept.value):
        return kept.reason or "no answer"
    error = None if math.isnan(kept.standard_error) else kept.standard_error
    return style.pair(kept.value, error, kept.unit)
