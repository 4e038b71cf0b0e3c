"""The text of a system after a column has another name."""

from __future__ import annotations

import re
from collections.abc import Collection

from vettore.core.errors import FormulaError
from vettore.core.formula.write import name_text
from vettore.core.systems.read import read_system

_PLAIN = re.compile(r"[^\W\d]\w*")


def rename_in_system(text: str, columns: Collection[str], over: str, old: str, new: str) -> str:
    """Return equations over ``columns`` once the column ``old`` is called ``new``; a coefficient of that name steps aside.

    A state keeps its name where no state may have the new one, and the column shows it in a line of its own. A text that
    cannot be read stays as it is.
    """
    try:
        system = read_system(text, columns, over)
    except FormulaError:
        return text
    if new in system.coefficients or new in system.state_names:
        text = _replaced(text, new, f"{new}_0")
    if not _PLAIN.fullmatch(new) and old in system.state_names:
        return f"{text.rstrip()}\n{name_text(new)} = {old}"
    return _replaced(text, old, name_text(new))


def _replaced(text: str, old: str, new: str) -> str:
    """Return a text with one name for another, in quotients of rates, too."""
    written = re.escape(name_text(old))
    if not _PLAIN.fullmatch(old):
        return text.replace(name_text(old), new)
    text = re.sub(rf"(?<![\w`]){written}(?![\w`])", lambda _: new, text)
    return re.sub(
        rf"\bd{written}(?=\s*/\s*d\w)|(?<=/)(\s*)d{written}\b", lambda match: f"{match.group(1) or ''}d{new}", text
    )
