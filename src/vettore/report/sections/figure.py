"""Data, curve and residuals."""

from __future__ import annotations

from vettore.report.blocks import Block, Figure
from vettore.report.figures import fit_figure
from vettore.report.sections.entry import Entry, Subject
from vettore.study.fits import DerivedFit
from vettore.study.series import Role


def _blocks(subject: Subject) -> tuple[Block, ...]:
    return (Figure(lambda kind: fit_figure(subject.fit, subject.style, kind), _caption(subject.fit)),)


def _caption(fit: DerivedFit) -> str:
    band = f", {fit.result.level:.0%} band of the curve".replace("%", " %") if fit.result.residual_sd else ""
    aside = " Open discs are set aside." if fit.series.set_aside else ""
    y = fit.series.column(Role.Y)
    return f"Measured {y.name if y else 'y'} (discs) and fitted {fit.recipe.name.lower()} (line{band}); residuals below.{aside}"


FIGURE = Entry("figure", "Figure", _blocks, title="")
