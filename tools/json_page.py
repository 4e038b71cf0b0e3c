"""Write docs/JSON.md from the schema of what the program writes as JSON. Run: python tools/json_page.py"""

from __future__ import annotations

from pathlib import Path
from typing import Any

from vettore.cli.schema import whole_schema

PAGE = Path(__file__).parents[1] / "docs" / "JSON.md"
HEAD = """# What is written as JSON

Each output is an object whose `schema` says what it is and the version of its fields. Fields are added under the same number;
where one is changed or taken away, the number rises. Numbers stand in full; what is not known or not finite is `null`.
`vettore schema` prints this page's source, a JSON Schema (2020-12) to check against; the tests check every command by it.
Made by `python tools/json_page.py`.
"""


def page() -> str:
    """Return the page."""
    parts, known = [HEAD], whole_schema()["$defs"]
    outputs = [name for name in known if name.startswith("vettore.")]
    for title, names in (("Outputs", outputs), ("Their parts", [name for name in known if name not in outputs])):
        parts.append(f"\n## {title}\n")
        for name in names:
            told = known[name]
            parts.append(f"\n### {name}\n\n{told['description']}\n\n| field | type | |\n| --- | --- | --- |\n")
            for field, of in told["properties"].items():
                may = "" if field in told["required"] else " Where there is one."
                parts.append(f"| `{field}` | {_type(of)} | {of.get('description', '')}{may} |\n")
    return "".join(parts)


def _type(of: dict[str, Any]) -> str:
    """Return a type in words."""
    if "$ref" in of:
        name = of["$ref"].rsplit("/", 1)[1]
        return f"[{name}](#{name})"
    if "const" in of:
        return f'"{of["const"]}"'
    if "enum" in of:
        return " or ".join(f'"{value}"' for value in of["enum"])
    if "anyOf" in of:
        return " or ".join(_type(one) for one in of["anyOf"])
    kinds = sorted(of["type"], reverse=True) if isinstance(of["type"], list) else [of["type"]]
    told = []
    for kind in kinds:
        if kind == "array":
            told.append(f"list of {_type(of['items'])}")
        elif kind == "object":
            told.append(f"{_type(of['additionalProperties'])} by name")
        else:
            told.append(kind)
    return " or ".join(told)


if __name__ == "__main__":
    PAGE.write_text(page(), encoding="utf-8")
