"""The sections that a report can have, in their order. A new one is a file beside this and an entry here."""

from __future__ import annotations

from collections.abc import Sequence

from vettore.report.sections.areas import AREAS
from vettore.report.sections.aside import ASIDE
from vettore.report.sections.between import BETWEEN
from vettore.report.sections.budgets import BUDGETS
from vettore.report.sections.checks import CHECKS
from vettore.report.sections.coefficients import COEFFICIENTS
from vettore.report.sections.compared import COMPARED_FITS
from vettore.report.sections.entry import Entry
from vettore.report.sections.equations import EQUATIONS
from vettore.report.sections.figure import FIGURE
from vettore.report.sections.goodness import GOODNESS
from vettore.report.sections.method import METHOD
from vettore.report.sections.multiples import MULTIPLES
from vettore.report.sections.overview import OVERVIEW
from vettore.report.sections.peaks import PEAKS_SECTION
from vettore.report.sections.polynomials import POLYNOMIALS
from vettore.report.sections.quantities import QUANTITIES
from vettore.report.sections.readings import READINGS
from vettore.report.sections.repeat import REPEAT
from vettore.report.sections.rows import ROWS
from vettore.report.sections.source import SOURCE
from vettore.report.sections.summary import SUMMARY
from vettore.report.sections.surfaces import SURFACES
from vettore.report.sections.working import WORKING

SECTIONS: tuple[Entry, ...] = (
    SUMMARY,
    OVERVIEW,
    MULTIPLES,
    SOURCE,
    FIGURE,
    PEAKS_SECTION,
    COEFFICIENTS,
    QUANTITIES,
    GOODNESS,
    CHECKS,
    COMPARED_FITS,
    READINGS,
    BUDGETS,
    BETWEEN,
    AREAS,
    EQUATIONS,
    POLYNOMIALS,
    SURFACES,
    ASIDE,
    METHOD,
    WORKING,
    REPEAT,
    ROWS,
)


def arranged(order: Sequence[str]) -> tuple[Entry, ...]:
    """Return the sections as a study orders them; those that it does not name follow the one they usually follow."""
    by_key = {entry.key: entry for entry in SECTIONS}
    keys = list(dict.fromkeys(key for key in order if key in by_key))
    for place, entry in enumerate(SECTIONS):
        if entry.key not in keys:
            before = SECTIONS[place - 1].key if place else None
            keys.insert(0 if before is None else keys.index(before) + 1, entry.key)
    return tuple(by_key[key] for key in keys)
