"""What the choices of the Fit page decide: the model, the weights, the loss and the span; each is one edit."""

from __future__ import annotations

from vettore.app.session import Session
from vettore.app.stage.hand_box import Hand
from vettore.app.stage.plot import Plot
from vettore.app.widgets.formula_bench import FormulaBench
from vettore.app.widgets.how_fitted import HowFitted
from vettore.core.errors import VettoreError
from vettore.core.models.catalogue import CATALOGUE
from vettore.study import edits
from vettore.study.fits import DerivedFit
from vettore.study.kinds.fits import AnyFit, as_formula, as_polynomial
from vettore.study.kinds.polynomial_fit import PolynomialFit, degree_name
from vettore.study.line_up import OWN, Key
from vettore.study.pulls import formula_of
from vettore.study.series import ErrorOfY, Series
from vettore.study.study import Study


class ModelHands:
    """The part of the Fit page that turns choices into edits of the study."""

    session: Session
    fit: DerivedFit | None
    plot: Plot
    how: HowFitted
    bench: FormulaBench
    _suggested: dict[tuple[str, str], tuple[Key, AnyFit]]

    def _decide(self, label: str, **values: object) -> None:
        raise NotImplementedError

    def _say_refusal(self, sentence: str) -> None:
        raise NotImplementedError

    def choose(self, key: Key) -> None:
        """Make the chosen curve a model of the line-up."""
        if isinstance(key, int):
            self.choose_degree(key)
        else:
            self.choose_model(key)

    def choose_model(self, key: str) -> None:
        """Make the chosen curve a model of the catalogue or of the user's own, or make the first curve of the series."""
        series, curve = self.session.series, self.session.curve
        if series is None or (curve is not None and self._chosen_key() == key):
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
            self._say_refusal(str(error))

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

    def open_bench(self) -> None:
        """Open the bench on the formula of the curve."""
        self.bench.open(formula_of(self.fit) if self.fit is not None else "")

    def fit_own(self, text: str) -> None:
        """Fit the formula that was written, as the chosen curve or as the first of the series."""
        series, curve = self.session.series, self.session.curve
        if series is None:
            return
        try:
            study = edits.add_formula(self.session.study, series.id, text)
        except VettoreError as error:
            self.bench.say(str(error))
            return
        if curve is not None:
            own = as_formula(curve, text, model="", called="", hold=(), start=(), limits=())
            study = edits.change_fit(self.session.study, own)
        self.session.do("fit an own formula", study)

    def _recipe(self, series: Series) -> AnyFit:
        """Return what is shown: the chosen curve, or the model that suggests itself, or a line."""
        _key, suggested = self._suggested.get((series.id, series.key), (-1, None))
        return self.session.curve or suggested or PolynomialFit(series=series.id, degree=1)

    def _present_recipe(self) -> AnyFit | None:
        return None if self.session.series is None else self._recipe(self.session.series)

    def _add_another(self) -> None:
        series, curve = self.session.series, self.session.curve
        if series is None or curve is None:
            return
        other = as_polynomial(curve, curve.degree if isinstance(curve, PolynomialFit) else 1, curve.intercept)
        study = edits.add_curve(self.session.study, other.changed(span=None))
        self.session.do("try another model", study)
        self.session.show_curve(study.curves[-1].id)

    def _turn_origin(self, checked: bool) -> None:
        self._change(intercept=not checked, label="through the origin" if checked else "with a constant")

    def _weigh(self, error: ErrorOfY | None) -> None:
        """Weigh rows by a ± of y, or (None) equally; one edit."""
        series = self.session.series
        if series is None:
            return
        if error is None:
            self._change("equal weights", use_errors=False)
            return
        study = edits.set_error_of_y(self.session.study, series.id, error)
        self._change("weight by ± of y", study, use_errors=True)

    def _turn_known(self, known: bool) -> None:
        """Take the ± of y as known, or as relative weights."""
        self._change("take the ± of y as known" if known else "take the ± of y as relative", errors_known=known)

    def _turn_x_errors(self, used: bool) -> None:
        """Take the distances of the rows in x, too, or those in y alone."""
        self._change("use the ± of x" if used else "leave the ± of x out", use_x_errors=used)

    def take_better(self) -> None:
        """Begin at the better answer that was met beside a start that was given."""
        better = None if self.fit is None else self.fit.result.better
        if self.fit is not None and better is not None:
            given = dict(self.fit.recipe.start)
            start = tuple((name, better.values.get(name, value)) for name, value in given.items())
            others = tuple((name, value) for name, value in better.values.items() if name not in given)
            self._decide("take the better fit", start=(*start, *others))

    def _choose_loss(self, chosen: str) -> None:
        if self.fit is None or self._recipe(self.fit.series).loss == chosen:
            return
        if chosen == "squares":
            self._decide("ordinary least squares", loss=chosen)
        else:
            self._decide(f"forgive outliers ({chosen})", loss=chosen)

    def _ask_span(self, dragged: bool) -> None:
        """Let a span of x be dragged on the plot, or fit all x again."""
        if not dragged:
            self._change("fit all x", span=None)
            return
        self.plot.set_hand(Hand.SPAN)
        self.how.show_dragging()

    def _take_span(self, low: float, high: float) -> None:
        """Fit only rows with x in a span; the hand moves the view again."""
        self.plot.set_hand(Hand.MOVE)
        self._change("fit a span of x", span=(low, high))

    def _change(self, label: str, study: Study | None = None, **values: object) -> None:
        """Change the recipe of the curve, made first when there is none; ``study`` may be edited already."""
        series, curve = self.session.series, self.session.curve
        if series is None:
            return
        study = study or self.session.study
        if curve is None:
            study = edits.add_curve(study, self._recipe(series))
            curve = study.curves[-1]
        changed = curve.changed(**values)
        if isinstance(changed, PolynomialFit) and not changed.intercept and changed.degree == 0:
            changed = changed.changed(degree=1)
        self.session.do(label, edits.change_fit(study, changed))

    def _chosen_key(self) -> Key:
        """Return what is chosen in the line-up, or −1 when it is a formula of the user's own."""
        curve = self.session.curve
        own = self.session.own_models.named(curve.called) if curve is not None and curve.called else None
        if own is not None:
            return OWN + own.key
        if isinstance(curve, PolynomialFit):
            return curve.degree
        if curve is None:
            series = self.session.series
            return -1 if series is None else self._suggested.get((series.id, series.key), (-1, None))[0]
        return curve.model or -1
