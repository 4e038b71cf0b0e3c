"""What a fit would become without some rows."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from vettore.core.rounding import NumberStyle
from vettore.study.fitting.fits import DerivedFit, fit_series
from vettore.study.kinds.fits import AnyFit
from vettore.study.series import Series, SetAside


@dataclass(frozen=True, eq=False)
class Without:
    """A fit with all rows and without some of them."""

    rows: tuple[int, ...]
    now: DerivedFit
    then: DerivedFit

    def lines(self, style: NumberStyle) -> tuple[tuple[str, ...], ...]:
        """Return name, value now, value then, and the change in standard errors, for each coefficient and s and R²."""
        out: list[tuple[str, ...]] = []
        for name, coefficient in self.now.result.coefficients.items():
            other = self.then.result.coefficients[name]
            change = "—"
            if coefficient.standard_error:
                shift = (other.value - coefficient.value) / coefficient.standard_error
                change = f"{'+' if shift >= 0 else ''}{style.fixed(shift, 1)} s.e."
            values = (style.pair(each.value, each.standard_error) for each in (coefficient, other))
            out.append((name, *values, change))
        a, b = self.now.result, self.then.result
        spreads = (style.number(each.residual_sd, 3) for each in (a, b))
        fraction = _change(a.residual_sd, b.residual_sd, style)
        out.append(("residual s", *spreads, fraction))
        if a.r_squared is not None and b.r_squared is not None:
            places = 4 if max(a.r_squared, b.r_squared) < 0.9995 else 6
            out.append(("R²", style.fixed(a.r_squared, places), style.fixed(b.r_squared, places), ""))
        return tuple(out)


def fit_without(series: Series, recipe: AnyFit, rows: Iterable[int]) -> Without:
    """Fit with and without rows (counted from 0) that would be set aside. Raises DataError."""
    numbers = tuple(sorted(set(rows)))
    already = {entry.row for entry in series.set_aside}
    aside = tuple(
        sorted((*series.set_aside, *(SetAside(row, "") for row in numbers if row not in already)), key=_row)
    )
    return Without(numbers, fit_series(series, recipe), fit_series(series.changed(set_aside=aside), recipe))


def _row(entry: SetAside) -> int:
    return entry.row


def _change(now: float | None, then: float | None, style: NumberStyle) -> str:
    if not now or then is None:
        return ""
    percent = (then / now - 1) * 100
    return f"{'+' if percent >= 0 else ''}{style.fixed(percent, 0)} %"
