"""A drawn SVG made lean: fewer elements for the same picture, so that browsers and printers are quicker with it.

Matplotlib writes three groups around each tick and a use of a definition for each mark. Here groups that say nothing are
left out, uses of marks become the paths that they stand for, styles become attributes, and lines of an axis that look
alike are one path. What is seen, and the order in which it is painted, stays.
"""

from __future__ import annotations

import re
import xml.etree.ElementTree as xml
from collections.abc import Iterator

SVG, XLINK = "http://www.w3.org/2000/svg", "http://www.w3.org/1999/xlink"
HREF = f"{{{XLINK}}}href"
# What all elements begin with, unless they say otherwise.
USUAL = {"stroke-linejoin": "round", "stroke-linecap": "butt"}
# Definitions of marks; those of letters stay, since each is used many times.
MARK = re.compile(r"(m|C\w+_)[0-9a-f]{10}$")
AXIS = re.compile(r"matplotlib\.axis_\d+$")
STILL = re.compile(r"rotate\(-?0(\.0+)? ")
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
    made: list[xml.Element] = []
    for child in parent:
        kind = child.tag.rpartition("}")[2]
        if kind == "style":
            continue
        if kind == "defs":
            child[:] = [part for part in child if part.get("id") not in paths and not part.tag.endswith("style")]
            made += [child] if len(child) else []
        elif kind == "g":
            inner = [*_kept(child, paths, in_axis or bool(AXIS.match(child.get("id", ""))))]
            if set(child.attrib) <= {"id"}:
                made += inner
            elif inner:
                child[:] = inner
                made.append(_with_attributes(child))
        elif kind == "use" and child.get(HREF, "#")[1:] in paths:
            made.append(_in_place(child, paths[child.get(HREF, "#")[1:]]))
        else:
            made.append(_with_attributes(child))
        if kind == "g" and AXIS.match(child.get("id", "")) and not in_axis:
            start = len(made) - len(inner)
            made[start:] = _joined(made[start:])
    yield from made


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
    made = xml.Element(path.tag, {name: value for name, value in use.attrib.items() if name not in (HREF, "x", "y")})
    style = "; ".join(filter(None, (use.get("style"), path.get("style"))))
    if style:
        made.set("style", style)
    by = float(use.get("x", "0")), float(use.get("y", "0"))
    count = 0

    def moved(found: re.Match[str]) -> str:
        nonlocal count
        value = float(found.group()) + by[count % 2]
        count += 1
        return f"{value:.6g}" if abs(value) < 1e6 else repr(value)

    made.set("d", NUMBER.sub(moved, path.get("d", "")))
    return _with_attributes(made)


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
