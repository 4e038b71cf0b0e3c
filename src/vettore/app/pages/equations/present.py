"""The Equations page as a view of its state and of what is known: pure, without widgets."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from vettore.app.pages.equations.derived import TriedScheme, weights_of
from vettore.app.pages.equations.state import EquationsState
from vettore.app.strip.chip import Chip
from vettore.core.arrays import Array, Mask, Rows
from vettore.core.curve import Curve
from vettore.core.errors import FormulaError
from vettore.core.fitting.coefficients import Coefficient
from vettore.core.formula.derivative import derivative
from vettore.core.formula.tree import Name, Number
from vettore.core.remarks import listed
from vettore.core.rounding import NumberStyle
from vettore.core.systems.read import read_system
from vettore.core.systems.typeset import equation_lines, measured_line, reaction_lines
from vettore.core.typesetting.typeset import Row
from vettore.study.fitting.systems import DerivedSystem, DrawnCurve, measurable, name_of
from vettore.study.kinds.equations import EquationsRecipe
from vettore.study.series import Series
from vettore.study.study import Study
from vettore.words.lines import Line
from vettore.words.systems import (
    coefficient_lines,
    column_lines,
    conserved_words,
    doubts_of,
    notes_of,
    reading_lines,
    sentence_of,
)

NOTHING = np.empty(0)
NO_SERIES = "Bring in data first: a column that runs, such as time, and columns that were measured along it."
NO_COLUMNS = "Equations need a column that runs, such as time, and at least one that was measured along it."
# A scheme this share as likely as the best is as good.
AS_GOOD = 0.1
# The states that no column shows stand together under this key.
UNSEEN = "\0unseen"


@dataclass(frozen=True, eq=False)
class PlotView:
    """One plot of the stage: rows (n,) with those set aside marked, and the curves through them by name."""

    key: str
    title: str
    x: Array = field(default_factory=lambda: NOTHING)
    y: Array = field(default_factory=lambda: NOTHING)
    rows: Rows = field(default_factory=lambda: np.empty(0, dtype=np.intp))
    aside: Mask = field(default_factory=lambda: np.empty(0, dtype=bool))
    curves: tuple[tuple[str, DrawnCurve], ...] = ()
    residuals: tuple[Array, Array, Rows] | None = None


@dataclass(frozen=True, eq=False)
class SchemeCard:
    """A scheme on its card: its curve through the column in front and its share of the evidence, or why it has none.

    ``equal`` says that it is as good as the best.
    """

    key: str
    name: str
    curve: Curve | None
    share: float
    refusal: str
    equal: bool


@dataclass(frozen=True, eq=False)
class ReadingLine:
    """A kept reading: its place among them, what was asked and what it says."""

    place: int
    line: Line


@dataclass(frozen=True)
class Grip:
    """A coefficient that moves the curve in front at a place up by as much as it grows: what it begins with, or its level."""

    name: str
    x: float
    y: float
    words: str


@dataclass(frozen=True, eq=False)
class BenchView:
    """What was written, as it is read: typeset lines and a remark, or where it is wrong."""

    lines: tuple[Row, ...] = ()
    remark: str = ""
    is_wrong: bool = False
    at: int | None = None

    @property
    def can_fit(self) -> bool:
        """Whether there is something to fit."""
        return bool(self.lines) and not self.is_wrong


@dataclass(frozen=True, eq=False)
class EquationsView:
    """All that the page shows."""

    series: Series | None
    recipe: EquationsRecipe | None
    invites: str = ""
    numbers_of: tuple[str, ...] = ()
    columns: tuple[tuple[str, bool], ...] = ()
    over: str = ""
    kept: tuple[tuple[str, str, bool], ...] = ()
    cards: tuple[SchemeCard, ...] = ()
    card_points: tuple[Array, Array] = (NOTHING, NOTHING)
    x_title: str = ""
    plots: tuple[PlotView, ...] = ()
    system: DerivedSystem | None = None
    strip: Row | None = None
    chips: Mapping[str, Chip] = field(default_factory=dict)
    grips: tuple[Grip, ...] = ()
    refusal: str = ""
    sentence: str = ""
    coefficients: tuple[tuple[Coefficient, str, str], ...] = ()
    numbers: tuple[Line, ...] = ()
    doubts: tuple[str, ...] = ()
    notes: tuple[str, ...] = ()
    readings: tuple[ReadingLine, ...] = ()
    status: tuple[str, ...] = ()


def present(
    study: Study,
    state: EquationsState,
    system: DerivedSystem | None,
    refusal: str,
    tried: tuple[TriedScheme, ...],
    style: NumberStyle,
) -> EquationsView:
    """Return what the page shows."""
    series = next((each for each in study.series if each.id == state.series), None)
    if series is None:
        return EquationsView(None, None, NO_SERIES)
    recipe = state.recipe(study)
    over = state.over(study, series)
    names = measurable(series, over)
    if not names or series.place_of(over) is None:
        return EquationsView(series, recipe, NO_COLUMNS)
    plots = _plots(series, over, names, recipe, system, state)
    telling = telling_column(tried) or (plots[0].key if plots else "")
    points = _points(series, over, telling) if telling in names else PlotView("", "")
    base = EquationsView(
        series,
        recipe,
        numbers_of=tuple(series.numbers()),
        columns=tuple((name, name not in state.left_out) for name in names),
        over=over,
        kept=_kept(study, series, recipe),
        cards=_cards(tried, telling),
        card_points=(points.x, points.y),
        x_title=series.label_of(over),
        plots=plots,
        refusal=refusal,
    )
    return base if system is None else _with_system(base, system, style)


def _kept(study: Study, series: Series, recipe: EquationsRecipe | None) -> tuple[tuple[str, str, bool], ...]:
    """Return the systems that are kept of a series: their ids, names, and which is shown."""
    chosen = recipe.id if recipe is not None else ""
    return tuple((each.id, name_of(each), each.id == chosen) for each in study.equations_of(series.id))


def _with_system(view: EquationsView, system: DerivedSystem, style: NumberStyle) -> EquationsView:
    result = system.result
    front = view.plots[0].key if view.plots and view.plots[0].key in system.measured else system.measured[0]
    coefficients = tuple(
        (entry, line.text, style.interval(entry.low, entry.high, entry.standard_error))
        for entry, line in zip(result.coefficients.values(), coefficient_lines(system, style), strict=True)
    )
    kept = tuple(Line("never changes", text) for text in conserved_words(result.conserved, style))
    return replace(
        view,
        system=system,
        strip=measured_line(result.system, front),
        chips=chips_of(system, None, style),
        grips=grips_of(system, front),
        sentence=sentence_of(system, style),
        coefficients=coefficients,
        numbers=(*column_lines(system, style), *kept),
        doubts=doubts_of(system),
        notes=notes_of(system),
        readings=tuple(ReadingLine(place, line) for place, line, _ in reading_lines(system, style)),
        status=(
            f"{result.n} numbers",
            f"over {system.over}",
            "rates by LSODA" if result.system.states else "least squares",
        ),
    )


def chips_of(system: DerivedSystem, shaped: Mapping[str, float] | None, style: NumberStyle) -> dict[str, Chip]:
    """Return the chip of each coefficient, with the value that a hand gave it."""
    chips = {}
    for name, entry in system.result.coefficients.items():
        unit = style.unit(system.unit_of(name))
        value, error = style.with_error(entry.value, entry.standard_error)
        number, known = entry.value, "" if entry.standard_error is None else error
        if shaped is not None and shaped.get(name, entry.value) != entry.value:
            number, known = shaped[name], ""
            value = style.number(number, 5)
        step = max(abs(entry.value) * 0.005, (entry.standard_error or 0.0) * 0.1) or 0.01
        text = f"{value} {unit}".strip()
        spoken = f"{name} is {text}, {'held' if entry.held else f'± {error}'}"
        chips[name] = Chip(text, known, number, step, entry.held, entry.at_limit, spoken)
    return chips


def grips_of(system: DerivedSystem, front: str) -> tuple[Grip, ...]:
    """Return what can be pulled on the curve of a measured column."""
    read, curve = system.result.system, system.drawn[front]
    free = system.result.fitted_names
    grips = []
    for state in read.states:
        if state.name == front and isinstance(state.initial, Name) and state.initial.name in free:
            name = state.initial.name
            grips.append(Grip(name, read.start, system.result.values[name], f"{name}, where {front} begins"))
    right = next(entry.right for entry in read.measured if entry.name == front)
    for name in free:
        if derivative(right, name) == Number(1.0):
            grips.append(Grip(name, float(curve.x[-1]), float(curve.y[-1]), f"{name}, a level"))
    return tuple(grips)


def _plots(
    series: Series,
    over: str,
    names: tuple[str, ...],
    recipe: EquationsRecipe | None,
    system: DerivedSystem | None,
    state: EquationsState,
) -> tuple[PlotView, ...]:
    """Return the plots, the one in front first: what is measured, and the states that are not."""
    shown = system.measured if system is not None else tuple(name for name in names if name not in state.left_out)
    plots = []
    for name in shown:
        if system is None and name in names:
            plots.append(_points(series, over, name))
        elif system is not None:
            plots.append(_measured(series, system, name))
    plots.sort(key=lambda plot: plot.key != state.front)
    if system is not None and recipe is not None and recipe.shows_states and system.unseen:
        curves = tuple((name, system.drawn[name]) for name in system.unseen)
        units = {system.unit_of(name) for name in system.unseen}
        unit = units.pop() if len(units) == 1 else ""
        title = system.unseen[0] if len(system.unseen) == 1 else "unseen"
        plots.append(PlotView(UNSEEN, f"{title} ({unit})" if unit else title, curves=curves))
    return tuple(plots)


def _points(series: Series, over: str, name: str) -> PlotView:
    x, y = (series.data[series.place_of(which) or 0].values for which in (over, name))
    rows = np.flatnonzero(np.isfinite(x) & np.isfinite(y))
    return PlotView(name, series.label_of(name), x[rows], y[rows], rows, ~series.kept[rows])


def _measured(series: Series, system: DerivedSystem, name: str) -> PlotView:
    time, y, rows = system.rows_of(name)
    residuals = (time, system.result.residuals[name], rows)
    curves = ((name, system.drawn[name]),)
    unit = system.unit_of(name)
    title = f"{name} ({unit})" if unit else name
    if series.place_of(name) is None:
        # A transform, such as ln(y).
        return PlotView(name, title, time, y, rows, np.zeros(len(rows), dtype=bool), curves, residuals)
    points = _points(series, system.over, name)
    return PlotView(name, title, points.x, points.y, points.rows, points.aside, curves, residuals)


def telling_column(tried: tuple[TriedScheme, ...]) -> str:
    """Return the column in which schemes differ most, beside its span; "" before there are some."""
    curves = [scheme.curves for scheme in tried if scheme.curves]
    differ: dict[str, float] = {}
    for name in curves[0] if len(curves) > 1 else ():
        both = [each[name] for each in curves if name in each]
        x = np.linspace(*both[0].span, 41)
        values = np.array([curve(x) for curve in both])
        differ[name] = float(np.nanmean(np.nanstd(values, axis=0))) / (
            float(np.nanmax(np.ptp(values, axis=1))) or 1.0
        )
    return max(differ, key=lambda name: differ[name], default="")


def _cards(tried: tuple[TriedScheme, ...], front: str) -> tuple[SchemeCard, ...]:
    weights = weights_of(tried)
    best = max(weights.values(), default=0.0)
    cards = []
    for scheme in sorted(tried, key=lambda each: each.aicc):
        share = weights[scheme.recipe.scheme]
        curve = (scheme.curves or {}).get(front)
        equal = curve is not None and share >= AS_GOOD * best
        cards.append(SchemeCard(scheme.recipe.scheme, name_of(scheme.recipe), curve, share, scheme.refusal, equal))
    return tuple(cards)


def bench_of(series: Series, over: str, text: str) -> BenchView:
    """Return what was written as it is read."""
    if not text.strip():
        return BenchView(
            remark=f"One equation a line: {_example(series, over)}; A -> B ; k for a reaction; A(0) = A0."
        )
    try:
        system = read_system(text, [column.name for column in series.columns], over)
    except FormulaError as error:
        return BenchView(remark=f"{error.message} {error.hint}".strip(), is_wrong=True, at=error.position)
    names = [entry.name for entry in system.measured]
    parts = [f"measured: {listed(names)}"]
    unseen = [name for name in system.state_names if name not in names]
    parts += [f"not measured: {listed(unseen)}"] if unseen else []
    parts += [f"to be fitted: {', '.join(system.coefficients)}"]
    lines = (*reaction_lines(system), *equation_lines(system))
    return BenchView(lines, " · ".join(parts))


def _example(series: Series, over: str) -> str:
    name = next(iter(measurable(series, over)), "A")
    return f"{name}' = -k*{name}"
