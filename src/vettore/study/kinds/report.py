"""What the report holds."""

from __future__ import annotations

from typing import Literal

from vettore.study.kinds.part import Part

PAPERS = ("A4", "Letter")


class ReportRecipe(Part, frozen=True, tag="report"):
    """``left_out`` names the sections that are switched off; ``curve`` the fit it is about. A study has one.

    With ``fits`` "all" every fit is reported, and all else that the study holds; ``attach`` takes the study along in the PDF
    and in the page. ``order`` names sections as they follow each other, those that it leaves out behind the one they usually
    follow; ``titles`` and ``notes`` give sections other words above them, and words under those. ``simple_units`` takes equal
    parts of units together; ``dark`` lets the page be dark where its reader's screen is.
    """

    title: str = ""
    note: str = ""
    curve: str = ""
    fits: Literal["one", "all"] = "one"
    attach: bool = False
    left_out: tuple[str, ...] = ("working",)
    paper: Literal["A4", "Letter"] = "A4"
    decimal_mark: Literal[".", ","] = "."
    order: tuple[str, ...] = ()
    titles: tuple[tuple[str, str], ...] = ()
    notes: tuple[tuple[str, str], ...] = ()
    simple_units: bool = False
    dark: bool = False
