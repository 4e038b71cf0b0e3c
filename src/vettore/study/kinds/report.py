"""What the report holds."""

from __future__ import annotations

from typing import Literal

from vettore.study.kinds.part import Part

PAPERS = ("A4", "Letter")


class ReportRecipe(Part, frozen=True, tag="report"):
    """``left_out`` names the sections that are switched off; ``curve`` the fit it is about. A study has one."""

    title: str = ""
    note: str = ""
    curve: str = ""
    left_out: tuple[str, ...] = ("working",)
    paper: Literal["A4", "Letter"] = "A4"
    decimal_mark: Literal[".", ","] = "."
