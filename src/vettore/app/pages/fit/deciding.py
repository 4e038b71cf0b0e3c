"""What the choices of the Fit page decide: the model, the weights, the loss and the span; each is one edit."""

from __future__ import annotations

from collections.abc import Callable

from vettore.app.pages.fit.present import FitState
from vettore.app.session import Session
from vettore.core.errors import VettoreError
from vettore.core.models.catalogue import CATALOGUE
from vettore.study import edits, parts
from vettore.study.fitting.fits import DerivedFit
from vettore.study.fitting.line_up import OWN, Key
from vettore.study.fitting.peaks import with_decisions
from vettore.study.fitting.peaks_tried import PEAKS, key_of, recipe_of
from vettore.study.fitting.pulls import formula_of
from vettore.study.kinds.equations import EquationsRecipe
from vettore.study.kinds.fits import AnyFit, as_formula, as_polynomial
from vettore.study.kinds.peaks_fit import PeaksRecipe
from vettore.study.kinds.polynomial_fit import PolynomialFit, degree_name
from vettore.study.series import ErrorOfY, Series
from vettore.study.study import Study
from vettore.words.noises import NOISE_WORDS


class FitDeciding:
    """Turns choices into edits of the study. ``fit`` is the one that is shown; what cannot be decided is refused."""

    def __init__(self, session: Session, refuse: Callable[[str], None]) -> None:
        self.session, self._refuse = session, refuse
        self.state = FitState()
        self.fit: DerivedFit | None = None

    def choose(self, key: Key) -> None:
        """Make the chosen curve a model of the line-up."""
        if isinstance(key, int):
            self.choose_degree(key)
        elif key.startswith(PEAKS):
            self.choose_peaks(key)
        else:
            self.choose_model(key)

    def choose_model(self, key: str) -> None:
        """Make the chosen curve a model of the catalogue or of the user's own, or make the first curve of the series."""
        series, curve = self.session.series, self.session.curve
        if series is None or (curve is not None and self.chosen_key() == key):
            return
        model = self.session.own_models.models.get(key) or CATALOGUE[key]
        chosen = model if key.startswith(OWN) else key
        label = f"fit {model.name.lower()}"
        try:
            if curve is None:
                self.session.do(label, edits.add_model(self.session.study, series.id, chosen))
            else:
                changed = edits.with_model(series, curve, chosen)
                self.session.do(label, edits.change_fit(self.session.study, changed))
        except VettoreError as error:
            self._refuse(str(error))

    def choose_peaks(self, key: str) -> None:
        """Make the chosen curve peaks of the line-up, or make the first curve of the series."""
        series, curve = self.session.series, self.session.curve
        if series is None or (curve is not None and self.chosen_key() == key):
            return
        recipe = recipe_of(key, curve or self.recipe(series))
        label = f"fit {recipe.name.lower()}"
        if curve is None:
            self.session.do(label, edits.add_peaks(self.session.study, series.id, recipe))
        else:
            self.session.do(label, edits.change_fit(self.session.study, recipe))

    def change_peaks(self, label: str, **values: object) -> None:
        """Change the recipe of the peaks that are shown, made first when there is none."""
        series = self.session.series
        if series is not None and isinstance(self.recipe(series), PeaksRecipe):
            self._change(label, **values)

    def choose_degree(self, degree: int) -> None:
        """Make the chosen curve a polynomial of this degree, or make the first curve of the series."""
        series, curve = self.session.series, self.session.curve
        if series is None:
            return
        if curve is None:
            study = edits.add_fit(self.session.study, series.id, degree)
            self.session.do(f"fit {degree_name(degree).lower()}", study)
        elif not isinstance(curve, PolynomialFit) or curve.degree != degree:
            changed = as_polynomial(curve, degree, curve.intercept or degree == 0)
            self.session.do(f"fit {degree_name(degree).lower()}", edits.change_fit(self.session.study, changed))

    def fit_equations(self, text: str) -> bool:
        """Keep several equations of the series; whether there is one."""
        series = self.session.series
        if series is None:
            return False
        recipe = EquationsRecipe(series=series.id, text=text)
        self.session.do("several equations", parts.add(self.session.study, recipe))
        return True

    def fit_own(self, text: str, refuse: Callable[[str], None]) -> None:
        """Fit the formula that was written, as the chosen curve or as the first of the series."""
        series, curve = self.session.series, self.session.curve
        if series is None:
            return
        try:
            study = edits.add_formula(self.session.study, series.id, text)
        except VettoreError as error:
            refuse(str(error))
            return
        if curve is not None:
            own = as_formula(curve, text, model="", called="", hold=(), start=(), limits=())
            study = edits.change_fit(self.session.study, own)
        self.session.do("fit an own formula", study)

    def recipe(self, series: Series) -> AnyFit:
        """Return what is shown of a series."""
        return self.state.recipe_for(series, self.session.curve)

    def suggest(self, series: Series, key: Key, recipe: AnyFit) -> bool:
        """Show a model of a series while none is chosen; whether it was another before."""
        suggested = {(series.id, series.key): (key, recipe)}
        news = self.state.suggested.get((series.id, series.key)) != (key, recipe)
        self.state = FitState(suggested)
        return news

    def present_recipe(self) -> AnyFit | None:
        """Return what is shown of the chosen series."""
        return None if self.session.series is None else self.recipe(self.session.series)

    def add_another(self) -> None:
        """Keep the curve and begin a second one."""
        series, curve = self.session.series, self.session.curve
        if series is None or curve is None:
            return
        other = as_polynomial(curve, curve.degree if isinstance(curve, PolynomialFit) else 1, curve.intercept)
        study = edits.add_curve(self.session.study, other.changed(span=None))
        self.session.do("try another model", study)
        self.session.show_curve(study.curves[-1].id)

    def turn_origin(self, checked: bool) -> None:
        """Let the curve pass through the origin, or give it a constant."""
        self._change(intercept=not checked, label="through the origin" if checked else "with a constant")

    def weigh(self, error: ErrorOfY | None) -> None:
        """Weigh rows by a ± of y, or (None) equally; one edit."""
        series = self.session.series
        if series is None:
            return
        if error is None:
            self._change("equal weights", use_errors=False)
            return
        study = edits.set_error_of_y(self.session.study, series.id, error)
        self._change("weight by ± of y", study, use_errors=True)

    def turn_known(self, known: bool) -> None:
        """Take the ± of y as known, or as relative weights."""
        self._change("take the ± of y as known" if known else "take the ± of y as relative", errors_known=known)

    def turn_x_errors(self, used: bool) -> None:
        """Take the distances of the rows in x, too, or those in y alone."""
        self._change("use the ± of x" if used else "leave the ± of x out", use_x_errors=used)

    def choose_noise(self, noise: str, size: float | None = None) -> None:
        """Take y to scatter by a kind of noise, with the number that it may need."""
        self._change(NOISE_WORDS[noise].edit, noise=noise, noise_size=size)

    def take_better(self) -> None:
        """Begin at the better answer that was met beside a start that was given."""
        better = None if self.fit is None else self.fit.result.better
        if self.fit is not None and better is not None:
            given = dict(self.fit.recipe.start)
            start = tuple((name, better.values.get(name, value)) for name, value in given.items())
            others = tuple((name, value) for name, value in better.values.items() if name not in given)
            self.decide("take the better fit", start=(*start, *others))

    def choose_loss(self, chosen: str) -> None:
        """Fit by squares, or by a loss that forgives outliers."""
        if self.fit is None or self.recipe(self.fit.series).loss == chosen:
            return
        if chosen == "squares":
            self.decide("ordinary least squares", loss=chosen)
        else:
            self.decide(f"forgive outliers ({chosen})", loss=chosen)

    def take_span(self, span: tuple[float, float] | None) -> None:
        """Fit only rows with x in a span, or (None) all."""
        self._change("fit a span of x" if span else "fit all x", span=span)

    def decide(self, label: str, **values: object) -> None:
        """Change the recipe; a polynomial becomes the formula that it is."""
        series, curve = self.session.series, self.session.curve
        if series is None or self.fit is None:
            return
        study = self.session.study
        if curve is None:
            study = edits.add_curve(study, self.fit.recipe)
            curve = study.curves[-1]
        if isinstance(curve, PeaksRecipe):
            self.session.do(label, edits.change_fit(study, with_decisions(self.fit, curve, values)))
            return
        changed: AnyFit = as_formula(curve, formula_of(self.fit), **values)
        if not curve.formula and not changed.hold and not changed.limits and changed.loss == "squares":
            changed = curve
        self.session.do(label, edits.change_fit(study, changed))

    def _change(self, label: str, study: Study | None = None, **values: object) -> None:
        """Change the recipe of the curve, made first when there is none; ``study`` may be edited already."""
        series, curve = self.session.series, self.session.curve
        if series is None:
            return
        study = study or self.session.study
        if curve is None:
            study = edits.add_curve(study, self.recipe(series))
            curve = study.curves[-1]
        changed = curve.changed(**values)
        if isinstance(changed, PolynomialFit) and not changed.intercept and changed.degree == 0:
            changed = changed.changed(degree=1)
        self.session.do(label, edits.change_fit(study, changed))

    def chosen_key(self) -> Key:
        """Return what is chosen in the line-up, or −1 when it is a formula of the user's own."""
        curve = self.session.curve
        own = self.session.own_models.named(curve.called) if curve is not None and curve.called else None
        if own is not None:
            return OWN + own.key
        if isinstance(curve, PolynomialFit):
            return curve.degree
        if curve is None:
            series = self.session.series
            return -1 if series is None else self.state.key_for(series)
        return key_of(curve) or curve.model or -1
