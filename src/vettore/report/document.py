"""A study's report as a document of neutral blocks: one chapter about its fit, or one for each and one about the rest."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from datetime import date

from vettore import __version__
from vettore.core.errors import DataError, Fault, VettoreError
from vettore.core.rounding import NumberStyle
from vettore.report.blocks import Attachment, Block, Chapter, Document, Figure, Paragraph, Section, Table
from vettore.report.notes import note_blocks
from vettore.report.sections.entry import Entry, FitSubject, Subject
from vettore.report.sections.listed import SECTIONS, arranged
from vettore.study.derive import derive_fit
from vettore.study.kinds.fits import AnyFit
from vettore.study.plain_texts import with_plain_texts
from vettore.study.study import Study


def report_document(study: Study, today: date | None = None, attachment: Attachment | None = None) -> Document:
    """Return the report of a study. Raises DataError when it holds nothing that could be reported."""
    study = with_plain_texts(study)
    recipe, curve = study.report, study.reported_curve
    if not study.series and not study.functions and not study.polynomials:
        raise DataError(
            "The study is empty. Bring in data, or keep a function or a polynomial; the report is about them.",
            Fault.NOTHING,
        )
    style = style_of(study)
    entries = arranged(recipe.order)
    day = (today or date.today()).strftime("%-d %B %Y")
    sheets: tuple[Section, ...] = ()
    if curve is not None and recipe.fits == "one":
        subject = fit_subject(study, curve, style)
        chapters: tuple[Chapter, ...] = (Chapter("", tuple(_sections(study, entries, subject))),)
        sheets = tuple(_sheets(subject))
        name, about = f"{subject.fit.name}: {subject.fit.series.name}", [subject.fit.series.name]
    else:
        pairs = [_chapter(study, fit, style) for fit in study.curves]
        whole = Subject(study, study.series, style)
        rest = tuple(_sections(study, [entry for entry in entries if entry.of_study], whole))
        chapters = (*(chapter for chapter, _ in pairs), *([Chapter("The study", rest)] if rest else []))
        sheets = tuple(sheet for _, some in pairs for sheet in some)
        if len(chapters) == 1:
            chapters = (replace(chapters[0], title=""),)
        name, about = study.title or "Report", []
    return Document(
        title=recipe.title or name,
        subtitle=" · ".join([*filter(None, [study.title if study.title != name else ""]), *about, day]),
        note=recipe.note,
        chapters=tuple(_numbered(chapters)),
        footer=f"Written with Vettore {__version__} on {day}",
        paper=recipe.paper,
        dark=recipe.dark,
        sheets=sheets,
        attachment=attachment,
    )


def style_of(study: Study) -> NumberStyle:
    """Return how the report of a study writes numbers and units."""
    return NumberStyle(study.report.decimal_mark, study.report.simple_units)


def fit_subject(study: Study, curve: AnyFit, style: NumberStyle) -> FitSubject:
    """Return what sections about a fit are made from. Raises VettoreError when it has no answer."""
    fit = derive_fit(study, curve.id)
    return FitSubject(study, (fit.series,), style, curve, fit)


def _chapter(study: Study, curve: AnyFit, style: NumberStyle) -> tuple[Chapter, tuple[Section, ...]]:
    title = f"{curve.name}: {study.find_series(curve.series).name}"
    try:
        subject = fit_subject(study, curve, style)
    except VettoreError as error:
        return Chapter(title, (Section("summary", "", (Paragraph(str(error)),)),)), ()
    entries = [entry for entry in arranged(study.report.order) if entry.of_fit]
    title = f"{subject.fit.name}: {subject.fit.series.name}"
    return Chapter(title, tuple(_sections(study, entries, subject))), tuple(_sheets(subject))


def _sections(study: Study, entries: Iterable[Entry], subject: Subject) -> Iterable[Section]:
    of_one_fit = isinstance(subject, FitSubject)
    titles, notes = dict(study.report.titles), dict(study.report.notes)
    for entry in entries:
        if entry.key in study.report.left_out or entry.sheets or (entry.overview and of_one_fit):
            continue
        blocks = _blocks(entry, subject)
        if blocks:
            title = titles.get(entry.key) or (entry.name if entry.title is None else entry.title)
            yield Section(entry.key, title, (*note_blocks(notes.get(entry.key, "")), *blocks), entry.whole)


def _sheets(subject: FitSubject) -> Iterable[Section]:
    for entry in SECTIONS:
        if entry.sheets:
            yield Section(entry.key, f"{entry.name} of {subject.fit.name}", _blocks(entry, subject))


def _blocks(entry: Entry, subject: Subject) -> tuple[Block, ...]:
    if entry.of_fit is not None:
        assert isinstance(subject, FitSubject)
        return entry.of_fit(subject)
    assert entry.of_study is not None
    return entry.of_study(subject)


def _numbered(chapters: Iterable[Chapter]) -> Iterable[Chapter]:
    """Number figures, and tables that have words of their own, through all chapters."""
    counts = {Figure: 0, Table: 0}

    def numbered(block: Block) -> Block:
        if isinstance(block, (Figure, Table)) and block.caption:
            counts[type(block)] += 1
            name = type(block).__name__
            return replace(block, caption=f"{name} {counts[type(block)]}. {block.caption}")
        return block

    for chapter in chapters:
        sections = [
            replace(part, blocks=tuple(numbered(block) for block in part.blocks)) for part in chapter.sections
        ]
        yield replace(chapter, sections=tuple(sections))
