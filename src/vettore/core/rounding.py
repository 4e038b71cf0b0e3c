"""How numbers are written: the uncertainty with two significant digits, the value with as many places."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

from vettore.core.units import simplified

MINUS = "−"
# Outside 1e-4 … 1e6 a number is written with a power of ten.
SMALLEST_PLAIN = 1e-4
# Columns of numbers between these need no common power of ten.
COMMON_FROM, COMMON_TO = 1e-3, 1e6
LARGEST_PLAIN = 1e6
_SUPERSCRIPT = str.maketrans("-0123456789", "⁻⁰¹²³⁴⁵⁶⁷⁸⁹")


@dataclass(frozen=True)
class NumberStyle:
    """The user's way of writing numbers: decimal mark "." or ","; units as they come or ``simple_units``."""

    decimal_mark: str = "."
    simple_units: bool = False

    def unit(self, text: str) -> str:
        """Return a unit as it is written: with equal parts taken together if asked."""
        return simplified(text) if self.simple_units else text

    def plain(self, text: str) -> str:
        """Put this style's decimal mark and a true minus sign into a Python number text."""
        return text.replace("-", MINUS).replace(".", self.decimal_mark)

    def number(self, value: float | None, digits: int = 5) -> str:
        """Write ``value`` with ``digits`` significant digits; an unknown value is a dash."""
        if value is None or math.isnan(value):
            return "—"
        if math.isinf(value):
            return "∞" if value > 0 else f"{MINUS}∞"
        if value == 0:
            return "0"
        exponent = _exponent(value, digits)
        if _is_plain(value, exponent):
            places = max(digits - 1 - exponent, 0)
            return self.plain(f"{value:.{places}f}")
        return self._with_power(value / 10.0**exponent, digits - 1, exponent)

    def short(self, value: float, most: int = 10) -> str:
        """Write a value that was typed or measured with no more digits than it has, and no more than ``most``."""
        if not math.isfinite(value):
            return self.number(value)
        digits = len(f"{value:.{most - 1}e}".split("e")[0].lstrip("-").rstrip("0").replace(".", ""))
        return self.number(value, max(digits, 1))

    def common(self, values: Iterable[float]) -> tuple[int, str]:
        """Return a power of ten that numbers in a column may share, a multiple of 3, and how it is written; 0 for none."""
        largest = max((abs(value) for value in values if math.isfinite(value)), default=0.0)
        if largest == 0 or COMMON_FROM <= largest < COMMON_TO:
            return 0, ""
        power = 3 * math.floor(math.log10(largest) / 3)
        return power, f"10{str(power).translate(_SUPERSCRIPT)}"

    def fixed(self, value: float | None, places: int) -> str:
        """Write ``value`` with ``places`` decimal places."""
        if value is None or not math.isfinite(value):
            return self.number(value)
        return self.plain(f"{value:.{places}f}")

    def with_error(self, value: float, error: float | None) -> tuple[str, str]:
        """Write a value and its uncertainty so that both end at the same place."""
        if error is None or not math.isfinite(error) or error < 0:
            return self.number(value), "—"
        if error == 0 or (value != 0 and error < abs(value) * 1e-15):
            return self.number(value, 6), self.number(error, 2)
        last = _exponent(error, 2) - 1
        size = max(abs(value), error)
        exponent = _exponent(size, max(2, math.floor(math.log10(size)) - last + 1))
        if _is_plain(size, exponent) and last > -9:
            places = max(-last, 0)
            # An uncertainty of hundreds: round both to tens or hundreds, as its two digits say.
            unit = 10.0 ** max(last, 0)
            return (
                self.plain(f"{round(value / unit) * unit if unit > 1 else value:.{places}f}"),
                self.plain(f"{round(error / unit) * unit if unit > 1 else error:.{places}f}"),
            )
        places = max(exponent - last, 0)
        return (
            self._with_power(value / 10.0**exponent, places, exponent),
            self._with_power(error / 10.0**exponent, places, exponent),
        )

    def pair(self, value: float, error: float | None, unit: str = "") -> str:
        """Write ``6.421 ± 0.056 mg/L``; without a known uncertainty just the value."""
        value_text, error_text = self.with_error(value, error)
        text = value_text if error is None else f"{value_text} ± {error_text}"
        return f"{text} {self.unit(unit)}".rstrip() if unit else text

    def interval(self, low: float | None, high: float | None, error: float | None) -> str:
        """Write ``6.305 … 6.538``, rounded like the value whose standard error is ``error``.

        Without one the width tells where to round; a side without an end is ``≥ 6.305`` or ``≤ 6.538``.
        """
        if error is None and low is not None and high is not None and high > low:
            error = (high - low) / 10
        low_text, high_text = ("" if end is None else self.with_error(end, error)[0] for end in (low, high))
        if low is None or high is None:
            return f"≥ {low_text}" if low_text else f"≤ {high_text}" if high_text else "—"
        return f"{low_text} … {high_text}"

    def probability(self, p: float | None) -> str:
        """Write a p value; below 0.001 only that it is."""
        if p is None:
            return "—"
        return self.plain("< 0.001") if p < 0.001 else self.fixed(p, 3 if p < 0.1 else 2)

    def p_value(self, p: float | None) -> str:
        """Write a probability with what it is: ``p = 0.18``, ``p < 0.001``."""
        text = self.probability(p)
        return f"p {text}" if text.startswith("<") else f"p = {text}"

    def _with_power(self, mantissa: float, places: int, exponent: int) -> str:
        return f"{self.plain(f'{mantissa:.{places}f}')}·10{str(exponent).translate(_SUPERSCRIPT)}"


def read_number(text: str) -> float | None:
    """Return the finite number that a person typed, with decimal comma or point; None for anything else."""
    plain = text.strip().replace(MINUS, "-").replace(",", ".")
    if not plain or "_" in plain:
        return None
    try:
        value = float(plain)
    except ValueError:
        return None
    return value if math.isfinite(value) else None


def _exponent(value: float, digits: int) -> int:
    """Return the power of ten of ``value`` after it is rounded to ``digits`` significant digits."""
    return int(f"{value:.{max(digits - 1, 0)}e}".split("e")[1])


def _is_plain(value: float, exponent: int) -> bool:
    return abs(value) >= SMALLEST_PLAIN and exponent < math.log10(LARGEST_PLAIN)
