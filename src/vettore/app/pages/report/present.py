"""What the Report page shows of a study: a pure function, without a window."""

from __future__ import annotations

from dataclasses import dataclass

from vettore.study.figures import with_figures
from vettore.study.kinds.report import ReportRecipe
from vettore.study.study import Study

# In the list of what is reported: all of it.
ALL = "*"


@dataclass(frozen=True)
class ReportView:
    """``subjects`` are what can be reported, as words and an id (or ALL); ``subject`` is the one that is."""

    recipe: ReportRecipe
    subjects: tuple[tuple[str, str], ...]
    subject: str
    # Whether there is anything to report, a figure to change, and data to be taken anew.
    some: bool
    has_figure: bool
    has_series: bool


def present(study: Study) -> ReportView:
    """Return what is shown of the report of a study."""
    recipe, reported = study.report, study.reported_curve
    subjects = [(f"{study.find_series(curve.series).name} · {curve.name}", curve.id) for curve in study.curves]
    subjects.append(("All fits, and all else" if study.curves else "All that the study holds", ALL))
    return ReportView(
        recipe,
        tuple(subjects),
        ALL if recipe.fits == "all" or reported is None else reported.id,
        bool(study.series or study.functions or study.polynomials),
        bool(with_figures(study)),
        bool(study.series),
    )
