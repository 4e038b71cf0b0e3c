"""What is fitted, as it may be given: a formula, a model, the key of one, or a function of a script."""

from __future__ import annotations

import inspect
import re
from collections.abc import Callable, Mapping, Sequence
from typing import Any, TypeAlias

import numpy as np

from vettore.core.arrays import Values, as_values
from vettore.core.errors import DataError, Fault
from vettore.core.fitting.request import Estimate
from vettore.core.formula.own_functions import call_name
from vettore.core.formula.traced import formula_of
from vettore.core.formula.tree import Name
from vettore.core.formula.write import to_text
from vettore.core.models.catalogue import model, named_model
from vettore.core.models.model import Model, checked_pair

# A formula, a model of the catalogue or its key, or a function of columns and coefficients.
AnyModel: TypeAlias = str | Model | Callable[..., Any]
_LIKE_A_KEY = re.compile(r"[A-Za-z][a-z]{3,}([ -][A-Za-z0-9]+)*")
# Rows at which the formula of a function is compared with its values.
COMPARED_ROWS = 50


def text_of(
    formula: AnyModel, data: Mapping[str, Values], columns: tuple[str, str] | None, estimate: Estimate | None
) -> tuple[str, Estimate | None]:
    """Return the text of a formula, or of a model over its columns with the starts that it knows. Raises DataError."""
    if isinstance(formula, str) and "=" not in formula:
        # A word that is no formula is meant for a model; if there is none, the catalogue says what is like it.
        known = named_model(formula)
        formula = model(formula) if known is None and _LIKE_A_KEY.fullmatch(formula.strip()) else known or formula
    if isinstance(formula, Model):
        x, y = formula.columns_of(list(data), columns)
        return formula.over(x, y, list(data)), formula.estimator(x, y, list(data))
    if callable(formula):
        return _text_of_function(formula, data, columns), estimate
    if columns is not None:
        raise DataError(
            "columns name x and y for a model of the catalogue; a formula names its own.", Fault.NO_EFFECT
        )
    return formula, estimate


def _text_of_function(work: Callable[..., Any], data: Mapping[str, Values], pair: tuple[str, str] | None) -> str:
    """Return a formula that a function of a script works out: its own where it has one, else a call of it."""
    arguments = _arguments(work)
    across, y = _columns_of(arguments, list(data), pair)
    free = [name for name in arguments if name not in across and name != arguments[0]]
    first = {**dict.fromkeys(across), arguments[0]: None}
    if arguments[: len(first)] != list(first):
        listed = ", ".join(first)
        raise DataError(f"The columns {listed} must be the first arguments of the function.", Fault.CONFLICT)
    if not free:
        raise DataError(
            "The function has no coefficients: give it columns first, then a name for each coefficient.",
            Fault.MISSING,
        )
    named = [across.get(name, name) for name in arguments]
    rows = min(COMPARED_ROWS, len(as_values(data[y], y)))
    tried: dict[str, Any] = {name: as_values(data[name], name)[:rows] for name in across.values()}
    # Numbers of no meaning, all different.
    tried |= {name: np.float64(0.6 + 0.13 * place) for place, name in enumerate(free)}
    tree = formula_of(work, named, tried, rows)
    left = to_text(Name(y))
    if tree is not None:
        return f"{left} = {to_text(tree)}"
    called = call_name(work, len(arguments), len(first))
    return f"{left} = {called}({', '.join(to_text(Name(name)) for name in named)})"


def _arguments(work: Callable[..., Any]) -> list[str]:
    """Return the names of the arguments of a function that have no default. Raises DataError."""
    try:
        given = inspect.signature(work).parameters.values()
    except (TypeError, ValueError):
        raise DataError(
            "The arguments of this function cannot be read; write it as def f(x, A, k): …", Fault.WRONG_KIND
        ) from None
    if any(
        entry.kind in (entry.VAR_POSITIONAL, entry.VAR_KEYWORD, entry.KEYWORD_ONLY) and entry.default is entry.empty
        for entry in given
        if entry.kind is not entry.VAR_KEYWORD
    ):
        raise DataError("The function needs a name for each coefficient, as def f(x, A, k): …", Fault.WRONG_KIND)
    names = [entry.name for entry in given if entry.default is entry.empty and entry.kind is not entry.VAR_KEYWORD]
    if not names:
        raise DataError("The function takes no column: its first argument is x.", Fault.MISSING)
    return names


def _columns_of(
    arguments: Sequence[str], names: Sequence[str], pair: tuple[str, str] | None
) -> tuple[dict[str, str], str]:
    """Return the column that each argument takes, and the measured one. Raises DataError."""
    if pair is not None:
        x, y = checked_pair(names, pair)
        return {arguments[0]: x, **{name: name for name in arguments[1:] if name in names and name != y}}, y
    across = {name: name for name in arguments if name in names}
    left = [name for name in names if name not in across]
    if arguments[0] not in across:
        others = [name for name in left if name != "y"]
        if len(left) != 2 or not others:
            raise DataError(
                f"{arguments[0]} is no column. The columns are {', '.join(names)}. Say which are x and y, as "
                f'columns=("{names[0]}", "{names[-1]}").',
                Fault.MISSING,
            )
        across = {arguments[0]: others[0], **across}
        left = [name for name in left if name != others[0]]
    if "y" in left or len(left) == 1:
        return across, "y" if "y" in left else left[0]
    raise DataError(
        f'Which column was measured: {", ".join(left) or "none is left"}? Say it, as columns=("{across[arguments[0]]}", "…").',
        Fault.MISSING,
    )
