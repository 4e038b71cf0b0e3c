"""What hands do on the equation strip and on the curve: shape by hand; hold, let go, value and limits, refit.

Shaping is tried out and changes nothing; each of the others is one edit that can be undone.
"""

from __future__ import annotations

import numpy as np

from vettore.app.pages.fit_shaping import Shaping, step_of
from vettore.app.session import Session
from vettore.app.stage.grips import Grips
from vettore.app.stage.plot import Plot
from vettore.app.strip.chips import Chip
from vettore.app.strip.equation import EquationStrip
from vettore.app.widgets.coefficient_popup import CoefficientPopup
from vettore.core.models.catalogue import CATALOGUE
from vettore.core.models.pulling import Placed
from vettore.core.typeset import Row, renamed
from vettore.study import edits
from vettore.study.fits import DerivedFit, coefficient_units
from vettore.study.kinds.fits import AnyFit, as_formula
from vettore.study.pulls import Pulls, formula_of
from vettore.study.series import Role

# Columns with longer names have a symbol in the strip.
LONGEST_NAME = 16


class StripHands:
    """The part of the Fit page that answers to the strip and to the grips."""

    session: Session
    strip: EquationStrip
    plot: Plot
    grips: Grips
    fit: DerivedFit | None
    _shaping: Shaping | None
    _pulls: Pulls | None
    _grips_shown: list[Placed]

    def refresh(self) -> None:
        """Read everything from the session again."""
        raise NotImplementedError

    def show_step(self, place: int) -> None:
        """Show the curve as it was at a step of the search, or (−1) the fit again."""
        fit = self.fit
        if fit is None:
            return
        if place < 0 or place >= len(fit.result.path):
            self.plot.line.set_curve(fit.curve, fit.result.level)
            self._show_equation(fit)
            self.strip.show_shaped("")
            self._shaping = None
        else:
            step = fit.result.path[place]
            self._shaping = Shaping(fit)
            for name, value in step.values.items():
                self._shaping.set(name, value)
            self._show_shaped(True)
            self.strip.note.setText(f"step {place} of {len(fit.result.path) - 1} of the search")
        self._show_grips()

    def take_back(self) -> bool:
        """Go back to the curve before the last drag, which is the fit before the first."""
        if self.fit is None or self._shaping is None or not self._shaping.steps:
            return False
        self._shaping.step_back()
        if self._shaping.steps:
            self._show_shaped(True)
        else:
            self.show_step(-1)
            self._show_residuals(self.fit)
        return True

    def _let_go(self) -> None:
        """A drag has ended: it is a step that can be taken back."""
        if self._shaping is not None:
            self._shaping.end_step()
        self._show_shaped(True)

    def _show_residuals(self, fit: DerivedFit) -> None:
        raise NotImplementedError

    def refit(self) -> None:
        """Fit again from the values given by hand."""
        if self.fit is None or self._shaping is None:
            return
        values = self._shaping.values
        held = dict(self.fit.recipe.hold)
        start = tuple((name, value) for name, value in values.items() if name not in held)
        # What is held stays held, at the value that it was given.
        hold = tuple((name, values[name]) for name in held)
        self._decide("refit from here", start=start, hold=hold)
        self._shaping = None
        self.refresh()

    def turn_hold(self, name: str) -> None:
        """Hold a coefficient at its present value, or let it go."""
        if self.fit is None:
            return
        held = dict(self.fit.recipe.hold)
        values = self._shaping.values if self._shaping else _values(self.fit)
        if name in held:
            del held[name]
            self._decide(f"let {name} go", hold=tuple(held.items()))
        elif len(held) + 1 < len(values):
            held[name] = values[name]
            limits = tuple(limit for limit in self.fit.recipe.limits if limit[0] != name)
            self._decide(f"hold {name}", hold=tuple(held.items()), limits=limits)
        else:
            self.session.say("One coefficient at least has to be fitted.", "bad")

    def ask_coefficient(self, name: str) -> CoefficientPopup | None:
        """Open the form of a coefficient under its chip."""
        if self.fit is None:
            return None
        recipe = self.fit.recipe
        limits = next(((low, high) for one, low, high in recipe.limits if one == name), (None, None))
        model = CATALOGUE.get(recipe.model)
        meanings = {}
        if model is not None:
            called = model.names_beside([column.name for column in self.fit.series.columns])
            meanings = {called[own]: words for own, words in model.meanings.items()}
        popup = CoefficientPopup(
            self.fit.result.coefficients[name],
            limits,
            meanings.get(name, ""),
            self.session.style,
            self._take_coefficient,
            self.strip,
        )
        frame = self.strip.frame_of(name)
        popup.show_under(self.strip.mapToGlobal(frame.bottomLeft().toPoint()))
        return popup

    def _take_coefficient(self, name: str, value: float, hold: bool, low: float | None, high: float | None) -> None:
        if self.fit is None:
            return
        recipe = self.fit.recipe
        held = {**dict(recipe.hold)}
        held.pop(name, None)
        limits = [limit for limit in recipe.limits if limit[0] != name]
        start = [one for one in recipe.start if one[0] != name]
        if hold:
            held[name] = value
        else:
            start.append((name, value))
            if low is not None or high is not None:
                limits.append((name, low, high))
        self._decide(f"decide on {name}", hold=tuple(held.items()), limits=tuple(limits), start=tuple(start))

    def _decide(self, label: str, **values: object) -> None:
        """Change the recipe; a polynomial becomes the formula that it is."""
        series, curve = self.session.series, self.session.curve
        if series is None or self.fit is None:
            return
        study = self.session.study
        if curve is None:
            study = edits.add_curve(study, self.fit.recipe)
            curve = study.curves[-1]
        changed: AnyFit = as_formula(curve, formula_of(self.fit), **values)
        if not curve.formula and not changed.hold and not changed.limits and changed.loss == "squares":
            changed = curve
        self.session.do(label, edits.change_fit(study, changed))

    def _show_equation(self, fit: DerivedFit) -> None:
        """Show the equation with fitted values, or with those given by hand."""
        left, terms = fit.equation
        chips, style = {}, self.session.style
        short = short_names(fit)
        left, terms = renamed(left, short), [Row((renamed(term, short),)) for term in terms]
        self.strip.legend = "; ".join(f"{symbol}: {name}" for name, symbol in short.items())
        # The spread of y is asked for only where a value of 0 tells nothing.
        at_zero = any(coefficient.value == 0.0 for coefficient in fit.result.coefficients.values())
        spread = float(np.ptp(fit.result.y)) if at_zero and fit.result.n else 1.0
        for (name, one), unit in zip(fit.result.coefficients.items(), coefficient_units(fit), strict=True):
            value, error = style.with_error(one.value, one.standard_error)
            number = one.value
            if self._shaping is not None and self._shaping.values[name] != one.value:
                number = self._shaping.values[name]
                value, error = style.number(number, 5), ""
            known = error if one.standard_error is not None else ""
            spoken = f"{name} is {value} {unit}, {'held' if one.held else f'± {error}'}"
            chips[name] = Chip(
                f"{value} {unit}".strip(), known, number, step_of(one, spread), one.held, one.at_limit, spoken
            )
        self.strip.show_equation(left, terms, chips)
        self.strip.plain_text = formula_of(fit)

    def shape(self, name: str, value: float) -> None:
        """Give a coefficient a value by hand; the curve and the residuals follow at once."""
        if self.fit is None:
            return
        if self._shaping is None:
            self._shaping = Shaping(self.fit)
        self._shaping.set(name, value)
        self._show_shaped(False)

    def _show_shaped(self, whole: bool) -> None:
        if self._shaping is None or self.fit is None:
            return
        shaped = self._shaping.shaped(whole)
        self.plot.line.set_curve(shaped.curve, self.fit.result.level)
        rows = self.fit.rows[shaped.rows]
        x = self.fit.x[shaped.rows]
        none = np.zeros(len(rows), dtype=bool)
        self.plot.residual_marks.set_data(x, shaped.misses, rows, none, self.session.ink(self.fit.series))
        self._show_equation(self.fit)
        self._show_grips()
        self.strip.show_shaped(self._shaping.words(shaped, self.session.style))

    def _show_grips(self) -> None:
        """Put the grips where the curve, fitted or shaped, has them."""
        self._grips_shown = []
        curve = self.plot.line.curve
        if self.fit is not None and self._pulls is not None and curve is not None:
            values = self._shaping.values if self._shaping else _values(self.fit)
            self._grips_shown = self._pulls.places(values, curve)
        self.grips.set_grips([(one.x, one.y, one.name) for one in self._grips_shown])

    def pull(self, place: int, x: float, y: float) -> None:
        """Pull a grip to a point of the plot; the coefficients that it stands for follow."""
        curve = self.plot.line.curve
        if self.fit is None or self._pulls is None or curve is None or place >= len(self._grips_shown):
            return
        if self._shaping is None:
            self._shaping = Shaping(self.fit)
        values = self._pulls.pull(self._grips_shown[place].name, place, self._shaping.values, curve, x, y)
        if values is not None:
            for name, value in values.items():
                self._shaping.set(name, value)
            self._show_shaped(False)


def short_names(fit: DerivedFit) -> dict[str, str]:
    """Return symbols for the columns whose names are too long for the strip; the axes have the names."""
    x_name, y_name = fit.series.name_and_unit(Role.X)[0], fit.y_called[0]
    others = [column.name for column in fit.series.columns if column.name not in (x_name, y_name)]
    taken = {*fit.result.coefficients, *(column.name for column in fit.series.columns)}
    out = {}
    for name, letters in ((x_name, "xXuU"), (y_name, "yYvV"), *((other, "zwpqst") for other in others)):
        free = [letter for letter in letters if letter not in taken]
        if len(name) > LONGEST_NAME and free:
            out[name] = free[0]
            taken.add(free[0])
    return out


def _values(fit: DerivedFit) -> dict[str, float]:
    return {name: coefficient.value for name, coefficient in fit.result.coefficients.items()}
