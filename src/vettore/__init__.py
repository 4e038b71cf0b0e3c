"""Vettore: look at measured data, fit models, and report values with their uncertainty."""

from __future__ import annotations

import importlib
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from vettore.batch.replay import replay
    from vettore.batch.table import ReplayTable
    from vettore.files.readers import read_file
    from vettore.files.study_file import open_study, save_study
    from vettore.report.save import save_figure, save_report

__version__ = "0.1.0"
__all__ = ["ReplayTable", "open_study", "read_file", "replay", "save_figure", "save_report", "save_study"]

# Where each name is; loaded when it is asked for, so that importing one part does not import all.
_WHERE = {
    "ReplayTable": "batch.table",
    "open_study": "files.study_file",
    "read_file": "files.readers",
    "replay": "batch.replay",
    "save_figure": "report.save",
    "save_report": "report.save",
    "save_study": "files.study_file",
}


def __getattr__(name: str) -> Any:
    if name not in _WHERE:
        raise AttributeError(f"vettore has no “{name}”.")
    value = getattr(importlib.import_module(f"vettore.{_WHERE[name]}"), name)
    globals()[name] = value
    return value


def __dir__() -> list[str]:
    return sorted({*globals(), *_WHERE})
