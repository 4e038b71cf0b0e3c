"""What the ± of a kept number is made of: the rows, what was typed, and how they go together."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

import numpy as np

from vettore.core.budget import Budget, Input, budget
from vettore.core.errors import DataError, Fault
from vettore.core.formula.tree import Name, Node
from vettore.study.fitting.fits import DerivedFit
from vettore.study.kinds.readings import FormulaReading, Reading, read
from vettore.study.kinds.readings.base import Given
from vettore.study.remembered import MEMORY, content_of


def budget_of(fit: DerivedFit, reading: Reading, kept: Sequence[Reading]) -> Budget:
    """Return what the ± of a reading is made of, kept as a fit is. Raises VettoreError where it is not one number with a ±."""
    key = ("budget", content_of(fit.series), fit.recipe, reading, tuple(kept))
    return MEMORY.derive(key, lambda: _worked_out(fit, reading, kept))


def _worked_out(fit: DerivedFit, reading: Reading, kept: Sequence[Reading]) -> Budget:
    tree: Node
    used: Mapping[str, Given]
    if isinstance(reading, FormulaReading):
        _, tree, used = reading.parts(fit, kept)
    else:
        sentence = read(fit, reading, kept)
        given = None if fit.curve is None else reading.number(fit, sentence, kept)
        if given is None:
            raise DataError("This reading is not one number, so it has no ± to be taken apart.", Fault.UNAVAILABLE)
        tree, used = Name("value"), {"value": given}
    inputs = {}
    for name, number in used.items():
        if number.spread.shared is None:
            raise DataError(
                f"The ± of {name} is not known, so nothing can be said of what follows from it.", Fault.NOT_TOLD
            )
        shared = np.asarray(number.spread.shared, dtype=np.float64)
        inputs[name] = Input(number.value, shared, math.sqrt(number.spread.own), number.law)
    return budget(tree, inputs, fit.result.interval_freedom, fit.result.level)
