"""What of a study has a figure, each by the file beside this that knows it. A new kind is a file and a case here."""

from __future__ import annotations

from vettore.core.errors import DataError, Fault, VettoreError
from vettore.core.rounding import NumberStyle
from vettore.report.figures.figure import StudyFigure
from vettore.report.figures.multiples import figure_of_all_fits
from vettore.report.figures.of_equations import figure_of_equations
from vettore.report.figures.of_fits import figure_of_fit
from vettore.report.figures.of_formulas import figure_of_function, figure_of_polynomial
from vettore.report.figures.of_series import figure_of_series
from vettore.report.figures.of_surface import figure_of_surface
from vettore.study.figures import figure_of, with_figures
from vettore.study.fitting.systems import name_of
from vettore.study.kinds.equations import EquationsRecipe
from vettore.study.kinds.figure import ALL_FITS, FigureRecipe
from vettore.study.kinds.function import FunctionRecipe
from vettore.study.kinds.polynomial import PolynomialRecipe
from vettore.study.kinds.surface import SurfaceRecipe
from vettore.study.plain_texts import with_plain_texts
from vettore.study.series import Series
from vettore.study.study import Study


def study_figure(study: Study, of: str, style: NumberStyle, recipe: FigureRecipe | None = None) -> StudyFigure:
    """Return the figure of a part of a study, in the look that was decided or in another. Raises VettoreError."""
    study = with_plain_texts(study)
    recipe = figure_of(study, of) if recipe is None else recipe
    if of == ALL_FITS:
        return figure_of_all_fits(study, recipe, style)
    part = study.find(of)
    match part:
        case Series():
            return figure_of_series(study, part, recipe, style)
        case SurfaceRecipe():
            return figure_of_surface(study, part, recipe, style)
        case EquationsRecipe():
            return figure_of_equations(study, part, recipe, style)
        case PolynomialRecipe():
            return figure_of_polynomial(study, part, recipe, style)
        case FunctionRecipe():
            return figure_of_function(part, recipe, style)
    if any(curve.id == of for curve in study.curves):
        return figure_of_fit(study, recipe, style)
    raise VettoreError("This part of the study has no figure.", Fault.UNAVAILABLE)


def figure_names(study: Study) -> tuple[tuple[str, str], ...]:
    """Return what has a figure: each by its id and in words."""
    return tuple((of, _name(study, of)) for of in with_figures(study))


def find_figure(study: Study, name: str) -> str:
    """Return the id of what has a figure, by its name or a part of it. Raises DataError for none, or several."""
    names = figure_names(study)
    texts = [of for of, text in names if name.casefold() in text.casefold()]
    exact = [of for of, word in names if name.casefold() == word.casefold()]
    if len(exact or texts) != 1:
        known = "; ".join(label for _, label in names) or "none"
        many = "several figures" if texts else "no figure"
        raise DataError(f"The study has {many} of “{name}”. It has: {known}.", Fault.NO_SUCH_NAME)
    return (exact or texts)[0]


def _name(study: Study, of: str) -> str:
    if of == ALL_FITS:
        return "All fits, side by side"
    part = study.find(of)
    match part:
        case Series():
            return f"{part.name} · the points"
        case SurfaceRecipe():
            return f"{study.find_series(part.series).name} · surface"
        case EquationsRecipe():
            return f"{name_of(part)} · {study.find_series(part.series).name}"
        case PolynomialRecipe():
            return f"{part.name} · polynomial"
        case FunctionRecipe():
            return f"{part.formula} · function"
    curve = study.find_curve(of)
    return f"{curve.name} · {study.find_series(curve.series).name}"
