"""Dates and times of day as text, turned into seconds.

Read: ISO 8601 (``2026-06-03T10:05:30.25+02:00``), day-month-year or month-day-year with ``.``, ``/`` or ``-``,
with or without a time of day, and times of day alone. Between day-first and month-first the whole column
decides: a first number above 12 means day first, a second above 12 month first; day first where nothing tells.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from datetime import date
from typing import Literal

import numpy as np
from numpy.typing import NDArray

TimeUnit = Literal["s", "min", "h", "d"]
SECONDS: dict[str, float] = {"s": 1.0, "min": 60.0, "h": 3600.0, "d": 86400.0}
# A column is dates when at least this share of its filled cells are.
DATE_SHARE = 0.9
_TIME = r"(?P<hour>\d{1,2}):(?P<minute>\d{2})(?::(?P<second>\d{2}(?:[.,]\d+)?))?\s*(?P<half>[AaPp][Mm])?"
_ZONE = r"(?:\s*(?P<zone>Z|[+-]\d{2}:?\d{2}))?"
_ISO = re.compile(rf"(?P<year>\d{{4}})[-/.](?P<a>\d{{1,2}})[-/.](?P<b>\d{{1,2}})(?:[T ]\s*{_TIME}{_ZONE})?$")
_DAY = re.compile(rf"(?P<a>\d{{1,2}})[-/.](?P<b>\d{{1,2}})[-/.](?P<year>\d{{4}}|\d{{2}})(?:,?\s+{_TIME}{_ZONE})?$")
_CLOCK = re.compile(_TIME + "$")
DAY = 86400.0


def seconds_of(texts: Sequence[str]) -> NDArray[np.float64] | None:
    """Return seconds from a common zero for every cell (NaN where blank), or None when the column is no dates.

    Times of day alone go on past midnight: where one is earlier than the one before, a day has passed.
    """
    filled = [text.strip() for text in texts]
    words = [text for text in filled if text]
    if not words:
        return None
    probe = words[:50]
    for read, pattern in ((_iso, _ISO), (_day, _DAY), (_clock, _CLOCK)):
        if sum(bool(pattern.match(text)) for text in probe) < DATE_SHARE * len(probe):
            continue
        matches = [pattern.match(text) for text in filled]
        if sum(match is not None for match in matches) < DATE_SHARE * len(words):
            return None
        seconds = read(matches)
        return seconds if np.isfinite(seconds).any() else None
    return None


def _iso(matches: Sequence[re.Match[str] | None]) -> NDArray[np.float64]:
    return np.array([np.nan if m is None else _moment(m, int(m["year"]), int(m["a"]), int(m["b"])) for m in matches])


def _day(matches: Sequence[re.Match[str] | None]) -> NDArray[np.float64]:
    swap = any(m and int(m["b"]) > 12 for m in matches) and not any(m and int(m["a"]) > 12 for m in matches)
    out = []
    for m in matches:
        if m is None:
            out.append(np.nan)
            continue
        year = int(m["year"]) + (2000 if len(m["year"]) == 2 else 0)
        day, month = (int(m["b"]), int(m["a"])) if swap else (int(m["a"]), int(m["b"]))
        out.append(_moment(m, year, month, day))
    return np.array(out)


def _clock(matches: Sequence[re.Match[str] | None]) -> NDArray[np.float64]:
    seconds = np.array([np.nan if m is None else _time(m) for m in matches])
    good = np.flatnonzero(np.isfinite(seconds))
    passed = np.concatenate([[0], np.cumsum(np.diff(seconds[good]) < 0)])
    seconds[good] += DAY * passed
    return seconds


def _moment(match: re.Match[str], year: int, month: int, day: int) -> float:
    try:
        days = date(year, month, day).toordinal()
    except ValueError:
        return float("nan")
    seconds = days * DAY + (_time(match) if match["hour"] else 0.0)
    zone = match["zone"]
    if zone and zone != "Z":
        offset = int(zone[1:3]) * 3600 + int(zone[-2:]) * 60
        seconds -= offset if zone[0] == "+" else -offset
    return seconds


def _time(match: re.Match[str]) -> float:
    hour, minute = int(match["hour"]), int(match["minute"])
    second = float((match["second"] or "0").replace(",", "."))
    half = (match["half"] or "").lower()
    if half:
        hour = hour % 12 + (12 if half == "pm" else 0)
    if hour > 24 or minute > 59 or second >= 61:
        return float("nan")
    return hour * 3600.0 + minute * 60.0 + second
