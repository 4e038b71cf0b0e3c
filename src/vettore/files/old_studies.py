"""Studies of older formats, put into the form of the present one before they are read.

1, 2: reports had no working, and should not gain one by being opened. Up to 3: readings said in words what they ask.
"""

from __future__ import annotations

from typing import Any

WORKING_SINCE, KINDS_SINCE = 3, 4
# What readings of format 1 to 3 asked: the kind of today, and the fields that it takes.
ASKED = {
    "y at x": ("value", ("at",)),
    "x where y": ("place", ("at", "signals")),
    "slope at x": ("slope", ("at",)),
    "area between x": ("area", ("at", "to")),
    "tops and bottoms": ("turns", ()),
    "from a formula": ("formula", ("formula",)),
}


def brought_up(content: dict[str, Any]) -> dict[str, Any]:
    """Return what ``study.json`` holds in the form of the present format. What is not understood is left as it is."""
    version = content.get("format")
    if not isinstance(version, int):
        return content
    if version < WORKING_SINCE:
        report = content.get("report") or {}
        left_out = [section for section in report.get("left_out") or () if section != "working"]
        content = {**content, "report": {**report, "left_out": [*left_out, "working"]}}
    if version < KINDS_SINCE:
        content = {**content, "readings": [_reading(reading) for reading in content.get("readings") or ()]}
    return content


def _reading(reading: Any) -> Any:
    if not isinstance(reading, dict) or reading.get("asked") not in ASKED:
        return reading
    kind, fields = ASKED[reading["asked"]]
    kept = {name: reading[name] for name in ("id", "curve", "name", *fields) if name in reading}
    if kind in ("value", "place", "slope", "area"):
        kept.setdefault("at", 0.0)
    if kind == "area" and kept.get("to") is None:
        kept["to"] = kept["at"]
    return {"kind": kind, **kept}
