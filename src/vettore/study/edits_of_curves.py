"""Edits of interpolants, areas and polynomials: pure functions from a study to a new one."""

from __future__ import annotations

import itertools

from vettore.core.errors import DataError, Fault
from vettore.core.formula.write import name_text
from vettore.core.polynomials.polynomial import Polynomial
from vettore.study import edits, parts
from vettore.study.areas import formula_of_x
from vettore.study.derive_curves import derive_interpolant, filled
from vettore.study.edits import add_formula
from vettore.study.following import places
from vettore.study.kinds.area import AreaRecipe
from vettore.study.kinds.filling import Filling
from vettore.study.kinds.function import FunctionRecipe
from vettore.study.kinds.interpolant import InterpolantRecipe
from vettore.study.kinds.polynomial import PolynomialRecipe
from vettore.study.series import Role
from vettore.study.study import Study


def set_interpolant(study: Study, recipe: InterpolantRecipe) -> Study:
    """Decide how the points of a series are joined."""
    study.find_series(recipe.series)
    return parts.put(study, recipe.changed(id=study.interpolant_of(recipe.series).id))


def add_area(study: Study, recipe: AreaRecipe) -> Study:
    """Keep an area of a series; it gets an id."""
    study.find_series(recipe.series)
    return parts.add(study, recipe)


def change_area(study: Study, recipe: AreaRecipe) -> Study:
    """Replace an area, found by its id."""
    if not any(area.id == recipe.id for area in study.areas):
        raise DataError(f"The study has no area “{recipe.id}”.", Fault.NO_SUCH_NAME)
    return parts.change(study, recipe)


def remove_area(study: Study, identity: str) -> Study:
    """Let go of an area."""
    return parts.remove(study, identity)


def add_function(study: Study, formula: str, start: str, end: str) -> Study:
    """Keep a function of x on a range. Raises FormulaError or DataError."""
    formula_of_x(formula)
    return parts.add(study, FunctionRecipe(formula, start, end))


def remove_function(study: Study, identity: str) -> Study:
    """Let go of a function."""
    return parts.remove(study, identity)


def add_polynomial(study: Study, name: str, polynomial: Polynomial, text: str = "", fit: str = "") -> Study:
    """Put a polynomial on the shelf."""
    return parts.add(study, PolynomialRecipe(name, polynomial.coefficients, fit, text))


def fit_polynomial_shape(study: Study, series: str, polynomial: Polynomial) -> Study:
    """Add a fit of a polynomial's shape to a series: scaled and raised, y = a + b·p(x). Raises DataError."""
    each = study.find_series(series)
    x, y = each.column(Role.X), each.column(Role.Y)
    if x is None or y is None:
        raise DataError(
            f"{each.name} has no column for {'x' if x is None else 'y'}. Choose one in the table's header.",
            Fault.MISSING,
        )
    taken = {column.name for column in each.columns}
    a, b = itertools.islice((name for name in ("a", "b", "a_0", "b_0", "a_1", "b_1") if name not in taken), 2)
    shape = polynomial.formula(name_text(x.name))
    return add_formula(study, series, f"{name_text(y.name)} = {a} + {b}*({shape})")


def change_polynomial(study: Study, identity: str, polynomial: Polynomial, text: str = "") -> Study:
    """Give a polynomial of the shelf other coefficients; it no longer follows a fit."""
    recipe = next(recipe for recipe in study.polynomials if recipe.id == identity)
    return parts.change(study, recipe.changed(coefficients=polynomial.coefficients, fit="", made=text or recipe.made))


def remove_polynomial(study: Study, identity: str) -> Study:
    """Take a polynomial off the shelf."""
    return parts.remove(study, identity)


def add_filling(study: Study, filling: Filling, name: str) -> Study:
    """Add a series of values between the points of another. Raises DataError."""
    source = study.find_series(filling.source)
    curve = derive_interpolant(source, study.interpolant_of(source.id))
    table = filled(source, curve, places(study, filling, curve))
    study = edits.add_series(study, table, name)
    text = study.series[-1].id
    return parts.put(study, filling.changed(id=f"w-{text}", series=text))
