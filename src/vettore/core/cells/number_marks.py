"""Which mark of a column of numbers is the decimal one, and which groups digits: told from all cells together.

A number is written as digits with at most one decimal mark (point or comma), the digits before it perhaps in groups of
exactly three behind a first of one to three that does not begin with 0 (in India of two, but for the last). Groups are parted
by a point, a comma, an
apostrophe, a space (also a thin or a no-break one) or an underscore. Of all ways to read a column the one that explains
most cells is taken. Where two do, as with 1.234 and 5.678 alone, the other columns of the file decide, and the doubt is
kept, so that it can be said and the other reading be had.
"""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array

DECIMALS = (".", ",")
GROUPS = (".", ",", "'", " ", "_")
MARK_NAMES = {".": "point", ",": "comma", "'": "apostrophe", " ": "space", "_": "underscore", "": "nothing"}
# Other ways to write a sign, an apostrophe and a space.
_SAME = str.maketrans(
    {
        "−": "-",
        "–": "-",
        "‒": "-",
        "\u2011": "-",
        "’": "'",
        "\u00a0": " ",
        "\u2007": " ",
        "\u2009": " ",
        "\u202f": " ",
    }
)
_SIMPLE = re.compile(r"\s*[+-]?(?:\d+[.,]?\d*|[.,]\d+)(?:[eE][+-]?\d+)?\s*$")
_SHAPE = re.compile(r"([+-]?)(\d[\d.,' _]*|[.,]\d+)([eEdD][+-]?\d+)?$")
# Possessive throughout: a cell that does not fit must not make the lines before it be tried in other ways.
_LINE = r"(?>[ \t]*+(?:[+-]?(?:\d++(?:{mark}\d*+)?|{mark}\d++)(?:[eE][+-]?\d++)?)?[ \t]*+\n)*+"
_ALL_PLAIN = {mark: re.compile(_LINE.replace("{mark}", re.escape(mark))) for mark in DECIMALS}
# A cell that shows that the mark in it cannot group: other than three digits behind it, or a first group that is none.
_SETTLES = {
    mark: re.compile(rf"^[ \t]*[+-]?(?:0+{m}|{m}|\d{{4,}}{m}|\d+{m}(?!\d{{3}}[ \t]*$))", re.MULTILINE)
    for mark, m in zip(DECIMALS, map(re.escape, DECIMALS), strict=True)
}


@dataclass(frozen=True)
class Marks:
    """The decimal mark and what groups digits (empty: nothing does)."""

    decimal: str = "."
    group: str = ""


@dataclass(frozen=True)
class Evidence:
    """What the rest of a file says: its decimal mark, and whether that is beyond doubt. None where it says nothing."""

    decimal: str | None = None
    sure: bool = False


@dataclass(frozen=True)
class Decided:
    """How a column is read, and the other way if its cells allow one; ``votes`` tells the decimal mark that it shows."""

    marks: Marks
    other: Marks | None = None
    vote: str | None = None


def looks_like_number(cell: str) -> bool:
    """Whether a cell can be a number under some marks."""
    if _SIMPLE.match(cell):
        return True
    match = _SHAPE.match(cell.translate(_SAME).strip())
    return match is not None and any(_fits(match[2].rstrip(), marks) for marks in ALL_MARKS)


ALL_MARKS = tuple(Marks(decimal, group) for group in ("", *GROUPS) for decimal in DECIMALS if decimal != group)


def _fits(body: str, marks: Marks) -> bool:
    whole, _, rest = body.partition(marks.decimal)
    if rest and not rest.isdecimal():
        return False
    if marks.group and marks.group in whole:
        first, *groups = whole.split(marks.group)
        if not (first.isdecimal() and first[0] != "0" and all(part.isdecimal() for part in groups)):
            return False
        by_three = len(first) <= 3 and all(len(part) == 3 for part in groups)
        # In India groups are of two but for the last: 1,23,456.
        by_two = (
            len(first) <= 2 and len(groups) > 1 and [len(part) for part in groups] == [2] * (len(groups) - 1) + [3]
        )
        return by_three or by_two
    return whole.isdecimal() or (not whole and bool(rest))


def number_in(cell: str, marks: Marks) -> float | None:
    """Return the finite number that a cell holds under some marks, or None."""
    text = cell.translate(_SAME).strip()
    match = _SHAPE.match(text)
    if match is None or not _fits(match[2].rstrip(), marks):
        return None
    sign, body, power = match[1], match[2].rstrip(), match[3] or ""
    if marks.group:
        body = body.replace(marks.group, "")
    value = float(f"{sign}{body.replace(marks.decimal, '.')}{power.replace('d', 'e').replace('D', 'e')}")
    return value if math.isfinite(value) else None


def places_in(cell: str, marks: Marks) -> int:
    """Return how many decimal places a number was written with."""
    mantissa = re.split("[eEdD]", cell.strip(), maxsplit=1)[0]
    _, mark, decimals = mantissa.partition(marks.decimal)
    return len(decimals.rstrip()) if mark else 0


def decide(texts: Sequence[str], evidence: Evidence) -> Decided:
    """Return how a column of cells is read; cells that are no numbers have no say."""
    joined = "\n".join(texts) + "\n"
    for decimal in DECIMALS if evidence.decimal != "," else DECIMALS[::-1]:
        if evidence.sure and evidence.decimal != decimal:
            continue
        if _ALL_PLAIN[decimal].fullmatch(joined):
            if decimal not in joined:
                return Decided(Marks(evidence.decimal or "."))
            if _SETTLES[decimal].search(joined):
                return Decided(Marks(decimal), vote=decimal)
            break
    return _weighed([text.translate(_SAME).strip() for text in texts], evidence)


def _weighed(texts: Sequence[str], evidence: Evidence) -> Decided:
    bodies = [match[2].rstrip() for text in texts if (match := _SHAPE.match(text))]
    powers = [bool(match[3]) for text in texts if (match := _SHAPE.match(text))]
    allowed = [item for item in ALL_MARKS if not (evidence.sure and item.decimal != evidence.decimal)]
    present = {mark for body in bodies for mark in GROUPS if mark in body}
    scores: dict[Marks, int] = {}
    for marks in allowed:
        if marks.group in ("", *present):
            # Digits in groups are not written with a power of ten.
            scores[marks] = sum(
                _fits(body, marks) and not (power and marks.group and marks.group in body)
                for body, power in zip(bodies, powers, strict=True)
            )
    most = max(scores.values(), default=0)
    best = [marks for marks, score in scores.items() if score == most]
    return _settled(best, bodies, evidence)


def _settled(best: Sequence[Marks], bodies: Sequence[str], evidence: Evidence) -> Decided:
    """Choose among readings that explain as many cells; those that give the same numbers are one."""
    if not best:
        return Decided(Marks(evidence.decimal or "."))
    apart: dict[tuple[str, ...], Marks] = {}
    for marks in best:
        apart.setdefault(tuple(_plain(body, marks) for body in bodies if _fits(body, marks)), marks)
    readings = list(apart.values())
    chosen = readings[0]
    if len(readings) == 1:
        alike = [marks for marks in best if marks.decimal == evidence.decimal]
        chosen = next((marks for marks in alike if marks.group == chosen.group), chosen)
        return Decided(chosen, vote=_vote(chosen, bodies))
    if evidence.decimal is not None:
        chosen = next((marks for marks in readings if marks.decimal == evidence.decimal), chosen)
    other = next(marks for marks in readings if marks != chosen)
    return Decided(chosen, other)


def _plain(body: str, marks: Marks) -> str:
    text = body.replace(marks.group, "") if marks.group else body
    return text.replace(marks.decimal, ".")


def _vote(marks: Marks, bodies: Sequence[str]) -> str | None:
    """Return the decimal mark that a column shows: by itself, or since the other one groups digits."""
    if marks.group in DECIMALS and any(marks.group in body for body in bodies):
        return marks.decimal
    return marks.decimal if any(marks.decimal in body for body in bodies) else None


def decide_together(columns: Sequence[Sequence[str]], evidence: Evidence) -> list[Decided]:
    """Return how the columns of a file are read: what the clear ones show decides for the others."""
    decided = [decide(texts, evidence) for texts in columns]
    if evidence.sure or not any(item.other for item in decided):
        return decided
    votes = [each.vote for each in decided if each.vote]
    if not votes:
        return decided
    answer = Evidence(max(DECIMALS, key=votes.count))
    return [decide(texts, answer) if entry.other else entry for texts, entry in zip(columns, decided, strict=True)]


def doubtful(decided: Decided, votes: bool) -> bool:
    """Whether a decision leaves a doubt worth saying: not where the file shows that the mark is the decimal one."""
    return decided.other is not None and not (votes and not decided.marks.group)


def is_rounded(cell: str, marks: Marks) -> bool:
    """Whether a cell holds a whole number that a double cannot hold."""
    text = cell.translate(_SAME).strip().replace(marks.group or "\0", "")
    try:
        return int(float(text)) != int(text)
    except (ValueError, OverflowError):
        return False


def values_of(texts: Sequence[str], marks: Marks) -> tuple[Array, list[int]]:
    """Return the numbers (n,) in cells, NaN where there is none, and the rows that have none though they say something."""
    if not marks.group and _ALL_PLAIN[marks.decimal].fullmatch("\n".join(texts) + "\n"):
        plain = texts if marks.decimal == "." else [text.replace(",", ".") for text in texts]
        values = np.array([float(text) if text.strip() else math.nan for text in plain], dtype=np.float64)
        infinite = np.flatnonzero(np.isinf(values))
        values[infinite] = np.nan
        return values, infinite.tolist()
    numbers = [number_in(text, marks) for text in texts]
    values = np.array([math.nan if value is None else value for value in numbers], dtype=np.float64)
    return values, [row for row, value in enumerate(numbers) if value is None and texts[row].strip()]
