"""Single cells of a text table: is it a number, a blank, a date, a unit?"""

from __future__ import annotations

import re

# Cells that people and instruments write where a value is missing or outside the range.
BLANK_WORDS = frozenset(
    ["", "nan", "n/a", "na", "#n/a", "null", "none", "nil", "-", "–", "—", "--", "---", "*", "***", "?", "missing"]
)
_POINT = re.compile(r"[+\-−]?(\d+\.?\d*|\.\d+)([eEdD][+\-−]?\d+)?$")
_COMMA = re.compile(r"[+\-−]?(\d+,?\d*|,\d+)([eEdD][+\-−]?\d+)?$")
_LIMIT = re.compile(r"[<>≤≥~]\s*\S+$")
_DATE = re.compile(
    r"\d{1,4}[-/.:]\d{1,2}([-/.:]\d{1,4})?([T ]\d{1,2}:\d{2}(:\d{2}([.,]\d+)?)?(Z|[+-]\d{2}:?\d{2})?)?$"
)
_UNIT_WORD = re.compile(r"[A-Za-zµμ°Ω℃Å%‰]{1,5}$")
_UNIT_SPLIT = re.compile(r"[/·*^.\s()⁻⁰¹²³⁴⁵⁶⁷⁸⁹\-\d]+")
_BRACKETED = re.compile(r"^(?P<name>.*?)\s*[(\[](?P<unit>[^()\[\]]*)[)\]]\s*$")


def number(cell: str, decimal_mark: str) -> float | None:
    """Return the number that a cell holds, or None."""
    text = cell.strip()
    pattern = _POINT if decimal_mark == "." else _COMMA
    if not text or not pattern.match(text):
        return None
    text = text.replace("−", "-").replace(",", ".").replace("d", "e").replace("D", "e")
    return float(text)


def is_blank(cell: str) -> bool:
    """Whether a cell says that there is no value: nothing, a blank word, or a limit such as ``<LOD``."""
    text = cell.strip()
    return text.casefold() in BLANK_WORDS or bool(_LIMIT.match(text))


def is_date(cell: str) -> bool:
    """Whether a cell looks like a date or a time of day."""
    return bool(_DATE.match(cell.strip()))


def is_unit(text: str) -> bool:
    """Whether a text reads like a unit: short words joined by ``/``, ``·``, powers; or a bare dash."""
    text = text.strip()
    if text in {"-", "–", "—", "1"}:
        return True
    words = [word for word in _UNIT_SPLIT.split(text) if word]
    return bool(text) and len(text) <= 16 and bool(words) and all(_UNIT_WORD.match(word) for word in words)


def split_unit(header: str) -> tuple[str, str]:
    """Split ``oxygen (mg/L)`` into name and unit; a bracket that holds no unit stays in the name."""
    header = header.strip()
    found = _BRACKETED.match(header)
    if found and found["name"] and is_unit(found["unit"]):
        return found["name"].strip(), clean_unit(found["unit"])
    return header, ""


def clean_unit(text: str) -> str:
    """Return a unit without brackets; a dash means none."""
    text = text.strip().strip("()[]").strip()
    return "" if text in {"-", "–", "—", "1"} else text


def places(cell: str, decimal_mark: str) -> int:
    """Return the number of decimal places that a number was written with."""
    mantissa = re.split("[eEdD]", cell.strip())[0]
    _, mark, decimals = mantissa.partition(decimal_mark)
    return len(decimals) if mark else 0
