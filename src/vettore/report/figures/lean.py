"""A drawn SVG made lean: fewer elements for the same picture, so that browsers and printers are quicker with it.

Matplotlib writes three groups around each tick and a use of a definition for each mark. Here groups that say nothing are
left out, uses of marks become the paths that they stand for, discs become circles, long outlines lose the points that
lie on the line between others, styles become attributes, and lines of an axis that look alike are one path. What is seen,
and the order in which it is painted, stays.
"""

from __future__ import annotations

import re
import xml.etree.ElementTree as xml
from collections.abc import Iterator
from functools import lru_cache

import numpy as np

SVG, XLINK = "http://www.w3.org/2000/svg", "http://www.w3.org/1999/xlink"
HREF = f"{{{XLINK}}}href"
# What all elements begin with, unless they say otherwise.
USUAL = {"stroke-linejoin": "round", "stroke-linecap": "butt"}
# Definitions of marks; those of letters stay, since each is used many times.
MARK = re.compile(r"(m|C\w+_)[0-9a-f]{10}$")
AXIS = re.compile(r"matplotlib\.axis_\d+$")
STILL = re.compile(r"rotate\(-?0(\.0+)? ")
# A path of straight lines without a gap.
POLYGON = re.compile(r"M [^MCQA]*$")
# Outlines of so many points and more are thinned, by what lies no further from the line than this, in points of 1/72 in.
LONG, ON_THE_LINE = 60, 0.01
# The segments of a disc, and how far from its edge their ends may lie.
DISC_SEGMENTS, ON_THE_EDGE = 8, 1e-3
NUMBER = re.compile(r"-?\d+(?:\.\d+)?(?:e-?\d+)?")


def lean(text: str) -> str:
    """Return a lean SVG of the same picture."""
    xml.register_namespace("", SVG)
    xml.register_namespace("xlink", XLINK)
    root = xml.fromstring(text)
    paths = {path.get("id", ""): path for path in root.iter(f"{{{SVG}}}path") if MARK.match(path.get("id", ""))}
    for name, value in USUAL.items():
        root.set(name, value)
    root[:] = [*_kept(root, paths, in_axis=False)]
    return xml.tostring(root, encoding="unicode")


def _kept(parent: xml.Element, paths: dict[str, xml.Element], in_axis: bool) -> Iterator[xml.Element]:
    """Return what stands for the children of a group."""
    elements: list[xml.Element] = []
    for child in parent:
        kind = child.tag.rpartition("}")[2]
        if kind == "style":
            continue
        if kind == "defs":
            child[:] = [part for part in child if part.get("id") not in paths and not part.tag.endswith("style")]
            elements += [child] if len(child) else []
        elif kind == "g":
            inner = [*_kept(child, paths, in_axis or bool(AXIS.match(child.get("id", ""))))]
            if set(child.attrib) <= {"id"}:
                elements += inner
            elif inner:
                child[:] = inner
                elements.append(_with_attributes(child))
        elif kind == "use" and child.get(HREF, "#")[1:] in paths:
            elements.append(_in_place(child, paths[child.get(HREF, "#")[1:]]))
        else:
            if kind == "path":
                child.set("d", _thinned(child.get("d", "")))
            elements.append(_with_attributes(child))
        if kind == "g" and AXIS.match(child.get("id", "")) and not in_axis:
            start = len(elements) - len(inner)
            elements[start:] = _joined(elements[start:])
    yield from elements


def _with_attributes(element: xml.Element) -> xml.Element:
    """Turn the style of an element into attributes, and leave out a turn by nothing."""
    style = element.attrib.pop("style", "")
    for part in style.split(";"):
        name, _, value = part.partition(":")
        if value:
            element.set(name.strip(), value.strip())
    if STILL.match(element.get("transform", "")):
        del element.attrib["transform"]
    return element


def _in_place(use: xml.Element, path: xml.Element) -> xml.Element:
    """Return the path that a use stands for, where it stands."""
    element = xml.Element(
        path.tag, {name: value for name, value in use.attrib.items() if name not in (HREF, "x", "y")}
    )
    style = "; ".join(filter(None, (use.get("style"), path.get("style"))))
    if style:
        element.set("style", style)
    by = float(use.get("x", "0")), float(use.get("y", "0"))
    radius = _radius_of(path.get("d", ""))
    if radius is not None:
        element.tag = f"{{{SVG}}}circle"
        for name, value in (("cx", by[0]), ("cy", by[1]), ("r", radius)):
            element.set(name, f"{value:.6g}")
        return _with_attributes(element)
    count = 0

    def moved(match: re.Match[str]) -> str:
        nonlocal count
        value = float(match.group()) + by[count % 2]
        count += 1
        return f"{value:.6g}" if abs(value) < 1e6 else repr(value)

    element.set("d", _thinned(NUMBER.sub(moved, path.get("d", ""))))
    return _with_attributes(element)


@lru_cache(maxsize=64)
def _radius_of(d: str) -> float | None:
    """Return the radius of a disc about 0 that a path draws, or None of any other shape."""
    if d.count("C") != DISC_SEGMENTS or "L" in d:
        return None
    ends = np.array([float(item) for item in NUMBER.findall(d)]).reshape(-1, 2)[::3]
    sizes = np.hypot(*ends.T)
    radius = float(sizes[0])
    return radius if np.all(np.abs(sizes - radius) <= ON_THE_EDGE * radius) else None


def _thinned(d: str) -> str:
    """Return a long outline without the points that lie on the line between others (Ramer 1972, Douglas & Peucker 1973)."""
    if d.count("L") < LONG or not POLYGON.match(d):
        return d
    points = np.array([float(item) for item in NUMBER.findall(d)]).reshape(-1, 2)
    kept = np.zeros(len(points), dtype=np.bool_)
    kept[[0, -1]] = True
    waiting = [(0, len(points) - 1)]
    while waiting:
        first, last = waiting.pop()
        if last - first < 2:
            continue
        start, along = points[first], points[last] - points[first]
        inner = points[first + 1 : last] - start
        share = np.clip(inner @ along / (float(along @ along) or 1.0), 0.0, 1.0)
        away = np.hypot(*(inner - share[:, None] * along).T)
        furthest = int(np.argmax(away))
        if away[furthest] > ON_THE_LINE:
            middle = first + 1 + furthest
            kept[middle] = True
            waiting += [(first, middle), (middle, last)]
    lines = " L ".join(f"{x:.6f} {y:.6f}" for x, y in points[kept].tolist())
    return f"M {lines} {'z' if d.rstrip().endswith('z') else ''}"


def _joined(parts: list[xml.Element]) -> list[xml.Element]:
    """Join the lines of an axis that look alike: none lies over another, and all lie under its figures."""
    alike: dict[tuple[tuple[str, str], ...], xml.Element] = {}
    rest = []
    for part in parts:
        if not part.tag.endswith("}path"):
            rest.append(part)
            continue
        look = tuple(sorted((name, value) for name, value in part.attrib.items() if name not in ("d", "id")))
        if look in alike:
            alike[look].set("d", alike[look].get("d", "") + part.get("d", ""))
        else:
            alike[look] = part
    return [*alike.values(), *rest]
