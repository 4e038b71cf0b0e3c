"""Numbers as people type them: several, a range, a number with its ±."""

from __future__ import annotations

import math

from vettore.core.errors import DataError, Fault
from vettore.core.rounding import read_number

# A range of more values than this is a slip of the hand.
MOST_IN_RANGE = 10_000


def _one_mark(text: str) -> str:
    """Return a text with the one mark ``…`` for all that people write between the ends of a range."""
    return text.replace("...", "…").replace("..", "…").replace(" to ", "…")


def is_range(text: str) -> bool:
    """Whether a text is meant for a range, or for several."""
    return "…" in _one_mark(text)


def numbers_in(text: str) -> list[float]:
    """Return the numbers of a typed list, or of a range ``a … b every c``. Raises DataError."""
    plain = _one_mark(text)
    if is_range(plain):
        head, _, tail = plain.partition("…")
        end, _, step = tail.partition("every")
        low, high, by = (read_number(part) if part.strip() else None for part in (head, end, step or "1"))
        if low is None or high is None or by is None or by <= 0 or high < low or (high - low) / by > MOST_IN_RANGE:
            raise DataError(f"“{text.strip()}” is no range; write it as −2 … 3 every 0.5.", Fault.NOT_READABLE)
        return [low + k * by for k in range(math.floor((high - low) / by + 1e-9) + 1)]
    values = []
    for part in plain.replace(";", " ").split():
        number = read_number(part.strip(","))
        if number is None:
            raise DataError(f"“{part}” is not a number. Separate several by semicolons.", Fault.NOT_A_NUMBER)
        values.append(number)
    if not values:
        raise DataError("There is no number yet.", Fault.MISSING)
    return values


def limit_in(text: str) -> float | None:
    """Return a limit that was typed, ``inf`` and ``∞`` of either sign among them; None for anything else."""
    plain = text.strip().casefold()
    if plain.lstrip("+-−") in ("inf", "∞") and len(plain) <= 4:
        return -math.inf if plain[0] in "-−" else math.inf
    return read_number(text)


def complex_in(text: str) -> complex:
    """Return a number that was typed, real or complex, as ``1.5`` or ``1+2i``. Raises DataError."""
    number = read_number(text)
    if number is not None:
        return complex(number)
    plain = text.strip().replace("−", "-").replace(" ", "").replace("i", "j")
    if plain.startswith("j"):
        plain = f"1{plain}"
    try:
        return complex(plain.replace("+j", "+1j").replace("-j", "-1j"))
    except ValueError:
        raise DataError(
            f"“{text.strip()}” is not a number; write a root as 1.5 or as 1+2i.", Fault.NOT_READABLE
        ) from None


def limits_in(text: str) -> tuple[float, float]:
    """Return two limits, typed as ``10 … 60``, ``10 to 60`` or ``10; 60``. Raises DataError."""
    plain = _one_mark(text).replace("…", ";")
    parts = [read_number(part) for part in plain.split(";")] if ";" in plain else []
    if len(parts) != 2 or parts[0] is None or parts[1] is None:
        raise DataError(f"“{text.strip()}” is not two limits; write them as 10 … 60.", Fault.NOT_READABLE)
    return parts[0], parts[1]


def measured_in(text: str) -> tuple[float, float | None, str]:
    """Return value, standard error (None when not given) and unit of ``500 ± 2 mg``. Raises DataError."""
    head, sign, tail = text.replace("+-", "±").replace("+/-", "±").partition("±")
    value_text, _, unit = (head if not sign else tail).strip().partition(" ")
    error = None
    if sign:
        error = read_number(value_text)
        value_text = head
    value = read_number(value_text)
    if value is None or (sign and (error is None or error < 0)):
        raise DataError(f"“{text.strip()}” is not a number with its ±; write it as 500 ± 2 mg.", Fault.NOT_READABLE)
    return value, error, unit.strip()
