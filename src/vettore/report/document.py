"""A study's report as a document of neutral blocks."""

from __future__ import annotations

from datetime import date

from vettore import __version__
from vettore.core.errors import DataError
from vettore.core.rounding import NumberStyle
from vettore.report.blocks import Document, Section
from vettore.report.sections.entry import Subject
from vettore.report.sections.listed import SECTIONS
from vettore.study.derive import derive_fit
from vettore.study.study import Study


def report_document(study: Study, today: date | None = None) -> Document:
    """Return the report of a study. Raises DataError when there is no fit to report."""
    recipe, curve = study.report, study.reported_curve
    if curve is None:
        raise DataError("The study holds no fit yet. Fit a model first; the report is about it.")
    subject = Subject(study, curve, derive_fit(study, curve.id), NumberStyle(recipe.decimal_mark))
    day = (today or date.today()).strftime("%-d %B %Y")
    sections = []
    for entry in SECTIONS:
        blocks = () if entry.key in recipe.left_out else entry.blocks(subject)
        if blocks:
            sections.append(
                Section(entry.key, entry.name if entry.title is None else entry.title, blocks, entry.whole)
            )
    series = subject.fit.series.name
    return Document(
        title=recipe.title or f"{curve.name}: {series}",
        subtitle=f"{study.title} · {series} · {day}",
        note=recipe.note,
        sections=tuple(sections),
        footer=f"Written with Vettore {__version__} on {day}",
        paper=recipe.paper,
    )
