"""All models that come with the program, in the order in which they are listed."""

from __future__ import annotations

import difflib

from vettore.core.errors import DataError, Fault
from vettore.core.models.model import Model
from vettore.core.models.peaks import PEAKS
from vettore.core.models.rates import RATES
from vettore.core.models.saturations import SATURATIONS
from vettore.core.models.straight import STRAIGHT
from vettore.core.models.synonyms import SYNONYMS, flat
from vettore.core.models.waves import WAVES

CATALOGUE: dict[str, Model] = {model.key: model for model in (*STRAIGHT, *RATES, *SATURATIONS, *PEAKS, *WAVES)}


# By their keys and names, and what else they are called, without capitals and signs.
_BY_NAME = {
    **SYNONYMS,
    **{flat(each.name): key for key, each in CATALOGUE.items()},
    **{flat(key): key for key in CATALOGUE},
}


def named_model(name: str) -> Model | None:
    """Return the model of a key, of its name, or of another name that the trade has for it; None where there is none."""
    key = _BY_NAME.get(flat(name))
    return None if key is None else CATALOGUE[key]


def model(key: str) -> Model:
    """Return a model of the catalogue by its key, its name, or another name that the trade has for it. Raises DataError.

    >>> from vettore import core
    >>> core.model("exponential-decay-level").formula
    'y = A*exp(-k*x) + C'
    >>> core.model("Michaelis–Menten").key
    'saturation'
    """
    known = named_model(key)
    if known is not None:
        return known
    close = difflib.get_close_matches(flat(key), _BY_NAME, n=1)
    hint = ""
    if close:
        meant = CATALOGUE[_BY_NAME[close[0]]]
        hint = f" Did you mean {meant.key} ({meant.formula})?"
    raise DataError(f"The catalogue has no model “{key}”.{hint}", Fault.NO_SUCH_NAME)
