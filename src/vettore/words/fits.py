"""A fit in words: one sentence or two that never claim more than the figures, its method, its weights, its degree."""

from __future__ import annotations

import math
from collections.abc import Sequence

from vettore.core.fitting.after.checks import Check, Kind, Verdict
from vettore.core.fitting.after.ladder import Ladder
from vettore.core.fitting.details import Correlated, ErrorsInX, Growing
from vettore.core.fitting.noises.listed import NOISES
from vettore.core.fitting.record import Noise, Spread
from vettore.core.fitting.result import FitMethod, FitResult
from vettore.core.formula.coefficient_units import UnitConflict
from vettore.core.remarks import counted
from vettore.core.rounding import NumberStyle
from vettore.study.fitting.fits import DerivedFit
from vettore.study.fitting.quantities import derived_quantities
from vettore.study.kinds.fits import AnyFit
from vettore.study.series import ErrorKind, Role, Series
from vettore.words.checks import check_sentence, gravest_first
from vettore.words.findings import words_in
from vettore.words.lines import Line
from vettore.words.noises import NOISE_WORDS
from vettore.words.peaks import COUNTS, another_in_words, number_in_words, search_in_words, spelled

# Fewer degrees of freedom than this leave the scatter itself poorly known.
FEW_DEGREES_OF_FREEDOM = 5
# Below this share of the variation a curve says little about single values.
LITTLE_EXPLAINED = 0.5
# Names of models that begin with these are plural.
PLURAL = frozenset(COUNTS[2:])
# χ²/ν, which no line breaks.
CHI = "χ²\u2060/\u2060ν"
# Checks whose sentences begin with a word that is no name.
LOWERED = frozenset(
    {Kind.KNOWN_SIGMA, Kind.PATTERN, Kind.SPREAD, Kind.NORMAL, Kind.OUTLIERS, Kind.INFLUENCE, Kind.LACK_OF_FIT}
)


def summary(
    result: FitResult,
    model: str,
    y_name: str,
    y_unit: str,
    set_aside: int,
    style: NumberStyle,
    checks: Sequence[Check] = (),
    span: str = "",
) -> str:
    """Return the sentence for a fit; ``model`` is its name, ``set_aside`` the number of rows left out by the user.

    ``span`` says in words which x alone were fitted.

    The gravest of the checks ``found`` is named, a search that did not converge before all else.
    """
    model = model[0].lower() + model[1:]
    if not result.converged:
        return " ".join(["The search did not converge, so these numbers are not an answer.", *_rows(set_aside)])
    parts = [_share(result, model, y_name, style)]
    if result.degrees_of_freedom < 1:
        parts.append("It passes through every point, so nothing can be said about its uncertainty.")
    elif result.exact:
        parts.append("What is left is rounding only.")
    elif result.deviance is not None:
        parts.append(f"Beside the scatter of counts, {CHI} is {style.number(result.reduced_chi_squared, 3)}.")
    elif result.reduced_chi_squared is not None:
        of = "x and y" if isinstance(result.details, ErrorsInX) else "y"
        parts.append(f"Beside the known ± of {of}, {CHI} is {style.number(result.reduced_chi_squared, 3)}.")
    elif isinstance(result.details, Growing) and result.details.spread.p is not None:
        parts.append(f"What is left scatters by {spread_in_words(result.details.spread, y_unit, style)}.")
    elif result.residual_sd is not None and not result.weighted:
        left = f"{style.number(result.residual_sd, 3)} {y_unit}".strip()
        parts.append(f"What is left has a standard deviation of {left}.")
    if 0 < result.degrees_of_freedom < FEW_DEGREES_OF_FREEDOM:
        fitted = result.n - result.degrees_of_freedom
        parts.append(
            f"With {counted(result.n, 'row')} for {counted(fitted, 'coefficient')}, trust the ± only roughly."
        )
    parts += _gravest(checks, result)
    if span:
        parts.append(f"Only rows with {span} are fitted.")
    parts += _rows(set_aside)
    return " ".join(parts)


def spread_in_words(spread: Spread, unit: str, style: NumberStyle) -> str:
    """Return a scatter that grows: ``0.053 mg/L + 9.7 % of the curve``."""
    even = f"{style.number(spread.a, 2)} {unit}".strip()
    return f"{even} + {style.number(100 * spread.b, 2)} %{OF_CURVE}"


def degree_reason(ladder: Ladder, style: NumberStyle) -> str:
    """Say why a degree is suggested."""
    errors = {rung.degree: rung.left_one_out_error for rung in ladder.rungs}
    own, least = (style.number(errors[degree], 3) for degree in (ladder.suggested, ladder.lowest))
    if ladder.suggested == ladder.lowest:
        return f"Degree {ladder.suggested}: left-out rows are missed least, by {own}; no lower degree comes near it."
    return (
        f"Degree {ladder.suggested}: it misses left-out rows by {own}, which is no worse than the least, {least} at "
        f"degree {ladder.lowest}, within what the scatter allows ({style.number(ladder.allowed, 3)})."
    )


# The losses in words.
LOSS_WORDS = {
    "squares": "ordinary least squares",
    "huber": "forgiving of outliers (Huber)",
    "tukey": "strongly forgiving (Tukey)",
}


OF_CURVE = " of the curve"


def how_in_words(series: Series, recipe: AnyFit, style: NumberStyle) -> str:
    """Say in a sentence or two which rows are fitted and how: ``All 30 rows, equal weights, ordinary least squares.``"""
    x_name, rows = series.name_and_unit(Role.X)[0], int(series.in_use.sum())
    count = counted(rows, "row")
    which = f"The {count} in use" if series.set_aside or rows == 1 else f"All {count}"
    if recipe.span is not None:
        low, high = (style.short(edge, 4) for edge in recipe.span)
        which = f"Rows with {x_name} from {low} to {high}"
    weights, how = "equal weights", LOSS_WORDS.get(recipe.loss, recipe.loss)
    if recipe.noise != "normal":
        trials = series.column(Role.TRIALS)
        kind = NOISES[recipe.noise]
        size = "" if recipe.noise_size is None else style.short(recipe.noise_size)
        weights = NOISE_WORDS[recipe.noise].sentence.format(size=size)
        if kind.column == "covariance" and series.column(Role.COVARIANCE) is not None:
            weights = f"a covariance of the rows, {'known' if recipe.errors_known else 'relative'}"
        weights += f" in {trials.name}" if kind.column == "trials" and trials is not None else ""
        how = "greatest likelihood" if kind.by_likelihood else "least squares"
    elif recipe.use_errors and series.sigma is not None:
        column = series.column(Role.Y_ERROR)
        sizes = {ErrorKind.CONSTANT: f"± {style.short(series.error_of_y.value)}"}
        sizes[ErrorKind.PERCENT] = f"± {style.short(series.error_of_y.value)} %"
        by = sizes.get(series.error_of_y.kind) or f"the ± in {column.name if column else 'y'}"
        if recipe.use_x_errors and series.column(Role.X_ERROR) is not None:
            together = series.column(Role.CORRELATION)
            by += " and the ± of x" + (f", correlated as in {together.name}" if together is not None else "")
        weights = f"weights from {by}, {'known' if recipe.errors_known else 'relative'}"
    origin = ", through the origin" if not recipe.formula and not recipe.intercept else ""
    held = ", ".join(name for name, _ in recipe.hold)
    limited = ", ".join(dict.fromkeys(name for name, _, _ in recipe.limits))
    more = [f"{held} held." if held else "", f"{limited} within limits." if limited else ""]
    return " ".join([f"{which}, {weights}, {how}{origin}.", *filter(None, more)])


def conflict_in_words(conflict: UnitConflict) -> str:
    """Say which parts of a formula do not go together."""
    left, right = conflict.left_unit or "no unit", conflict.right_unit or "no unit"
    if conflict.right is None:
        return f"{conflict.left} has the unit {left}, but stands where a number without unit is needed."
    return f"{conflict.left} and {conflict.right} should share a unit, but one has {left} and the other {right}."


def weights_in_words(result: FitResult) -> str:
    """Say how the rows are weighed, as ``weights 1/σ² from the ± of y, carried to ln(y), taken as relative``."""
    details = result.details
    if isinstance(details, Correlated) and details.memory is None:
        return f"the covariance of the rows' errors as given, {'known' if result.absolute_sigma else 'relative'}"
    of_noise = NOISE_WORDS[result.noise].weights
    if of_noise:
        return of_noise.format(size=f"{100 * details.spread.b:g}" if isinstance(details, Growing) else "")
    if not result.weighted:
        return "equal weights"
    carried = f", carried to {result.left} through its derivative," if result.transformed else ","
    how = "taken as known" if result.absolute_sigma else "taken as relative"
    if isinstance(details, ErrorsInX):
        together = " with their correlation" if details.correlation is not None else ""
        return f"weights from the ± of x and of y{together}{carried} {how}"
    return f"weights 1/σ² from the ± of y{carried} {how}"


def _share(result: FitResult, model: str, y_name: str, style: NumberStyle) -> str:
    if result.r_squared is None:
        return f"{y_name} is the same in every row, so there is no variation for the {model} to explain."
    if model == "constant":
        return f"The constant is the mean of {y_name}; it explains none of its variation."
    of = "deviance of" if result.deviance is not None else "variation in"
    first = model.split()[0]
    s = "" if first in PLURAL or first.isdigit() else "s"
    percent = "100 %" if result.exact else _percent(result.r_squared, style)
    if result.r_squared_against == "zero":
        return f"The {model} take{s} up {percent} of the sum of squares of {y_name} about zero."
    if result.r_squared < LITTLE_EXPLAINED:
        return f"The {model} explain{s} only {percent} of the {of} {y_name}."
    return f"The {model} explain{s} {percent} of the {of} {y_name}."


def _percent(share: float, style: NumberStyle) -> str:
    """Write a share as a percentage that is never rounded up to 100 %."""
    percent = max(share, 0.0) * 100
    rest = 100 - percent
    if rest < 1e-4:
        return f"more than {style.fixed(99.9999, 4)} %"
    places = min(max(1 - math.floor(math.log10(rest)), 0), 4)
    # Rounded down, so that 99.96 % of something never reads as all of it.
    return f"{style.fixed(math.floor(percent * 10**places) / 10**places, places)} %"


def _gravest(checks: Sequence[Check], result: FitResult) -> list[str]:
    """Return the sentence of the gravest check, if any asks for a look; few rows are said already."""
    asking = [check for check in checks if check.verdict is not Verdict.GOOD and check.kind is not Kind.ROWS]
    if not asking:
        return []
    gravest = gravest_first(asking)[0]
    words = check_sentence(gravest, result)
    if gravest.kind in LOWERED:
        words = words[0].lower() + words[1:]
    return [f"But look: {words}"]


def _rows(set_aside: int) -> list[str]:
    if not set_aside:
        return []
    return ["One row is set aside." if set_aside == 1 else f"{set_aside} rows are set aside."]


def summary_of(fit: DerivedFit, style: NumberStyle) -> str:
    """Return what a fit says in a sentence or two."""
    y_name, y_unit = fit.y_called
    span = ""
    if fit.recipe.span is not None:
        low, high = (style.short(edge, 4) for edge in fit.recipe.span)
        span = f"{fit.series.name_and_unit(Role.X)[0]} from {low} to {high}"
    aside = len(fit.series.set_aside)
    if fit.peaks is None:
        return summary(fit.result, fit.name, y_name, y_unit, aside, style, fit.checks, span)
    words = summary(fit.result, spelled(fit.name), y_name, y_unit, aside, style, fit.checks, span)
    # They are not those of a name, as “the straight line” is.
    words = words.removeprefix("The ")
    return " ".join(filter(None, [words[0].upper() + words[1:], another_in_words(fit.peaks)]))


def goodness_lines(fit: DerivedFit, style: NumberStyle) -> tuple[Line, ...]:
    """Return the figures of merit of a fit as label–text pairs."""
    result = fit.result
    unit = fit.y_called[1] if not result.weighted else ""
    against = "" if result.r_squared_against == "mean" else " against zero"

    def share(value: float | None) -> str:
        return "—" if value is None else style.fixed(value, 4 if value < 0.9995 else 6)

    scatter = Line("residual standard deviation", f"{style.number(result.residual_sd, 4)} {unit}".strip())
    squares = Line("sum of squares", style.number(result.sum_of_squares, 5))
    if result.weighted:
        scatter, squares = (line._replace(label=f"{line.label} (relative)") for line in (scatter, squares))
    r2 = "R²"
    if result.deviance is not None:
        r2 = "R² of the deviance"
        of, p = style.number(result.deviance, 5), style.p_value(result.deviance_p)
        ratio = style.number(result.reduced_chi_squared, 4)
        scatter, squares = Line("Pearson’s χ²/ν", ratio), Line("deviance", f"{of}, {p}")
    elif isinstance(result.details, Correlated) and result.details.memory is not None:
        memory = result.details.memory
        alike, p = style.fixed(memory.phi, 2), style.p_value(memory.p)
        squares = Line("neighbours correlate", f"{alike}, {p}")
    elif isinstance(result.details, Growing) and result.details.spread.p is not None:
        spread = result.details.spread
        text = spread_in_words(spread, fit.y_called[1], style).removesuffix(OF_CURVE)
        scatter = Line("scatter, even + of y", text)
        squares = Line("even scatter", style.p_value(spread.p))
    elif result.chi_squared is not None:
        ratio, above = style.number(result.reduced_chi_squared, 4), style.p_value(result.chi_squared_p)
        scatter, squares = Line("χ²/ν", ratio), Line("χ²", f"{style.number(result.chi_squared, 5)}, {above}")
    return (
        Line(f"{r2}{against}", share(result.r_squared)),
        Line(f"adjusted {r2}{against}", share(result.adjusted_r_squared)),
        scatter,
        squares,
        Line("degrees of freedom", str(result.degrees_of_freedom)),
        Line("AICc", style.number(result.aicc, 5)),
        Line("BIC", style.number(result.bic, 5)),
    )


def quantity_lines(fit: DerivedFit, style: NumberStyle) -> tuple[Line, ...]:
    """Return what the model derives from its coefficients, with uncertainty and unit."""
    return tuple(
        Line(quantity.name, style.pair(quantity.value, quantity.standard_error, unit))
        for quantity, unit in derived_quantities(fit)
    )


def rows_words(fit: DerivedFit) -> str:
    """Return how many rows a fit uses, and the cells of its x and y that held no number, with what they say."""
    series = fit.series
    rows = f"{len(fit.rows)} of {series.rows} in use"
    blank = int((~series.measured).sum())
    if blank:
        rows += f", {blank} without a number in x or y"
    places = [series.place(role) for role in (Role.X, Role.Y)]
    texts = [words_in(series.data[place]) for place in places if place is not None]
    return "; ".join([rows, *filter(None, texts)])


def status_of(fit: DerivedFit) -> list[str]:
    """Return what was used for a fit, for the line at the foot of the window."""
    count = [number_in_words(fit)] if fit.peaks is not None else []
    return [f"rows: {rows_words(fit)}", *count, str(fit.result.method), weights_in_words(fit.result)]


def method_in_words(fit: DerivedFit) -> str:
    """Say how a fit and its uncertainties were come by."""
    result = fit.result
    weights = weights_in_words(result)
    against = "the mean" if fit.result.r_squared_against == "mean" else "zero"
    if result.method is FitMethod.ORTHOGONAL:
        how = (
            f"Least squares with {weights}: the distances of the rows in x and in y, each in its ±, with the true x of every "
            f"row found beside the coefficients. {fit.result.message.rstrip('.')}"
        )
    elif result.deviance is not None:
        return NOISE_WORDS[result.noise].method.format(message=fit.result.message.rstrip("."))
    elif isinstance(result.details, Correlated) and result.details.memory is None:
        how = f"Generalised least squares with {weights}. {fit.result.message.rstrip('.')}"
    elif result.noise != Noise.NORMAL and NOISE_WORDS[result.noise].method:
        how = NOISE_WORDS[result.noise].method.format(weights=weights, message=fit.result.message.rstrip("."))
    elif result.method is FitMethod.LINEAR:
        how = f"Linear least squares with {weights}, with residuals in double-double arithmetic"
    else:
        how = (
            f"Nonlinear least squares with {weights}: the linear coefficients projected out, Levenberg–Marquardt, and a "
            f"Newton polish. {fit.result.message.rstrip('.')}"
        )
    if result.absolute_sigma:
        spread = "standard errors from the known ± of y, intervals from the normal distribution"
    else:
        spread = (
            "standard errors from the residual scatter, intervals from Student’s t with "
            f"{result.degrees_of_freedom} degrees of freedom"
        )
    before = "" if fit.peaks is None else f"{search_in_words(fit)} "
    return f"{before}{how}; {spread}, R² against {against}."
