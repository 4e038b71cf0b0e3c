"""Fits the line-up in the background, a few models at a time, and fills it in as results arrive."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from vettore.app.session import Session
from vettore.app.widgets.line_up import Candidate
from vettore.app.widgets.line_up_panel import MOST, LineUpPanel
from vettore.app.work import breathe
from vettore.study.fits import FIRST_LOOK
from vettore.study.kinds.fits import AnyFit
from vettore.study.line_up import AT_ONCE, Entry, Key, degrees, is_own, plausible, ranked, try_models
from vettore.study.series import Role, Series


class LineUpFiller:
    """Keeps the line-up of a page true to its series; ``chosen`` tells which model is chosen now."""

    def __init__(self, session: Session, panel: LineUpPanel, chosen: Callable[[], Key]) -> None:
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
        self.entries: list[Entry] = []
        self.by_complexity = False

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
        self.pinned = [one for one in self.pinned if one != key]
        self.arrange()

    def _show_hidden(self) -> None:
        self.hidden.clear()
        self.arrange()

    def clear(self) -> None:
        """Show no models."""
        self._filled, self.entries, self._waiting = (), [], []
        self._line_up.show_candidates([], (np.empty(0), np.empty(0)), -1, self._session.style)

    def fill(self, series: Series, recipe: AnyFit) -> None:
        """Fit the models to a series unless they are there already."""
        own = self._session.own_models.models
        same = (recipe.intercept, recipe.use_errors, recipe.span, tuple(own.values()))
        key = (series.key, series.columns, series.set_aside, series.error_of_y, *same)
        if key == self._filled:
            self._line_up.mark(self._chosen())
            return
        self._filled, self.entries = key, []
        # Their own models first: the user has reasons for them.
        self._waiting = [*own, *plausible(series)]
        self._run(series, recipe, degrees(recipe), key)

    def _run(self, series: Series, recipe: AnyFit, keys: tuple[Key, ...], filled: tuple[object, ...]) -> None:
        own = self._session.own_models.models

        def stopped() -> bool:
            return self._filled != filled

        def done(found: tuple[Entry, ...]) -> None:
            if stopped():
                return
            self.entries += found
            self.arrange()
            if self._waiting:
                now, self._waiting = tuple(self._waiting[:AT_ONCE]), self._waiting[AT_ONCE:]
                self._run(series, recipe, now, filled)

        def work() -> tuple[Entry, ...]:
            breathe()
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
        order = list(ranked(self.entries))
        if self.by_complexity:
            order.sort(key=lambda one: (_coefficients(one.entry), isinstance(one.entry.key, str)))
        there = {one.entry.key for one in order}
        self.pinned = [key for key in self.pinned if key in there or self._waiting]
        hidden = self.hidden & there
        order = [one for one in order if one.entry.key not in hidden]
        # Pinned models first, in the order of pinning.
        order.sort(key=lambda one: self.pinned.index(one.entry.key) if one.entry.key in self.pinned else MOST)
        self._panel.show_state(len(self.pinned), len(hidden))
        candidates = [
            Candidate(
                one.entry.key,
                one.entry.name,
                one.entry.fit.result.curve if one.entry.fit else None,
                one.weight,
                one.entry.refusal,
                one.equal,
                "a curve above" if one.entry.fit and not one.weight and is_own(one.entry) else None,
                one.entry.key in self.pinned,
            )
            for one in order
        ]
        count = int(series.in_use.sum())
        self._line_up.setToolTip(f"Tried on {FIRST_LOOK:,} of the {count:,} rows" if count > FIRST_LOOK else "")
        points = (x[series.in_use], y[series.in_use])
        self._line_up.show_candidates(candidates, points, self._chosen(), self._session.style)
        self._panel.order_tabs()


def _coefficients(entry: Entry) -> int:
    return len(entry.fit.result.coefficients) if entry.fit else 99
