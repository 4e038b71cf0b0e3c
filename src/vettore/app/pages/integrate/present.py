"""How a state of the Integrate page is shown: a pure function from study, state and what is worked out to a View."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from dataclasses import dataclass

import numpy as np

from vettore.app.pages.integrate.derived import AreaAnswer, FunctionAnswer
from vettore.app.pages.integrate.state import IntegrateState
from vettore.core.arrays import Array
from vettore.core.fitting.formula_curve import FormulaCurve
from vettore.core.integration.sampled import SampledArea, between_edges
from vettore.core.integration.settling import Settling
from vettore.core.remarks import counted
from vettore.core.rounding import NumberStyle, read_number
from vettore.study.areas import UNDER_FIT
from vettore.study.derive_curves import area_unit
from vettore.study.kinds.baselines import AnyBaseline, BetweenEnds, CurveOf, Level, PointsOf
from vettore.study.series import Role, Series
from vettore.study.study import Study
from vettore.words.areas import ERRORS_FROM, RULE_WORDS, baseline_words
from vettore.words.peaks import both_areas_in_words

MOST_STRIPS_SHOWN, MOST_RUNGS, MOST_CROSSINGS = 24, 5, 12
# An error below this share of the area is worth more digits.
SURE = 1e-9
STRIPS = ("from", "to", "mean height", "area")
POINTS = ("x", "f(x)", "weight")
NO_POINTS = "An area under points needs a series. Bring in data first, or choose a function above."
NO_FUNCTION = "Type a function of x and its limits on the left; the area under it is shown here."
EXAMPLE = "exp(-x^2)"


@dataclass(frozen=True)
class Choice:
    """One of several: its key, its words, whether it is chosen and can be."""

    key: str
    words: str
    chosen: bool
    possible: bool = True


@dataclass(frozen=True, eq=False)
class Drawing:
    """What is drawn: strips under a shape and above a floor, the running area, the limits or the curve of a function."""

    edges: Array
    shape_of: Callable[[Array], Array]
    floor_of: Callable[[Array], Array]
    running: tuple[Array, Array]
    limits: tuple[float, float] | None = None
    curve: FormulaCurve | None = None
    # The points of a function, all of which come into view when ``what`` is drawn is another; those its strips use.
    home: tuple[Array, Array] | None = None
    points: tuple[Array, Array] | None = None
    what: Hashable = None


@dataclass(frozen=True, eq=False)
class ShownArea:
    """An area in words and numbers; ``full`` are the strips (k, 4) for copying."""

    number: str
    unit: str
    pairs: tuple[tuple[str, str], ...]
    rungs: tuple[tuple[str, str, str], ...]
    settles: str
    drawing: Drawing
    # The power of ten that the rungs share, and the headings of the strips with theirs.
    rungs_in: str = ""
    headings: tuple[str, ...] = ()
    strips: tuple[tuple[str, ...], ...] = ()
    full: Array | None = None


@dataclass(frozen=True)
class Asks:
    """What a function says at an x, and where it has a y; with the flags on the plot."""

    at_x: str
    where_y: str
    flags: tuple[tuple[float, float, str, bool], ...]


@dataclass(frozen=True, eq=False)
class IntegrateView:
    """The page as it is to be drawn. While an answer is ``awaited`` the area that was shown stays."""

    of_function: bool
    # What an empty page says, or nothing.
    invites: str
    series: Series | None
    titles: tuple[str, str]
    rules: tuple[Choice, ...]
    baselines: dict[str, AnyBaseline]
    baseline: str
    kept: tuple[Choice, ...]
    functions: tuple[Choice, ...]
    keep: str
    keep_function: str
    awaited: bool
    refusal: str
    shown: ShownArea | None
    asks: Asks | None
    status: tuple[str, ...]


def present(
    study: Study,
    state: IntegrateState,
    curve: str,
    answer: AreaAnswer | FunctionAnswer | None,
    refusal: str,
    style: NumberStyle,
) -> IntegrateView:
    """Return how a state is shown; ``curve`` is the chosen fit, ``answer`` and ``refusal`` what was worked out for it."""
    series = next((each for each in study.series if each.id == state.series), None)
    recipe = state.area(study)
    of_function = isinstance(answer, FunctionAnswer)
    invites = ""
    if not state.has_function:
        invites = NO_FUNCTION if state.of_function else NO_POINTS if series is None else ""
    return IntegrateView(
        of_function=state.of_function,
        invites=invites,
        series=None if state.of_function else series,
        titles=_titles(state, series),
        rules=tuple(
            Choice(
                key,
                words,
                recipe is not None and key == recipe.rule,
                key != UNDER_FIT or bool(curve) or (recipe is not None and recipe.rule == UNDER_FIT),
            )
            for key, (words, _tip) in RULE_WORDS.items()
        ),
        baselines=_baselines(study, state, style),
        baseline=baseline_words(study, recipe.baseline, style) if recipe is not None else "",
        kept=_kept(study, state, answer, style),
        functions=tuple(
            Choice(
                function.id,
                f"{function.formula}   {function.start} … {function.end}",
                function == state.function(study),
            )
            for function in study.functions
        ),
        keep="Let go of this area" if recipe is not None and recipe.id else "Keep this area",
        keep_function="Let go of it" if state.function(study) else "Keep this function",
        awaited=answer is None and not refusal and not invites,
        refusal=refusal,
        shown=_shown(study, answer, style),
        asks=_asks(answer.curve, state, style) if isinstance(answer, FunctionAnswer) else None,
        status=() if answer is None or of_function else _status(answer, study),
    )


def _titles(state: IntegrateState, series: Series | None) -> tuple[str, str]:
    if state.of_function:
        return "x", state.typed.formula
    return ("", "") if series is None else (series.label(Role.X), series.label(Role.Y))


def _baselines(study: Study, state: IntegrateState, style: NumberStyle) -> dict[str, AnyBaseline]:
    """Return the baselines that there are by their words: levels, other series and fitted curves."""
    others = [PointsOf(other.id) for other in study.series if other.id != state.series]
    offered = [Level(), BetweenEnds(), *others, *(CurveOf(curve.id) for curve in study.curves)]
    return {baseline_words(study, baseline, style): baseline for baseline in offered}


def _kept(
    study: Study, state: IntegrateState, answer: AreaAnswer | FunctionAnswer | None, style: NumberStyle
) -> tuple[Choice, ...]:
    """Return the kept areas of the series, each with its share of all; without numbers until they are known."""
    areas = study.areas_of(state.series)
    known = answer.kept if isinstance(answer, AreaAnswer) and answer.series.id == state.series else {}
    total = sum(known.get(area.id, 0.0) for area in areas)
    out = []
    for number, area in enumerate(areas, 1):
        words = area.name or f"area {number}"
        if area.id in known:
            share = f" · {100 * known[area.id] / total:.0f} %" if len(areas) > 1 and total else ""
            words = f"{words}   {style.number(known[area.id], 4)}{share}"
        out.append(Choice(area.id, words, area.id == state.kept))
    return tuple(out)


def _status(answer: AreaAnswer, study: Study) -> tuple[str, ...]:
    rows = f"{counted(int(answer.series.in_use.sum()), 'row')} in use"
    error = ERRORS_FROM.get(answer.area.error_from, "")
    return (rows, RULE_WORDS[answer.recipe.rule][0].lower(), *filter(None, [error]), *answer.area.notes)


def _shown(study: Study, answer: AreaAnswer | FunctionAnswer | None, style: NumberStyle) -> ShownArea | None:
    if isinstance(answer, AreaAnswer):
        return _area(study, answer, style)
    return None if answer is None else _function(answer, style)


def _fitted_there(answer: AreaAnswer, style: NumberStyle) -> tuple[tuple[str, str], ...]:
    """Return what fitted peaks have there, where there are some."""
    if answer.both is None:
        return ()
    return (("fitted there", both_areas_in_words(answer.both, area_unit(answer.series), style)),)


def _area(study: Study, answer: AreaAnswer, style: NumberStyle) -> ShownArea:
    area, series = answer.area, answer.series
    x_unit = series.name_and_unit(Role.X)[1]
    edges, floor = area.edges, area.floor_at_edges
    known = area.standard_error
    full = np.column_stack([edges[:-1], edges[1:], area.mean_heights, area.strips])
    digits = (5, 5, 4, 4)
    # The two columns of x share a power of ten.
    # Of 50,000 strips the largest is found before Python walks over them.
    largest = np.max(np.abs(full), axis=0, where=np.isfinite(full), initial=0.0).tolist()
    of_x, of_y, of_area = (style.common(columns) for columns in (largest[:2], largest[2:3], largest[3:]))
    powers = (of_x, of_x, of_y, of_area)
    power, factor = style.common([step.area for step in answer.steps])
    return ShownArea(
        number=style.pair(area.area, known) if known else style.number(area.area, 6),
        unit=area_unit(series),
        pairs=(
            ("from", f"{style.short(area.a, 6)} {x_unit}".strip()),
            ("to", f"{style.short(area.b, 6)} {x_unit}".strip()),
            ("joined by", RULE_WORDS[area.rule][0].lower()),
            ("baseline", baseline_words(study, answer.recipe.baseline, style)),
            ("above the baseline", style.number(area.positive, 5)),
            ("below the baseline", style.number(area.negative, 5)),
            *_fitted_there(answer, style),
        ),
        rungs=_steps(answer.steps, style, power),
        rungs_in=factor,
        settles=_settles(answer.steps, area, style),
        drawing=Drawing(
            edges,
            answer.shape_of,
            lambda x: between_edges(edges, floor, x),
            (edges, area.running),
            limits=(area.a, area.b),
        ),
        headings=tuple(
            f"{words} ·{factor}" if factor else words for words, (_, factor) in zip(STRIPS, powers, strict=True)
        ),
        strips=tuple(
            tuple(
                style.short(value / 10.0**power, count) if place < 2 else style.number(value / 10.0**power, count)
                for place, (value, count, (power, _)) in enumerate(zip(row, digits, powers, strict=True))
            )
            for row in full[:MOST_STRIPS_SHOWN].tolist()
        ),
        full=full,
    )


def _steps(steps: tuple[Settling, ...], style: NumberStyle, power: int) -> tuple[tuple[str, str, str], ...]:
    own = steps[0].rule if steps else ""
    cells = []
    for place, step in enumerate(steps):
        words = f"{step.strips} strips" if step.rule == own else RULE_WORDS[step.rule][0].lower()
        change = (step.area - steps[place - 1].area) / 10.0**power
        signed = f"{'+' if change >= 0 else '−'}{style.number(abs(change), 2)}" if place else ""
        cells.append((words, style.number(step.area / 10.0**power, 5), signed))
    return tuple(cells)


def _settles(steps: tuple[Settling, ...], area: SampledArea, style: NumberStyle) -> str:
    finest = [step.area for step in steps if step.rule == area.rule]
    if len(finest) < 2 or area.standard_error is None:
        return ""
    if abs(finest[-1] - finest[-2]) <= area.standard_error:
        return "Halving the strips now moves the area by less than its ±."
    return "Halving the strips still moves the area by more than its ±: closer points would help."


def _function(answer: FunctionAnswer, style: NumberStyle) -> ShownArea:
    area, function = answer.area, answer.function
    error = "" if area.error is None else f"error below {style.number(area.error, 2)}"
    digits = 12 if area.error is not None and area.error < SURE * abs(area.area) else 8
    last = answer.rungs[-1].extrapolated if answer.rungs else None
    x, running = answer.x, answer.running
    ends = x[[0, -1]] if len(x) else np.empty(0)
    return ShownArea(
        number=style.number(area.area, digits) if area.settled else "not settled",
        unit=error if area.settled else area.message,
        pairs=(
            ("function", function.formula),
            ("strips", str(area.strips)),
            ("evaluations", str(area.evaluations)),
            *((("", area.message),) if area.settled else ()),
        ),
        rungs=tuple(
            (
                f"{rung.strips} strips",
                style.number(rung.area, 7),
                "" if rung.order is None else f"order {style.fixed(rung.order, 1)}",
            )
            for rung in answer.rungs[-MOST_RUNGS:]
        ),
        settles="" if last is None else f"The rungs lead to {style.number(last, 10)} ({function.rule} rule).",
        drawing=Drawing(
            area.edges if area.error is None else ends,
            answer.shape_of,
            lambda at: np.zeros(np.shape(at)),
            (x, running.running) if running is not None else (np.empty(0), np.empty(0)),
            curve=answer.curve,
            home=(x, answer.y),
            points=(answer.used[:, 0], answer.used[:, 1]),
            what=function,
        ),
        headings=POINTS,
        strips=tuple(
            (style.short(x, 5), style.number(value, 5), style.number(weight, 4))
            for x, value, weight in answer.used[:MOST_STRIPS_SHOWN].tolist()
        ),
        full=answer.used,
    )


def _asks(curve: FormulaCurve, state: IntegrateState, style: NumberStyle) -> Asks:
    """Answer at the x and at the y that were typed."""
    flags: list[tuple[float, float, str, bool]] = []
    at, where = "", ""
    x, y = read_number(state.typed.at_x), read_number(state.typed.where_y)
    if x is not None:
        value = float(curve(x))
        at = f"y = {style.number(value, 8)}"
        flags.append((x, value, style.number(value, 6), False))
    if y is not None:
        crossings = [float(place) for place in curve.crossings(y, *curve.span)]
        texts = [style.number(place, 8) for place in crossings]
        where = f"x = {'; '.join(texts)}" if texts else "nowhere on this range"
        flags += [(place, y, style.number(place, 6), False) for place in crossings[:MOST_CROSSINGS]]
    return Asks(at, where, tuple(flags))
