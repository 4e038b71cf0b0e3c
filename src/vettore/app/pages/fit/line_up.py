"""Fits the line-up in the background, a few models at a time, and fills it in as results arrive."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QObject, Signal

from vettore.app.session import Session
from vettore.app.widgets.fits.line_up import IN_VIEW, Candidate
from vettore.app.widgets.fits.line_up_panel import MOST, LineUpPanel
from vettore.app.work import breathe
from vettore.core.arrays import Array
from vettore.core.models.catalogue import CATALOGUE
from vettore.study.fitting.fits import FIRST_LOOK
from vettore.study.fitting.line_up import AT_ONCE, Entry, Key, Ranked, degrees, is_own, plausible, ranked, try_models
from vettore.study.fitting.peaks_tried import FIRST, LAST, may_have_peaks, tried_beside
from vettore.study.kinds.fits import AnyFit
from vettore.study.series import Role, Series

# Points that are drawn on the card of a model.
MOST_ON_A_CARD = 4_000


class LineUpFiller(QObject):
    """Keeps the line-up of a page true to its series; ``chosen`` tells which model is chosen now.

    ``filled`` says that all models have been tried.
    """

    filled = Signal()

    def __init__(self, session: Session, panel: LineUpPanel, chosen: Callable[[], Key]) -> None:
        super().__init__(panel)
        self._session, self._panel, self._line_up, self._chosen = session, panel, panel.line_up, chosen
        # In the order in which they were pinned.
        self.pinned: list[Key] = []
        self.hidden: set[Key] = set()
        panel.order_turned.connect(self._turn_order)
        panel.hidden_asked.connect(self._show_hidden)
        self._line_up.pinned.connect(self._turn_pin)
        self._line_up.hidden.connect(self._hide)
        self._filled: tuple[object, ...] = ()
        self._waiting: list[Key] = []
        # What takes longest, tried once all others are there.
        self._last, self._peaks_too = "", False
        self.entries: list[Entry] = []
        # The entries from the best to the worst, as they were arranged last.
        self._ranked: tuple[Ranked, ...] = ()
        self.by_complexity = False
        self.candidates: list[Candidate] = []
        self.points: tuple[Array, Array] = (np.empty(0), np.empty(0))

    def _turn_order(self) -> None:
        self.by_complexity = not self.by_complexity
        self._panel.order.setText("simplest first" if self.by_complexity else "best first")
        self.arrange()

    def _turn_pin(self, key: Key) -> None:
        if key in self.pinned:
            self.pinned.remove(key)
        elif len(self.pinned) < MOST:
            self.pinned.append(key)
        else:
            self._session.say(f"{MOST} models are pinned already; unpin one first.", "bad")
        self.arrange()

    def _hide(self, key: Key) -> None:
        self.hidden.add(key)
        self.pinned = [number for number in self.pinned if number != key]
        self.arrange()

    def _show_hidden(self) -> None:
        self.hidden.clear()
        self.arrange()

    def clear(self) -> None:
        """Show no models."""
        self._filled, self.entries, self._ranked, self._waiting = (), [], (), []
        self._line_up.show_candidates([], (np.empty(0), np.empty(0)), -1, self._session.style)

    def fill(self, series: Series, recipe: AnyFit) -> None:
        """Fit the models to a series unless they are there already."""
        own = self._session.own_models.models
        same = (recipe.intercept, recipe.use_errors, recipe.noise, recipe.span, tuple(own.values()))
        key = (series.id, series.key, series.columns, series.set_aside, series.error_of_y, *same)
        if key == self._filled:
            self._line_up.mark(self._chosen())
            return
        self._filled, self.entries, self._ranked, self._last = key, [], (), ""
        # Their own models first: the user has reasons for them.
        self._waiting = [*own, *plausible(series)]
        self._peaks_too = may_have_peaks(series)
        self._run(series, recipe, degrees(recipe), key)

    def _run(self, series: Series, recipe: AnyFit, keys: tuple[Key, ...], filled: tuple[object, ...]) -> None:
        own = self._session.own_models.models

        def stopped() -> bool:
            return self._filled != filled

        def done(entries: tuple[Entry, ...]) -> None:
            if stopped():
                return
            self.entries += entries
            first = next((entry for entry in entries if entry.key == FIRST), None)
            beside = tried_beside(first.fit) if first is not None else ()
            self._waiting += beside
            self._last = LAST if beside else self._last
            self.arrange()
            if self._peaks_too:
                # Peaks by themselves, and soon: where there are some, little else suits the series.
                self._peaks_too = False
                self._run(series, recipe, (FIRST,), filled)
            elif self._waiting:
                now, self._waiting = tuple(self._waiting[:AT_ONCE]), self._waiting[AT_ONCE:]
                self._run(series, recipe, now, filled)
            elif self._last:
                last, self._last = self._last, ""
                self._run(series, recipe, (last,), filled)

        def work() -> tuple[Entry, ...]:
            breathe(between=bool(self.entries))
            return try_models(series, recipe, keys, stopped, own)

        self._session.background.run("line-up", work, done, lambda _sentence: None)

    def arrange(self) -> None:
        """Show what is there in the order chosen."""
        series = self._session.series
        if series is None:
            return
        x, y = series.values(Role.X), series.values(Role.Y)
        if x is None or y is None:
            return
        self._ranked = tuple(ranked(self.entries))
        order = list(self._ranked)
        if self.by_complexity:
            order.sort(key=lambda item: (_coefficients(item.entry), isinstance(item.entry.key, str)))
        there = {each.entry.key for each in order}
        self.pinned = [key for key in self.pinned if key in there or self._waiting]
        hidden = self.hidden & there
        order = [entry for entry in order if entry.entry.key not in hidden]
        # Pinned models first, in the order of pinning.
        order.sort(key=lambda first: self.pinned.index(first.entry.key) if first.entry.key in self.pinned else MOST)
        self.candidates = [self._candidate(candidate) for candidate in order]
        shown = in_view(self.candidates, self._chosen())
        self._panel.show_state(len(self.pinned), len(hidden), len(self.candidates) - len(shown))
        count = int(series.in_use.sum())
        self._line_up.setToolTip(f"Tried on {FIRST_LOOK:,} of the {count:,} rows" if count > FIRST_LOOK else "")
        used = np.flatnonzero(series.in_use)
        # Cards are small: of very many rows some are drawn, evenly among them.
        used = used[:: max(1, count // MOST_ON_A_CARD)]
        self.points = (x[used], y[used])
        self._line_up.show_candidates(shown, self.points, self._chosen(), self._session.style)
        if self._is_settled:
            self.filled.emit()

    @property
    def _is_settled(self) -> bool:
        """Whether all have been tried, or peaks that stand out are better than all before them."""
        first = next((item.entry for item in self._ranked if item.weight), None)
        return not (self._waiting or self._peaks_too) or (first is not None and first.key == FIRST)

    def _candidate(self, item: Ranked) -> Candidate:
        entry, style = item.entry, self._session.style
        figures = ""
        if entry.fit is not None:
            result = entry.fit.result
            share = "" if result.r_squared is None else f"R² {style.fixed(result.r_squared, 4)}   "
            figures = f"{share}AICc {style.number(result.aicc, 4)}   {_coefficients(entry)} coefficients"
        model = CATALOGUE.get(entry.key) if isinstance(entry.key, str) else None
        return Candidate(
            key=entry.key,
            name=entry.name,
            curve=entry.fit.result.curve if entry.fit else None,
            weight=item.weight,
            refusal=entry.refusal,
            equal=item.equal,
            note="a curve above" if entry.fit and not item.weight and is_own(entry) else None,
            pinned=entry.key in self.pinned,
            formula=_formula(entry),
            figures=figures,
            family=model.group if model is not None else "peaks" if entry.fit and entry.fit.peaks else "",
            peaks=None if entry.fit is None else entry.fit.peaks,
        )

    def best(self) -> Entry | None:
        """Return the simplest of the models that are equally good, once all have been tried."""
        if not self._is_settled:
            return None
        return next((item.entry for item in self._ranked if item.entry.fit is not None and item.weight), None)


def in_view(candidates: list[Candidate], chosen: Key) -> list[Candidate]:
    """Return the first models, the chosen one among them wherever it stands."""
    first = candidates[:IN_VIEW]
    beyond = [candidate for candidate in candidates[IN_VIEW:] if candidate.key == chosen]
    return [*first[: IN_VIEW - len(beyond)], *beyond]


def _formula(entry: Entry) -> str:
    """Return the formula of a model as it is shown: of peaks their sum in words."""
    fit = entry.fit
    if fit is None:
        return ""
    return (
        fit.result.formula if fit.peaks is None else f"background + {fit.peaks.count} × {fit.peaks.shape.called} peak"
    )


def _coefficients(entry: Entry) -> int:
    return len(entry.fit.result.coefficients) if entry.fit else 99
