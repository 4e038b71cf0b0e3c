"""Single cells of a text table: is it a number, a blank, a date, a unit?"""

from __future__ import annotations

import re

from vettore.core.cells.number_marks import looks_like_number as looks_like_number

# Cells that people and instruments write where a value is missing or outside the range.
BLANK_WORDS = frozenset(
    word
    for line in (
        ";nan;n/a;na;#n/a;null;none;nil;-;–;—;--;---;*;***;?",
        "missing;n.d.;n.d;nd;b.d.l.;bdl;lod;loq;n.a.;#wert!;#value!;#div/0!",
        "over;under;overflow;underflow;overrange;ovrflw;ovfl;ovld;ofl;out of range;oor",
        "sat;sat.;saturated;err;error;invalid;not detected;below lod;below detection;trace",
    )
    for word in line.split(";")
)
_LIMIT = re.compile(r"[<>≤≥~]\s*\S+$")
_DATE = re.compile(
    r"\d{1,4}[-/.:]\d{1,2}([-/.:]\d{1,4})?([T ]\d{1,2}:\d{2}(:\d{2}([.,]\d+)?)?(Z|[+-]\d{2}:?\d{2})?)?$"
)
_UNIT_WORD = re.compile(r"[A-Za-zµμ°Ω℃Å%‰]{1,5}$")
_UNIT_SPLIT = re.compile(r"[/·*^.\s()⁻⁰¹²³⁴⁵⁶⁷⁸⁹\-\d]+")
# A line drawn under names: dashes and the like between delimiters.
_RULED = re.compile(r"[\s,;|+]*+(?:[-=_–—]{2,}+[\s,;|+:]*+)++$|\s*+(?:\*{4,}+|~{4,}+)\s*+$")
_BRACKETED = re.compile(r"^(?P<name>.*?)\s*[(\[](?P<unit>[^()\[\]]*)[)\]]\s*$")
# ISO 80000-1 writes a quantity over its unit, as wavelength / nm; others write I in pA, or t, min.
_QUOTIENT = re.compile(r"^(?P<name>.+?)\s*/\s*(?P<unit>\(.+\)|[^()]+?)\s*$")
_IN = re.compile(r"^(?P<name>.+?)\s+in\s+(?P<unit>\S(?:.*\S)?)\s*$")
_COMMA = re.compile(r"^(?P<name>.+?),\s*(?P<unit>\S(?:.*\S)?)\s*$")
# Symbols that are units by themselves or behind a prefix.
_SYMBOLS = frozenset(
    word
    for line in (
        "m g s A K mol cd L l t h d min a yr Hz N Pa bar atm J eV W V VA Ω Ohm ohm S F C T H Wb lm lx Bq Gy Sv kat M",
        "cal psi Torr mmHg dB rad sr deg Da u ppm ppb ppt % ‰ ° °C degC °F degF ℃ Å au a.u. cps counts rpm px Np G ha",
    )
    for word in line.split(" ")
)
# Symbols of quantities that are customary over a unit and are hardly units over another.
_QUANTITIES = frozenset(["T", "p", "U", "I", "E", "n", "Q", "R", "t", "c", "v", "l", "x", "y", "z"])
_PREFIXES = ("", *"YZEPTGMkhdcmuµμnpfazy", "da")
_POWER = re.compile(r"^(?P<symbol>\D+?)(?:\^?-?\d+|[⁻⁰¹²³⁴⁵⁶⁷⁸⁹]+)?$")


def is_value(cell: str) -> bool:
    """Whether a cell looks like a number or a date."""
    return looks_like_number(cell) or is_date(cell)


def is_rule(line: str) -> bool:
    """Whether a line is one that was drawn, as the dashes under names."""
    return bool(_RULED.match(line))


def is_known_unit(text: str) -> bool:
    """Whether a text is made of symbols of units only, as ``nm``, ``mg L⁻¹`` or ``m/s^2``."""
    parts = [part for part in re.split(r"[/·*.\s()]+", text.strip()) if part not in ("", "1")]
    if text.strip() in _SYMBOLS:
        return True
    return bool(parts) and all(_is_symbol(part) for part in parts)


def _is_symbol(part: str) -> bool:
    match = _POWER.match(part)
    symbol = match["symbol"].rstrip("^-") if match else part
    return any(symbol.startswith(prefix) and symbol[len(prefix) :] in _SYMBOLS for prefix in _PREFIXES)


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
    """Split a header into name and unit; what is no unit stays in the name.

    Read are ``oxygen (mg/L)``, ``T [K]``, and with known units ``wavelength / nm``, ``I in pA`` and ``t, min``.
    """
    header = header.strip()
    match = _BRACKETED.match(header)
    if match and match["name"] and is_unit(match["unit"]) and not match["name"].rstrip().endswith("/"):
        return match["name"].strip(), clean_unit(match["unit"])
    for pattern in (_IN, _COMMA, _QUOTIENT):
        match = pattern.match(header)
        if match and is_known_unit(match["unit"]) and not _is_bare_unit(header, match["name"]):
            return match["name"].strip(), clean_unit(match["unit"])
    return header, ""


def _is_bare_unit(header: str, name: str) -> bool:
    """Whether a header is a unit by itself, as mg/L; T/K and the like are a quantity over its unit."""
    return " " not in header and is_known_unit(header) and name not in _QUANTITIES


def clean_unit(text: str) -> str:
    """Return a unit without brackets; a dash means none."""
    text = text.strip().strip("()[]").strip()
    return "" if text in {"-", "–", "—", "1"} else text
