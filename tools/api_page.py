"""Write docs/API.md from the names of the façades and what they say of themselves. Run: python tools/api_page.py"""

from __future__ import annotations

import inspect
import textwrap
from enum import Enum
from pathlib import Path
from types import ModuleType

import vettore
from vettore import core

PAGE = Path(__file__).parents[1] / "docs" / "API.md"
HEAD = """# API reference

All that scripts may rest on: names and behaviours here stay. [PYTHON](PYTHON.md) shows them at work; the examples below are run
by the tests. Made by `python tools/api_page.py` from the program itself.
"""


def page() -> str:
    """Return the page."""
    parts = [HEAD]
    for module, words in ((vettore, "vettore: studies, files, reports"), (core, "vettore.core: the numbers")):
        parts.append(f"\n## {words}\n")
        told = [(name, getattr(module, name)) for name in module.__all__ if callable(getattr(module, name))]
        functions = [one for one in told if not isinstance(one[1], type)]
        kinds = [one for one in told if isinstance(one[1], type)]
        parts += [_function(module, name, made) for name, made in functions]
        parts += [_kind(name, made) for name, made in kinds]
    return "".join(parts)


def _function(module: ModuleType, name: str, made: object) -> str:
    told = inspect.signature(made)  # type: ignore[arg-type]
    words, by_name = [], False
    for one in told.parameters.values():
        if one.kind is inspect.Parameter.KEYWORD_ONLY and not by_name:
            words.append("*")
            by_name = True
        default = "" if one.default is inspect.Parameter.empty else f" = {_default(one.default)}"
        words.append(f"{one.name}: {one.annotation}{default}")
    signature = f"({', '.join(words)}) -> {told.return_annotation}"
    return f"\n### {name}\n\n```text\n{_wrapped(f'{module.__name__}.{name}{signature}')}\n```\n\n{_words(made)}\n"


def _default(value: object) -> str:
    if isinstance(value, Enum):
        return repr(value.value)
    return value.__name__ if inspect.isfunction(value) else repr(value)


def _kind(name: str, made: type) -> str:
    shown = [f"*{one}*" for one in getattr(made, "__annotations__", {}) if not one.startswith("_")]
    for one, value in vars(made).items():
        if not one.startswith("_") and (isinstance(value, property) or hasattr(value, "func")):
            shown.append(f"*{one}*")
    methods = [
        f"`{one}()`" for one, value in vars(made).items() if inspect.isfunction(value) and not one.startswith("_")
    ]
    rest = [f"It has {', '.join(dict.fromkeys(shown))}."] if shown else []
    rest += [f"It can {', '.join(methods)}."] if methods else []
    told = "\n\n".join([_words(made), *(textwrap.fill(line, 118) for line in rest)])
    return f"\n### {name}\n\n{told}\n"


def _words(made: object) -> str:
    words = inspect.getdoc(made) or ""
    before, mark, example = words.partition(">>> ")
    return before.strip() + (f"\n\n```pycon\n{mark}{example.strip()}\n```" if mark else "")


def _wrapped(text: str) -> str:
    return "\n".join(textwrap.wrap(text, 112, subsequent_indent="    ", break_long_words=False))


if __name__ == "__main__":
    PAGE.write_text(page(), encoding="utf-8")
