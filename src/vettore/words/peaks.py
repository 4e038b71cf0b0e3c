"""Peaks in words."""

from __future__ import annotations

from vettore.core.peaks.one_more import PeakMore
from vettore.core.peaks.peak import NUMBERS
from vettore.core.peaks.result import PeaksFit
from vettore.core.peaks.search import PERHAPS
from vettore.core.remarks import counted, listed
from vettore.core.rounding import NumberStyle
from vettore.study.fitting.fits import DerivedFit
from vettore.study.fitting.quantities import unit_of
from vettore.study.kinds.peaks_fit import PeaksRecipe
from vettore.study.peaks_and_points import TwoAreas, differing
from vettore.study.study import Study


def more_in_words(more: PeakMore, style: NumberStyle) -> str:
    """Say what a peak more would gain: ``one more here would gain 0.4 %, no more than chance``."""
    percent = style.number(100 * more.gain, 2)
    if more.is_told:
        return f"one more here would take {percent} % of the sum of squares"
    return f"one more here would gain {percent} %, no more than chance"


COUNTS = ("", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve")
ORDINALS = (
    "",
    "first",
    "second",
    "third",
    "fourth",
    "fifth",
    "sixth",
    "seventh",
    "eighth",
    "ninth",
    "tenth",
    "eleventh",
)


def spelled(name: str) -> str:
    """Return a name as ``3 peaks on a slope`` with its number as a word."""
    number, _, rest = name.partition(" ")
    return f"{COUNTS[int(number)]} {rest}" if number.isdigit() and int(number) < len(COUNTS) else name


def number_in_words(fit: DerivedFit) -> str:
    """Say how many peaks there are, and whether their number was found."""
    if fit.peaks is None or not isinstance(fit.recipe, PeaksRecipe):
        return ""
    return f"{counted(fit.peaks.count, 'peak')}, number {'found' if fit.recipe.count is None else 'given'}"


def search_in_words(fit: DerivedFit) -> str:
    """Say how peaks were found before they were fitted."""
    if not isinstance(fit.recipe, PeaksRecipe):
        return ""
    begun = "one at a time, each where most is gained, all refined together"
    if fit.recipe.places:
        begun = "from places that were given, all refined together"
    many = "" if fit.recipe.count is not None else ", as many as chance would not have made (F test)"
    return f"Peaks found without starting values: {begun}{many}."


def another_in_words(peaks: PeaksFit) -> str:
    """Say that one more was tried and gains no more than chance; empty where that is not so."""
    more = next((tried for tried in peaks.candidates if tried.count == peaks.count + 1), None)
    if more is None or more.p is None or more.p < PERHAPS:
        return ""
    ordinal = ORDINALS[peaks.count + 1] if peaks.count + 1 < len(ORDINALS) else f"{peaks.count + 1}th"
    return f"A{'n' if ordinal[0] in 'e' else ''} {ordinal} would gain no more than chance."


def both_areas_in_words(both: TwoAreas, unit: str, style: NumberStyle) -> str:
    """Say what fitted peaks have beside the points, as ``peak 2: 10.884 ± 0.038 nm, 15 % more; a cut between …``."""
    named = f"peak{'s' if len(both.numbers) > 1 else ''} {listed(map(str, both.numbers))}"
    pair = style.pair(both.fitted, both.standard_error, unit)
    if both.why is None or not both.points:
        return f"{named}: {pair}, which agrees" if both.why is None else f"{named}: {pair}; {both.why}"
    share = 100 * (both.fitted / both.points - 1)
    return f"{named}: {pair}, {style.number(abs(share), 2)} % {'more' if share > 0 else 'less'}; {both.why}"


def beside_points(fit: DerivedFit, study: Study, style: NumberStyle) -> tuple[str, ...]:
    """Return sentences on kept areas of points that differ from those of the fitted peaks."""
    if fit.peaks is None:
        return ()
    unit = unit_of(fit.series, "area")
    return tuple(
        f"The points between kept limits have {style.number(both.points, 4)} {unit}".strip()
        + f"; fitted, {both_areas_in_words(both, unit, style)}."
        for both in differing(study, fit.series)
    )


def peaks_in_full(fit: DerivedFit, peaks: PeaksFit) -> list[list[str]]:
    """Return the table of peaks with all digits, under headings with units."""
    head = ["peak"]
    for name in NUMBERS:
        unit = unit_of(fit.series, name)
        called = f"{name} ({unit})" if unit else name
        head += [called, f"± {name}", f"{name} from", f"{name} to"]
    rows = [[*head, "share", "signal to noise", "resolution"]]
    for peak in peaks.peaks:
        numbers = [getattr(peak, name) for name in NUMBERS]
        cells = [value for of in numbers for value in (of.value, of.standard_error, of.low, of.high)]
        cells += [peak.share, peak.signal_to_noise, peak.resolution]
        rows.append([str(peak.number), *("" if value is None else repr(value) for value in cells)])
    return rows
