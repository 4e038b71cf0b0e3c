"""Rows that were set aside, and why."""

from __future__ import annotations

from vettore.report.blocks import Block, Table
from vettore.report.sections.entry import Entry, FitSubject
from vettore.study.series import Role


def _blocks(subject: FitSubject) -> tuple[Block, ...]:
    series, style = subject.fit.series, subject.style
    x, y = series.values(Role.X), series.values(Role.Y)
    rows = []
    for entry in series.set_aside:
        values = (style.short(float(v[entry.row])) if v is not None else "—" for v in (x, y))
        rows.append((str(entry.row + 1), *values, entry.reason or "no reason given"))
    return (Table(("Row", "x", "y", "Reason"), tuple(rows), words=(3,)),) if rows else ()


ASIDE = Entry("aside", "Rows set aside", of_fit=_blocks)
