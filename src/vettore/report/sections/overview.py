"""The series of a study, and a figure of each that no fit shows."""

from __future__ import annotations

from vettore.report.blocks import Block, Number, Table
from vettore.report.sections.entry import Entry, Subject
from vettore.study.series import Role


def _blocks(subject: Subject) -> tuple[Block, ...]:
    rows = []
    for series in subject.series:
        used = int(series.in_use.sum())
        cells = (series.name, Number(str(used), used), series.label(Role.X) or "—", series.label(Role.Y) or "—")
        rows.append((*cells, series.table.full_source.name or "typed in"))
    if not rows:
        return ()
    table = Table(("Series", "Rows in use", "x", "y", "From"), tuple(rows), words=(0, 2, 3, 4))
    bare = [series for series in subject.series if subject.has_figure_in("series", series)]
    return (table, *(subject.figure(series.id) for series in bare))


OVERVIEW = Entry("series", "Series", of_study=_blocks, whole=False, overview=True)
