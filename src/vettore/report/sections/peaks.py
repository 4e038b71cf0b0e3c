"""The peaks of a fit, each with its numbers, and what to be wary of."""

from __future__ import annotations

from vettore.core.peaks.peak import NUMBERS
from vettore.core.remarks import counted
from vettore.core.rounding import NumberStyle
from vettore.report.blocks import Block, Cell, Number, Paragraph, Table
from vettore.report.sections.entry import Entry, FitSubject
from vettore.study.fitting.quantities import unit_of
from vettore.words.fits import weights_in_words


def _blocks(subject: FitSubject) -> tuple[Block, ...]:
    fit, style = subject.fit, subject.style
    if fit.peaks is None:
        return ()
    headings = ["Peak"]
    for name in NUMBERS:
        unit = style.unit(unit_of(fit.series, name))
        headings += [f"{name.capitalize()} ({unit})" if unit else name.capitalize(), "±"]
    rows = []
    for peak in fit.peaks.peaks:
        cells: list[Cell] = [str(peak.number)]
        for name in NUMBERS:
            cells += _cells(getattr(peak, name).value, getattr(peak, name).standard_error, style)
        share = Number(f"{style.fixed(100 * peak.share, 1)} %", peak.share)
        rows.append((*cells, share, _number(peak.signal_to_noise, style), _number(peak.resolution, style)))
    heads = (*headings, "Share", "Signal to noise", "Resolution")
    caption = (
        f"{counted(fit.peaks.count, 'peak')} ({fit.peaks.shape.called}); {weights_in_words(fit.result)}. Width is the full "
        "width at half of the height above the background; resolution is that to the next peak."
    )
    table = Table(heads, tuple(rows), words=(0,), caption=caption)
    return (table, *(Paragraph(remark.sentence) for remark in fit.peaks.remarks))


def _cells(value: float, error: float | None, style: NumberStyle) -> list[Cell]:
    shown, spread = style.with_error(value, error)
    return [Number(shown, value), "—" if error is None else Number(spread, error)]


def _number(value: float | None, style: NumberStyle) -> Cell:
    return "—" if value is None else Number(style.number(value, 3), value)


PEAKS_SECTION = Entry("peaks", "Peaks", of_fit=_blocks)
