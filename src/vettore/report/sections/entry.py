"""What a section is made from, and how it enters the list."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from vettore.core.rounding import NumberStyle
from vettore.report.blocks import Block
from vettore.study.fits import DerivedFit
from vettore.study.kinds.fits import AnyFit
from vettore.study.study import Study


@dataclass(frozen=True)
class Subject:
    """What a report is about: a study, its reported fit, and how numbers are written."""

    study: Study
    curve: AnyFit
    fit: DerivedFit
    style: NumberStyle


@dataclass(frozen=True)
class Entry:
    """A section by the ``key`` that the study keeps, its ``name`` on screen, and how its blocks are made.

    ``title`` stands above it in the report, its name where it is None; ``whole`` says that it is kept on one page.
    """

    key: str
    name: str
    blocks: Callable[[Subject], tuple[Block, ...]]
    title: str | None = None
    whole: bool = True
