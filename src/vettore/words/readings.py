"""Readings in words: one entry a kind. A test fails when a kind has none."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from vettore.core.curve import Crossing
from vettore.core.remarks import counted, listed
from vettore.core.rounding import NumberStyle
from vettore.study.fitting.fits import DerivedFit
from vettore.study.kinds import readings as kinds
from vettore.study.kinds.readings import DerivedReading, Problem, Reading
from vettore.study.series import Role
from vettore.words.lines import Line

# Longer names of columns are x and y in narrow places.
LONGEST_NAME = 14
TURNS = {"top": "maximum", "bottom": "minimum"}
PROBLEMS = {
    Problem.NO_VALUE: "the curve has no value there",
    Problem.NO_AREA: "the curve has no finite area there",
    Problem.SEVERAL_COLUMNS: "a model over other or several columns cannot be read at x alone",
}


@dataclass(frozen=True)
class Called:
    """How what is read is called: names and units of x and of what was fitted."""

    x: str
    x_unit: str
    y: str
    y_unit: str


@dataclass(frozen=True)
class ReadingWords:
    """The words of one kind.

    ``label`` stands in the list of what can be asked and ``hint`` in its field, empty where nothing is typed. ``name`` is
    the usual name of a kept one, ``question`` and ``subject`` what was asked and what stands left of its answer.
    ``pennant`` stands before the number on the plot.
    """

    label: str
    hint: str
    name: str
    question: Callable[[Any, Called, NumberStyle], str]
    subject: Callable[[Any, Called], str]
    pennant: str = ""
    answers: Callable[[DerivedReading, Called, NumberStyle], list[str]] | None = None
    none: str = ""
    asides: Callable[[DerivedReading, NumberStyle], list[str]] = lambda reading, style: []


# A plan of no more places names them all.
MOST_NAMED = 5
TIMES = {2: "twice"}


def rows_at(x: Sequence[float], style: NumberStyle) -> str:
    """Write where rows are put, places that are taken several times once: ``0 (3 times) and 6.5``."""
    times = Counter(x)
    texts = [
        style.short(float(f"{place:.3g}")) + (f" ({TIMES.get(count, f'{count} times')})" if count > 1 else "")
        for place, count in sorted(times.items())[:MOST_NAMED]
    ]
    return listed(texts) + (" …" if len(times) > MOST_NAMED else "")


def _plan(reading: DerivedReading, called: Called, style: NumberStyle) -> list[str]:
    if reading.before is None or reading.value is None:
        return []
    at = f"at {called.x} = {rows_at(reading.planned, style)} {called.x_unit}".strip()
    if isinstance(reading.recipe, kinds.PlanReading) and reading.recipe.improve == "all":
        return [f"{at}: ± of all less by {style.fixed(100 * (1 - reading.value / reading.before), 0)} %"]
    now, then = (style.number(value, 2) for value in (reading.before, reading.value))
    return [f"{at}: ± {now} becomes {then} {reading.unit}".strip()]


def _planned(plan_reading: kinds.PlanReading, called: Called, style: NumberStyle) -> str:
    wanted = "all coefficients" if plan_reading.improve == "all" else plan_reading.improve
    price = f", a row costing {plan_reading.price}" if plan_reading.price else ""
    return f"{counted(plan_reading.rows, 'row')} more for {wanted}{price}"


def _crossings(reading: DerivedReading, called: Called, style: NumberStyle) -> list[str]:
    return [style.pair(place.x, place.standard_error, called.x_unit) for place in reading.crossings]


def _turns(reading: DerivedReading, called: Called, style: NumberStyle) -> list[str]:
    return [
        f"{TURNS[turn.kind]} at {style.number(turn.x, 4)} {called.x_unit}".strip()
        + f", {style.number(turn.y, 4)} {called.y_unit}".rstrip()
        for turn in reading.turns
    ]


def _where(reading: kinds.PlaceReading, called: Called, style: NumberStyle) -> str:
    level = style.short(reading.level, 5)
    sign, after = "=", f"{called.y_unit}"
    if reading.exact:
        sign = "is exactly"
    elif reading.error is not None:
        after = f"± {style.short(reading.error)} {called.y_unit}".strip()
    if reading.replicates > 1:
        after = f"{after}, the mean of {reading.replicates} signals"
    return f"{called.x} where {called.y} {sign} {level} {after}".strip().replace(" ,", ",")


def _beside_value(reading: DerivedReading, style: NumberStyle) -> list[str]:
    rows = " · ".join(style.short(row.y) for row in reading.neighbours)
    return [f"neighbours {rows}"] if rows else []


def _range(place: Crossing, level: float, style: NumberStyle) -> str:
    """Return the interval of an x that was read back; one that is open says so."""
    percent = style.plain(f"{level * 100:g} %")
    if place.low is not None and place.high is not None:
        return f"{percent}: {style.interval(place.low, place.high, place.standard_error)}"
    if place.low is not None:
        return f"{percent}: above {style.number(place.low, 4)}"
    if place.high is not None:
        return f"{percent}: below {style.number(place.high, 4)}"
    return f"{percent}: not bounded here" if place.standard_error is not None else "± not known"


def _beside_place(reading: DerivedReading, style: NumberStyle) -> list[str]:
    notes, recipe = [], reading.recipe
    if len(reading.crossings) > 1:
        notes.append(f"{len(reading.crossings)} places")
    assert isinstance(recipe, kinds.PlaceReading)
    notes += [_range(place, reading.level, style) for place in reading.crossings[:1] if len(reading.crossings) == 1]
    if recipe.exact:
        notes.append("an exact level: the ± is the curve's alone")
    elif recipe.replicates > 1:
        notes.append(f"mean of {recipe.replicates} signals {style.short(recipe.level, 5)}")
    else:
        notes.append("one signal")
    return notes


LIMIT_KINDS: tuple[type[kinds.LimitReading], ...] = (
    kinds.DecisionReading,
    kinds.DetectionReading,
    kinds.QuantificationReading,
)
LIMITS = {
    "decision": "is told from none (5 % wrongly)",
    "detection": "is found in 95 % of cases",
    "quantification": "is told how much (10 σ of none)",
}


def _limit_words(which: str) -> ReadingWords:
    def question(limit_reading: kinds.LimitReading, called: Called, style: NumberStyle) -> str:
        times = "" if limit_reading.times == 1 else f", measured {limit_reading.times} times"
        return f"{called.x} that {LIMITS[which]}{times}"

    return ReadingWords(
        f"{which} limit",
        "times: 1",
        f"{which} limit",
        question,
        lambda request, called: called.x,
        pennant=f"{which} limit",
        asides=_beside_limit,
    )


def _beside_limit(reading: DerivedReading, style: NumberStyle) -> list[str]:
    return ["the curve is known at 0 only beyond the data"] if reading.beyond else []


READINGS: dict[type[Reading], ReadingWords] = {
    kinds.ValueReading: ReadingWords(
        "value at",
        "x",
        "value",
        lambda request, called, style: (
            f"{called.y} at {called.x} = {style.short(request.at)} {called.x_unit}".strip()
        ),
        lambda wanted, called: called.y,
        asides=_beside_value,
    ),
    kinds.PlaceReading: ReadingWords(
        "where",
        "y",
        "place",
        _where,
        lambda question, called: called.x,
        answers=_crossings,
        none="nowhere near the data",
        asides=_beside_place,
    ),
    kinds.SlopeReading: ReadingWords(
        "slope at",
        "x",
        "slope",
        lambda reading, called, style: f"slope at {called.x} = {style.short(reading.at)} {called.x_unit}".strip(),
        lambda reading, called: "slope",
        pennant="slope",
    ),
    kinds.SteepestReading: ReadingWords(
        "steepest from",
        "10 … 60",
        "steepest",
        lambda reading, called, style: (
            f"steepest {called.x} from {style.short(reading.at)} to {style.short(reading.to)} {called.x_unit}".strip()
        ),
        lambda reading, called: called.x,
        pennant="steepest at",
        asides=lambda reading, style: (
            ["at an end of the range"]
            if reading.standard_error is None
            else [f"slope {style.pair(reading.slope or 0.0, reading.slope_error, '')}"]
        ),
    ),
    kinds.AreaReading: ReadingWords(
        "area from",
        "10 … 60",
        "area",
        lambda reading, called, style: (
            f"area from {style.short(reading.at)} to {style.short(reading.to)} {called.x_unit}".strip()
        ),
        lambda reading, called: "area",
        pennant="area",
    ),
    kinds.TurnsReading: ReadingWords(
        "maxima and minima",
        "",
        "",
        lambda reading, called, style: "maxima and minima",
        lambda reading, called: "",
        answers=_turns,
        none="none over the data",
    ),
    **{kind: _limit_words(kind.which) for kind in LIMIT_KINDS},
    kinds.AdditionReading: ReadingWords(
        "standard additions",
        "",
        "in the sample",
        lambda reading, called, style: f"{called.x} in the sample before additions",
        lambda reading, called: called.x,
        pennant="in the sample",
        asides=lambda reading, style: ["where the curve reaches 0, with the other sign"],
    ),
    kinds.PlanReading: ReadingWords(
        "measure next for",
        "k × 3",
        "plan",
        _planned,
        lambda reading, called: "",
        pennant="next",
        answers=_plan,
    ),
    kinds.FormulaReading: ReadingWords(
        "number",
        "Q = M/area where M = 500 ± 2 mg",
        "",
        lambda reading, called, style: reading.formula,
        lambda reading, called: reading.given_name or "number",
    ),
}


def words_of(reading: Reading) -> ReadingWords:
    """Return the words of a reading's kind."""
    return READINGS[type(reading)]


def called(fit: DerivedFit) -> Called:
    """Return how x and what was fitted are called."""
    return Called(*fit.series.name_and_unit(Role.X), *fit.y_called)


def in_short(names: Called) -> Called:
    """Return names with x and y for those that are too long for a narrow column."""
    x, y = (name if len(name) <= LONGEST_NAME else short for name, short in ((names.x, "x"), (names.y, "y")))
    return Called(x, names.x_unit, y, names.y_unit)


def reading_question(fit: DerivedFit, recipe: Reading, style: NumberStyle) -> str:
    """Return what a reading asks, in words."""
    return words_of(recipe).question(recipe, called(fit), style)


def reading_numbers(fit: DerivedFit, reading: DerivedReading, style: NumberStyle) -> str:
    """Return the answer alone: ``2.471 ± 0.018 mg/L`` and the like, or why there is none."""
    if reading.problem is not None:
        return PROBLEMS.get(reading.problem, reading.refusal)
    words = words_of(reading.recipe)
    if words.answers is not None:
        return "; ".join(words.answers(reading, called(fit), style)) or words.none
    return style.pair(reading.value or 0.0, reading.standard_error, reading.unit)


def has_answer(reading: DerivedReading) -> bool:
    """Whether there is a number, or several."""
    return reading.problem is None and bool(reading.value is not None or reading.crossings or reading.turns)


def reading_answer(fit: DerivedFit, reading: DerivedReading, style: NumberStyle) -> str:
    """Return ``oxygen = 2.471 ± 0.018 mg/L`` and the like."""
    numbers, subject = (
        reading_numbers(fit, reading, style),
        words_of(reading.recipe).subject(reading.recipe, called(fit)),
    )
    return f"{subject} = {numbers}" if subject and has_answer(reading) else numbers


def reading_asides(reading: DerivedReading, style: NumberStyle) -> str:
    """Return what stands beside an answer: whether it lies beyond the data, neighbours, signals."""
    beyond = ["extrapolated"] if reading.beyond else []
    return "   ".join([*beyond, *words_of(reading.recipe).asides(reading, style)])


def pennants(fit: DerivedFit, reading: DerivedReading, style: NumberStyle) -> list[str]:
    """Return what stands at each place of a reading on the plot."""
    words, unit = words_of(reading.recipe), called(fit)
    if reading.turns:
        return [f"{TURNS[turn.kind]} {style.number(turn.y, 4)} {unit.y_unit}".strip() for turn in reading.turns]
    if reading.crossings:
        return _crossings(reading, unit, style)
    if reading.planned:
        counts = [reading.planned.count(x) for x, _ in reading.places]
        return [words.pennant + (f" × {count}" if count > 1 else "") for count in counts]
    if reading.value is None:
        return []
    return [f"{words.pennant} {style.pair(reading.value, reading.standard_error, reading.unit)}".strip()]


def present_lines(fit: DerivedFit, readings: Sequence[DerivedReading], style: NumberStyle) -> list[tuple[str, str]]:
    """Return what is being read, one line for each answer; only the first of several says what was asked."""
    lines = []
    for reading in readings:
        if has_answer(reading):
            words, unit = words_of(reading.recipe), called(fit)
            answers = words.answers(reading, unit, style) if words.answers is not None else []
            word = words.question(reading.recipe, in_short(unit), style)
            texts = answers or [reading_numbers(fit, reading, style)]
            beyond = " (extrapolated)" if reading.beyond else ""
            lines += [(word if place == 0 else "", text + beyond) for place, text in enumerate(texts)]
    return lines


def reading_line(fit: DerivedFit, reading: DerivedReading, style: NumberStyle) -> Line:
    """Return a reading in words: what was asked, and the answer with its uncertainty."""
    question, name = reading_question(fit, reading.recipe, style), reading.recipe.name
    # A formula says its name itself.
    named = f"{name} · {question}" if name and not reading.recipe.given_name else question
    return Line(named, reading_numbers(fit, reading, style) + (" (extrapolated)" if reading.beyond else ""))
