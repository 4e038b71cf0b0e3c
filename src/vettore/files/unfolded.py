"""What cells hold beside a number, taken apart: a value with its ±, a sign of per cent, a currency, a unit behind each number.

A column whose cells are all written so becomes a column of numbers (two for a value and its ±), and says that it did. One in
which only some are stays text: nothing is guessed cell by cell.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import replace

from vettore.core.cells import cells
from vettore.core.cells.number_marks import Evidence, looks_like_number
from vettore.study.table import RawColumn, columns_from_cells

_PLUS_MINUS = re.compile(
    r"^(?P<value>[^±]*?\d[^±]*?)\s*(?:±|\+/?[-−])\s*(?P<error>[\d.,\s]*\d)\s*(?P<unit>[^\d\s].*)?$"
)
_CURRENCY = "[$€£¥₹₽₩]|EUR|USD|GBP|CHF|JPY"
_MONEY = re.compile(
    rf"^(?P<sign>[-−–]?)\s*(?:(?P<before>{_CURRENCY})\s*(?P<value>\S.*)|(?P<other>\S.*?)\s*(?P<after>{_CURRENCY}))$"
)
_WITH_UNIT = re.compile(r"^(?P<value>[-−–+]?[\d.,]*\d(?:[eE][-+]?\d+)?)\s*(?P<unit>[^\d\s.,].*)$")
# Names of columns whose cells name things, whatever they look like; and cells that look like powers of ten.
_NAMES_THINGS = re.compile(
    r"\b(id|ids|sample|samples|code|codes|label|well|batch|lot|name|specimen|tube|plate|key)\b", re.I
)
_LETTERED = re.compile(r"^\d+[A-Za-z]+\d+$")
_POWER = re.compile(r"^\d+[Ee]\d+$")
# First cells of rows at the end that sum rows up.
SUMMARIES = frozenset(
    [
        "total",
        "totals",
        "sum",
        "sums",
        "mean",
        "means",
        "average",
        "averages",
        "avg",
        "median",
        "sd",
        "s.d.",
        "stdev",
        "std",
        "std.dev",
        "se",
        "sem",
        "min",
        "max",
        "minimum",
        "maximum",
        "count",
        "n",
        "cv",
        "variance",
        "summe",
        "mittel",
        "mittelwert",
        "somme",
        "moyenne",
    ]
)
MOST_SUMMARIES = 12


def unfolded(columns: Sequence[RawColumn], evidence: Evidence) -> list[RawColumn]:
    """Return columns whose cells are taken apart where all of them are written alike."""
    out: list[RawColumn] = []
    for column in columns:
        taken = {item.name for item in (*columns, *out)} - {column.name}
        out += _apart(column, evidence, taken)
    return out


def _apart(column: RawColumn, evidence: Evidence, taken: set[str]) -> list[RawColumn]:
    if column.texts is None:
        return [column]
    filled = [text for text in column.texts if text.strip() and not cells.is_blank(text)]
    if not filled:
        return [column]
    for pattern in (_PLUS_MINUS, _MONEY, _WITH_UNIT):
        matches = {text: pattern.match(text.strip()) for text in filled}
        if all(match is not None for match in matches.values()):
            parts = _parts(
                column, {text: match for text, match in matches.items() if match is not None}, evidence, taken
            )
            if parts is not None:
                return parts
    return [column]


def _parts(
    column: RawColumn, matches: dict[str, re.Match[str]], evidence: Evidence, taken: set[str]
) -> list[RawColumn] | None:
    assert column.texts is not None
    values, errors, units = [], [], set()
    for text in column.texts:
        match = matches.get(text)
        if match is None:
            values.append(text)
            errors.append("")
            continue
        by_name = match.groupdict()
        value = by_name.get("value") or by_name.get("other") or ""
        if not looks_like_number(value):
            return None
        values.append(f"{by_name.get('sign') or ''}{value}".replace("–", "-"))
        errors.append(by_name.get("error") or "")
        units.add((by_name.get("unit") or by_name.get("before") or by_name.get("after") or "").strip())
    if len(units) != 1:
        return None
    unit = units.pop()
    bare = "error" in next(iter(matches.values())).groupdict()
    if unit and not (cells.is_known_unit(unit) or re.fullmatch(_CURRENCY, unit)):
        return None
    if not bare and not unit:
        return None
    numbers = columns_from_cells([values, errors] if bare else [values], evidence)
    if any(number.texts is not None for number in numbers):
        return None
    if not bare:
        # What stands at the numbers themselves counts, whatever the header says.
        words = f"“{unit}” stood behind or before every number; it is the unit."
        if column.unit and column.unit != unit:
            words += f" The header said {column.unit}."
        return [
            replace(numbers[0], name=column.name, unit=unit, remarks=(*column.remarks, *numbers[0].remarks, words))
        ]
    unit = column.unit or unit
    name = f"± {column.name}"
    while name in taken:
        name += " 2"
    words = f"Cells held a value with its ±; the ± are the column “{name}”."
    return [
        replace(numbers[0], name=column.name, unit=unit, remarks=(*column.remarks, *numbers[0].remarks, words)),
        replace(numbers[1], name=name, unit=unit),
    ]


def names_things(header: str, texts: Sequence[str]) -> bool:
    """Whether cells such as 1E5 name things: their column says so, or others among them are 2A5."""
    filled = [text.strip() for text in texts if text.strip()]
    if not filled or not any(_POWER.match(text) for text in filled):
        return False
    if any(_LETTERED.match(text) and not _POWER.match(text) for text in filled):
        return all(_LETTERED.match(text) or text.isdecimal() for text in filled)
    return bool(_NAMES_THINGS.search(header)) and all(_POWER.match(text) for text in filled)


def trailing_summaries(rows: Sequence[Sequence[str]]) -> int:
    """Return how many rows at the end sum up those above: their first cell that says anything is Total, Mean or the like."""
    count = 0
    for row in reversed(rows[-MOST_SUMMARIES:]):
        filled = [cell.strip() for cell in row if cell.strip()]
        if not filled:
            count += 1
            continue
        if filled[0].removesuffix(":").strip().casefold() not in SUMMARIES:
            break
        count += 1
    while count and not any(cell.strip() for cell in rows[len(rows) - count]):
        count -= 1
    return count if count < len(rows) else 0
