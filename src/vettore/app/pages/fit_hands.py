"""What hands decide on the equation strip: hold, let go, value and limits, refit; each is one edit that can be undone."""

from __future__ import annotations

from dataclasses import replace

from vettore.app.pages.fit_shaping import Shaping, formula_of
from vettore.app.session import Session
from vettore.app.strip.equation import EquationStrip
from vettore.app.widgets.coefficient_popup import CoefficientPopup
from vettore.core.models.catalogue import CATALOGUE
from vettore.study import edits
from vettore.study.derive import DerivedFit


class StripHands:
    """The part of the Fit page that turns what the strip tells into edits of the study."""

    session: Session
    strip: EquationStrip
    fit: DerivedFit | None
    _shaping: Shaping | None

    def refresh(self) -> None:
        """Read everything from the session again."""
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
        values = (
            self._shaping.values if self._shaping else {n: c.value for n, c in self.fit.result.coefficients.items()}
        )
        if name in held:
            del held[name]
            self._decide(f"let {name} go", hold=tuple(held.items()))
        elif len(held) + 1 < len(values):
            held[name] = values[name]
            limits = tuple(one for one in self.fit.recipe.limits if one[0] != name)
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
        limits = [one for one in recipe.limits if one[0] != name]
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
            study = edits.add_fit(study, series.id, self.fit.recipe.degree)
            curve = study.curves[-1]
        changed = replace(curve, formula=formula_of(self.fit), **values)  # type: ignore[arg-type]
        if not curve.formula and not changed.hold and not changed.limits and changed.loss == "squares":
            changed = replace(changed, formula="", start=())
        self.session.do(label, edits.change_fit(study, changed))
