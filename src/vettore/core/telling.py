"""How results tell themselves in a script: in one line, as a table in a notebook, as a dict, as a pandas table."""

from __future__ import annotations

import importlib
import math
from collections.abc import Mapping, Sequence
from dataclasses import asdict, is_dataclass
from html import escape
from typing import Any

import numpy as np

# Digits in the line and in the table of a notebook; dict and pandas have all.
SHOWN = 6


def plain(value: Any) -> Any:
    """Return a value as dicts, lists, numbers and texts; None for what is no finite number, as JSON has it."""
    if isinstance(value, Mapping):
        return {str(key): plain(entry) for key, entry in value.items()}
    if isinstance(value, (list, tuple, np.ndarray)):
        return [plain(entry) for entry in (value.tolist() if isinstance(value, np.ndarray) else value)]
    if isinstance(value, np.generic):
        return plain(value.item())
    if is_dataclass(value) and not isinstance(value, type):
        return plain(asdict(value))
    return None if isinstance(value, float) and not math.isfinite(value) else value


def short(value: Any) -> str:
    """Return a number with few digits, a text as it is, and nothing for None."""
    if value is None or (isinstance(value, float) and math.isnan(value)):
        return ""
    return f"{value:.{SHOWN}g}" if isinstance(value, (float, np.floating)) else str(value)


class Tells:
    """A result says its ``_line``, the ``_columns`` of its table by name, and the ``_facts`` of its dict."""

    def _line(self) -> str:
        raise NotImplementedError

    def _columns(self) -> Mapping[str, Sequence[Any]]:
        raise NotImplementedError

    def _facts(self) -> Mapping[str, Any]:
        raise NotImplementedError

    def __repr__(self) -> str:
        return f"<{type(self).__name__}: {self._line()}>"

    def to_dict(self) -> dict[str, Any]:
        """Return everything as dicts, lists, numbers and texts, ready for JSON."""
        answer = plain(self._facts())
        assert isinstance(answer, dict)
        return answer

    def to_frame(self) -> Any:
        """Return the table as a pandas.DataFrame. Raises ImportError where pandas is not installed."""
        # By name, since the core itself needs no pandas.
        return importlib.import_module("pandas").DataFrame(dict(self._columns()))

    def _repr_html_(self) -> str:
        columns = self._columns()
        head = "".join(f"<th>{escape(name)}</th>" for name in columns)
        rows = zip(*columns.values(), strict=True)
        body = "".join(f"<tr>{''.join(f'<td>{escape(short(cell))}</td>' for cell in row)}</tr>" for row in rows)
        return (
            f"<table><caption>{escape(self._line())}</caption><thead><tr>{head}</tr></thead>"
            f"<tbody>{body}</tbody></table>"
        )


class Known:
    """A quantity that was worked out before, by the arguments it was asked with; takes the place of working it out."""

    def __init__(self, values: Mapping[tuple[Any, ...], Any]) -> None:
        self.values = dict(values)

    def __call__(self, *arguments: Any) -> Any:
        """Return what was worked out."""
        return self.values[arguments]
