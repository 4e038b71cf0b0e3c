"""Studies of older formats, put into the form of the present one before they are read.

1, 2: reports had no working, and should not gain one by being opened. Up to 3: parts stood in a list for each kind, fits of
polynomials and of formulas in one, and readings said in words what they ask. What rested on a part that is gone is let go.
Up to 4: a y whose x was sought was exact; since then it is a measured signal unless it says that it is not.
"""

from __future__ import annotations

from typing import Any

WORKING_SINCE, KINDS_SINCE, SIGNALS_SINCE = 3, 4, 5
FORMULA_FIELDS = ("formula", "model", "called", "hold", "start", "limits", "loss", "seed")
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
        content = _in_parts(content)
    if version < SIGNALS_SINCE:
        content = {**content, "parts": [_with_exact_level(part) for part in content.get("parts") or ()]}
    return content


def _with_exact_level(part: Any) -> Any:
    """A y whose x was sought was a level without scatter, unless signals were given: it stays what it was."""
    if not isinstance(part, dict) or part.get("kind") != "place reading" or part.get("signals"):
        return part
    return {**part, "exact": True}


def _in_parts(content: dict[str, Any]) -> dict[str, Any]:
    def old(name: str) -> list[dict[str, Any]]:
        return [dict(entry) for entry in content.get(name) or ()]

    parts = [{"kind": "series", **entry} for entry in old("series")]
    parts += [_fit(entry) for entry in old("curves")]
    parts += [_reading(entry) for entry in old("readings")]
    parts += [{"kind": "interpolant", "id": f"i-{entry['series']}", **entry} for entry in old("interpolants")]
    parts += [{"kind": "filling", "id": f"w-{entry['series']}", **entry} for entry in old("fillings")]
    parts += [{"kind": "area", **_area(entry)} for entry in old("areas")]
    for name, kind in (("functions", "function"), ("polynomials", "polynomial")):
        parts += [{"kind": kind, **entry} for entry in old(name)]
    if content.get("report"):
        parts.append({"kind": "report", "id": "report", **content["report"]})
    there = {part.get("id") for part in parts}
    while True:
        kept = [part for part in parts if all(identity in there for identity in _named(part))]
        if len(kept) == len(parts):
            break
        parts, there = kept, {part.get("id") for part in kept}
    return {
        "format": content["format"],
        "title": content["title"],
        "counter": content["counter"],
        "parts": parts,
    }


def _named(part: dict[str, Any]) -> list[str]:
    """Return the ids of parts without which one of an older study is nothing."""
    if part["kind"] in ("series", "report"):
        return []
    named = [part.get(field) or "" for field in ("series", "source", "other", "curve")]
    baseline = part.get("baseline") or {}
    named += [baseline.get(field) or "" for field in ("series", "curve")]
    return [identity for identity in named if identity]


def _area(area: dict[str, Any]) -> dict[str, Any]:
    """Floors were a language of their own: ``0.5``, ``ends``, ``points:s1``, ``fit:c2``, ``spans:0.0..2.0,8.0..9.0``."""
    kept = {name: value for name, value in area.items() if name != "floor"}
    floor = str(area.get("floor", "0"))
    mark, sign, rest = floor.partition(":")
    if floor == "ends":
        kept["baseline"] = {"by": "ends"}
    elif not sign:
        kept["baseline"] = {"by": "level", "value": float(floor)}
    elif mark == "spans":
        spans = [[float(end) for end in span.split("..")] for span in rest.split(",")]
        kept["baseline"] = {"by": "spans", "spans": spans}
    else:
        by, field = {"points": ("points", "series"), "fit": ("curve", "curve"), "formula": ("formula", "formula")}[
            mark
        ]
        kept["baseline"] = {"by": by, field: rest}
    return kept


def _fit(fit: dict[str, Any]) -> dict[str, Any]:
    shared: dict[str, Any] = {
        name: fit[name] for name in ("id", "series", "use_errors", "errors_known", "span") if name in fit
    }
    formula = fit.get("formula")
    names = FORMULA_FIELDS if formula else ("degree", "intercept")
    return {
        "kind": "formula fit" if formula else "polynomial fit",
        **shared,
        **{name: fit[name] for name in names if name in fit},
    }


def _reading(reading: dict[str, Any]) -> dict[str, Any]:
    kind, fields = ASKED[reading["asked"]]
    kept = {name: reading[name] for name in ("id", "curve", "name", *fields) if name in reading}
    if kind in ("value", "place", "slope", "area"):
        kept.setdefault("at", 0.0)
    if kind == "area" and kept.get("to") is None:
        kept["to"] = kept["at"]
    return {"kind": f"{kind} reading", **kept}
