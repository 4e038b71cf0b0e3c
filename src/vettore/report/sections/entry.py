"""What a section is made from, and how it enters the list."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass

from vettore.core.rounding import NumberStyle
from vettore.report.blocks import Block, Heading
from vettore.study.fits import DerivedFit
from vettore.study.kinds.fits import AnyFit
from vettore.study.series import Series
from vettore.study.study import Study


@dataclass(frozen=True)
class Subject:
    """What sections about a study are made from: the ``series`` that are told of, and how numbers are written."""

    study: Study
    series: tuple[Series, ...]
    style: NumberStyle

    def by_series(self, blocks: Callable[[Series], Iterable[Block]]) -> tuple[Block, ...]:
        """Return the blocks about each series, under its name where several have some."""
        told = [(series, tuple(blocks(series))) for series in self.series]
        told = [(series, some) for series, some in told if some]
        if len(told) < 2:
            return tuple(block for _, some in told for block in some)
        return tuple(block for series, some in told for block in (Heading(series.name), *some))


@dataclass(frozen=True)
class FitSubject(Subject):
    """What sections about one fit are made from."""

    curve: AnyFit
    fit: DerivedFit


@dataclass(frozen=True)
class Entry:
    """A section by the ``key`` that the study keeps, its ``name`` on screen, and how its blocks are made.

    It is about a fit or about a study: one of ``of_fit`` and ``of_study`` is there. ``title`` stands above it in the report,
    its name where it is None; ``whole`` says that it is kept on one page. An ``overview`` has nothing to say in the report of a
    single fit, and one of the ``sheets`` nothing outside a spreadsheet.
    """

    key: str
    name: str
    of_fit: Callable[[FitSubject], tuple[Block, ...]] | None = None
    of_study: Callable[[Subject], tuple[Block, ...]] | None = None
    title: str | None = None
    whole: bool = True
    overview: bool = False
    sheets: bool = False
