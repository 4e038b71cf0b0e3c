"""core.fit: one formula, or several equations in the same text."""

from __future__ import annotations

import inspect
from collections.abc import Callable
from functools import wraps
from typing import Any, ParamSpec

from vettore.core.errors import DataError, Fault
from vettore.core.fitting.fit import fit as fit_formula
from vettore.core.fitting.result import FitResult
from vettore.core.systems.fit_system import fit_system
from vettore.core.systems.read import is_system
from vettore.core.systems.result import SystemFit

P = ParamSpec("P")


def _of_any_text(fit: Callable[P, FitResult]) -> Callable[P, FitResult | SystemFit]:
    usual = {name: entry.default for name, entry in inspect.signature(fit).parameters.items()}
    taken = {*inspect.signature(fit_system).parameters, "formula"}

    @wraps(fit)
    def either(*args: P.args, **options: P.kwargs) -> FitResult | SystemFit:
        bound = inspect.signature(fit).bind(*args, **options).arguments
        text = bound.pop("formula")
        if not isinstance(text, str) or not is_system(text):
            return fit(*args, **options)
        given: dict[str, Any] = {name: value for name, value in bound.items() if value is not usual[name]}
        for name in given:
            if name not in taken:
                raise DataError(
                    f"{name} is for a single formula; several equations are fitted without it.", Fault.NO_EFFECT
                )
        return fit_system(text, **given)

    return either


fit = _of_any_text(fit_formula)
