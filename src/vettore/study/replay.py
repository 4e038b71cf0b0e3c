"""The same work on new data: the columns of a new table are found for a series, and all that it carried is done again.

A column is found by its name; by its name but for case, blanks and underscores; by its unit, where one column of numbers
alone has it; or by its place, where that is asked for. Units that differ are converted, or refused: a value in V is never
taken for one in mV.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Literal

from vettore.core.errors import DataError, Fault, VettoreError
from vettore.core.fitting.noises.listed import NOISES
from vettore.core.formula.formula import read_expression, read_formula
from vettore.core.formula.tree import names
from vettore.core.units import conversion
from vettore.study import edits, parts
from vettore.study.columns import column_names
from vettore.study.derive import derive_fit
from vettore.study.fitting.peaks import expecting
from vettore.study.fitting.systems import columns_named
from vettore.study.kinds.fit import Fit
from vettore.study.kinds.peaks_fit import PeaksRecipe
from vettore.study.kinds.surface import SurfaceRecipe
from vettore.study.series import Role, Series
from vettore.study.study import Study
from vettore.study.table import RawColumn, Table

Match = Literal["by-name", "by-place"]
NEEDED = (Role.X, Role.Y, Role.Z)


class MatchedBy(StrEnum):
    """How a column of the new data was found."""

    NAME = "name"
    SPELLING = "spelling"
    UNIT = "unit"
    PLACE = "place"
    CHOSEN = "chosen"


WAYS: dict[Match, tuple[MatchedBy, ...]] = {
    "by-name": (MatchedBy.CHOSEN, MatchedBy.NAME, MatchedBy.SPELLING, MatchedBy.UNIT),
    "by-place": (MatchedBy.CHOSEN, MatchedBy.PLACE),
}


@dataclass(frozen=True)
class Pairing:
    """A column of the study, by the name it came with, and the column of the new table for it (None: left out).

    ``conversion`` are factor and offset that turn the new values into the unit of the old.
    """

    wanted: str
    number: int | None
    how: MatchedBy | None
    needed: bool
    conversion: tuple[float, float] = (1.0, 0.0)


def pairings(
    study: Study,
    series: Series,
    table: Table,
    match: Match = "by-name",
    chosen: dict[str, str] | None = None,
    strict: bool = True,
) -> tuple[Pairing, ...]:
    """Return for each column that a series came with the column of a new table; ``chosen`` names some by hand.

    Raises DataError when a column that is needed is not there, or its unit measures something else, unless not ``strict``.
    """
    needed = _needed(study, series)
    there = list(table.columns)
    used: set[int] = set()
    out: dict[int, Pairing] = {}
    wanted = [
        (place, settings.raw, series.table.columns[settings.raw])
        for place, settings in enumerate(series.columns)
        if settings.raw is not None
    ]
    for how in WAYS[match]:
        for place, raw, column in wanted:
            if place in out:
                continue
            number = _candidate(how, column, raw, there, used, chosen or {})
            if number is not None:
                used.add(number)
                factors = _conversion(column, there[number]) if strict else (1.0, 0.0)
                out[place] = Pairing(column.name, number, how, place in needed, factors)
    answer = []
    for place, _, column in wanted:
        if place not in out and place in needed and strict:
            names_there = ", ".join(other.name for other in there) or "none"
            raise DataError(
                f"The new data have no column “{column.name}”, which is needed as {series.columns[place].role}. Their "
                f"columns are: {names_there}.",
                Fault.NO_SUCH_NAME,
                column=column.name,
            )
        answer.append(out.get(place, Pairing(column.name, None, None, place in needed)))
    return tuple(answer)


def _candidate(
    how: MatchedBy, column: RawColumn, raw: int, there: list[RawColumn], used: set[int], chosen: dict[str, str]
) -> int | None:
    free = [place for place in range(len(there)) if place not in used]
    match how:
        case MatchedBy.CHOSEN:
            fits = [place for place in free if there[place].name == chosen.get(column.name)]
        case MatchedBy.NAME:
            fits = [place for place in free if there[place].name == column.name]
        case MatchedBy.SPELLING:
            fits = [place for place in free if _spelled(there[place].name) == _spelled(column.name)]
        case MatchedBy.UNIT:
            fits = [place for place in free if column.unit and there[place].unit == column.unit]
            # One of several would be a guess.
            fits = fits if len(fits) == 1 and there[fits[0]].texts is None else []
        case MatchedBy.PLACE:
            fits = [raw] if raw in free else []
    return fits[0] if fits else None


def _spelled(name: str) -> str:
    return "".join(name.casefold().replace("_", " ").replace("-", " ").split())


def _conversion(old: RawColumn, new: RawColumn) -> tuple[float, float]:
    if not old.unit or not new.unit or old.unit == new.unit or new.texts is not None:
        return (1.0, 0.0)
    try:
        return conversion(new.unit, old.unit)
    except DataError as error:
        raise DataError(
            f"{new.name} is in {new.unit} in the new data and in {old.unit} in the study. {error}",
            Fault.UNITS,
            column=new.name,
        ) from None


def _needed(study: Study, series: Series) -> set[int]:
    """Return the places of the columns without which the work on a series cannot be done again."""
    wanted = {place for place, column in enumerate(series.columns) if column.role in NEEDED}
    users = [*study.curves_of(series.id), study.interpolant_of(series.id)]
    in_x = (("use_x_errors", role) for role in (Role.X_ERROR, Role.CORRELATION))
    for used, role in (("use_errors", Role.Y_ERROR), *in_x):
        if any(getattr(user, used, False) for user in users):
            wanted |= {place for place, column in enumerate(series.columns) if column.role is role}
    for name in {NOISES[user.noise].column for user in users if isinstance(user, Fit)} - {""}:
        wanted |= {place for place, column in enumerate(series.columns) if column.role is Role[name.upper()]}
    by_name = {column.name: place for place, column in enumerate(series.columns)}
    known = column_names(series.columns)
    texts: set[str] = set()
    for curve in study.curves_of(series.id):
        if curve.formula:
            read = read_formula(curve.formula, known)
            texts |= {*read.data, *read.measured}
    for recipe in study.all(SurfaceRecipe):
        if recipe.series == series.id:
            texts |= {recipe.x, recipe.y, recipe.z}
    for equations in study.equations_of(series.id):
        texts |= columns_named(series, equations)
    wanted |= {by_name[name] for name in texts if name in by_name}
    for _ in series.columns:
        for place in [*wanted]:
            formula = series.columns[place].formula
            if series.columns[place].raw is None and formula:
                try:
                    wanted |= {by_name[name] for name in names(read_expression(formula, known)) if name in by_name}
                except VettoreError:
                    continue
    return wanted


def paired_table(series: Series, table: Table, result: Iterable[Pairing]) -> Table:
    """Return the new table with its columns under the names, and in the units, that the series knows."""
    columns = []
    old = {column.name: column for column in series.table.columns}
    for pairing in result:
        if pairing.number is None:
            continue
        new, known = table.columns[pairing.number], old[pairing.wanted]
        if known.texts is None and new.texts is not None:
            sample = next((text for text in new.texts if text.strip()), "")
            raise DataError(
                f"{new.name} holds words, as “{sample[:40]}”, where numbers are needed.",
                Fault.BAD_ROWS,
                column=new.name,
            )
        factor, offset = pairing.conversion
        values = new.values
        if (factor, offset) != (1.0, 0.0):
            values = values * factor + offset
        columns.append(replace(new, name=known.name, unit=known.unit or new.unit, values=values))
    return Table(tuple(columns), table.source, table.late_digest)


def replayed(
    study: Study,
    tables: Sequence[Table],
    match: Match = "by-name",
    only: str = "",
    chosen: dict[str, str] | None = None,
) -> tuple[Study, tuple[str, ...]]:
    """Return the study with new tables under its series, and the ids of those that found their columns.

    A series that nothing was worked out of stays as it is. Raises DataError when no series finds its columns; the reason is
    that of the series that the report is about.
    """
    targets = [series for series in study.series if _carries(study, series)] or list(study.series)
    if only:
        targets = [series for series in targets if only in (series.id, series.name)]
        if not targets:
            names = ", ".join(series.name for series in study.series)
            raise DataError(
                f"The study has no series “{only}” with work on it. Its series are: {names}.", Fault.NO_SUCH_NAME
            )
    elif match == "by-place" and study.reported_curve is not None:
        # Any table has first and second columns: by place only the series of the report is meant.
        targets = [study.find_series(study.reported_curve.series)]
    reported = study.reported_curve
    # What is refused is said of the series that the report is about.
    targets.sort(key=lambda series: reported is None or series.id != reported.series)
    reasons, done = [], []
    for series in targets:
        expected = _expecting(study, series)
        for table in tables:
            try:
                result = pairings(study, series, table, match, chosen)
                made_of = paired_table(series, table, result)
                study = edits.renew_series(_without_missing(expected, series, result), series.id, made_of)
            except VettoreError as error:
                reasons.append(error)
                continue
            done.append(series.id)
            break
    if not done:
        if reasons:
            raise reasons[0]
        raise DataError(
            "There is nothing to do again: the study holds no series, or the file no table.", Fault.NOTHING
        )
    return study, tuple(done)


def _expecting(study: Study, series: Series) -> Study:
    """Return the study whose peaks of a series keep the numbers that they have now, wherever new data have them."""
    for curve in study.curves_of(series.id):
        if isinstance(curve, PeaksRecipe) and not curve.expected:
            try:
                study = parts.change(study, expecting(curve, derive_fit(study, curve.id)))
            except VettoreError:
                # Where none are told now, any may be.
                continue
    return study


def _without_missing(study: Study, series: Series, result: Iterable[Pairing]) -> Study:
    """Return the study without the roles of columns that the new data lack and nothing needs, as a ± that no fit uses."""
    lacking = {pairing.wanted for pairing in result if pairing.number is None}
    columns = tuple(
        replace(column, role=Role.CARRIED)
        if column.raw is not None
        and series.table.columns[column.raw].name in lacking
        and column.role is not Role.TEXT
        else column
        for column in series.columns
    )
    return parts.change(study, series.changed(columns=columns))


def _carries(study: Study, series: Series) -> bool:
    return any(series.id in part.refers_to() for part in study.parts if not isinstance(part, Series))
