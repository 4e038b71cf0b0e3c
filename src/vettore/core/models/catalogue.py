"""All models that come with the program, in the order in which they are listed."""

from __future__ import annotations

import difflib

from vettore.core.errors import DataError, Fault
from vettore.core.models.model import Model
from vettore.core.models.peaks import PEAKS
from vettore.core.models.rates import RATES
from vettore.core.models.saturations import SATURATIONS
from vettore.core.models.straight import STRAIGHT
from vettore.core.models.waves import WAVES

CATALOGUE: dict[str, Model] = {model.key: model for model in (*STRAIGHT, *RATES, *SATURATIONS, *PEAKS, *WAVES)}


def model(key: str) -> Model:
    """Return a model of the catalogue by its key. Raises DataError.

    >>> from vettore import core
    >>> core.model("exponential-decay-level").formula
    'y = A*exp(-k*x) + C'
    """
    if key in CATALOGUE:
        return CATALOGUE[key]
    close = difflib.get_close_matches(key, CATALOGUE, n=1)
    hint = f" Did you mean {close[0]}?" if close else ""
    raise DataError(f"The catalogue has no model “{key}”.{hint}", Fault.NO_SUCH_NAME)
