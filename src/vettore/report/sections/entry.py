"""What a section is made from, and how it enters the list."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass

from vettore.core.errors import VettoreError
from vettore.core.rounding import NumberStyle
from vettore.report.blocks import Block, Figure, Heading, Paragraph
from vettore.report.figures.listed import study_figure
from vettore.study.figures import with_figures
from vettore.study.fitting.fits import DerivedFit
from vettore.study.kinds.fits import AnyFit
from vettore.study.series import Series
from vettore.study.study import Study


@dataclass(frozen=True)
class Subject:
    """What sections about a study are made from: the ``series`` that are told of, and how numbers are written."""

    study: Study
    series: tuple[Series, ...]
    style: NumberStyle

    def figure(self, of: str) -> Block:
        """Return the figure of a part of the study, or the sentence that says why it cannot be drawn."""
        try:
            figure = study_figure(self.study, of, self.style)
        except VettoreError as error:
            return Paragraph(str(error))
        return Figure(figure, figure.caption, figure.recipe.width, figure.recipe.height)

    def has_figure_in(self, section: str, series: Series) -> bool:
        """Whether the figure of a series itself stands in a section: with its areas, what was read, or among all series."""
        homes = [*(["areas"] if self.study.areas_of(series.id) else [])]
        homes += ["between"] if self.study.interpolant_of(series.id).read_at else []
        homes.append("series")
        shown = [home for home in homes if home not in self.study.report.left_out]
        return series.id in with_figures(self.study) and shown[:1] == [section]

    def by_series(self, blocks: Callable[[Series], Iterable[Block]]) -> tuple[Block, ...]:
        """Return the blocks about each series, under its name where several have some."""
        pairs = [(series, tuple(blocks(series))) for series in self.series]
        pairs = [(series, some) for series, some in pairs if some]
        if len(pairs) < 2:
            return tuple(block for _, some in pairs for block in some)
        return tuple(block for series, some in pairs for block in (Heading(series.name), *some))


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
