"""Models held against each other: the pinned ones large, side by side, and polynomials by their degree."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QStackedWidget

from vettore.app.pages.fit.line_up import LineUpFiller
from vettore.app.session import Session
from vettore.app.widgets.fits.comparison import Comparison
from vettore.app.widgets.fits.degree_ladder import DegreeLadder
from vettore.core.errors import DataError, Fault, VettoreError
from vettore.core.fitting.after.compare import Compared, compare
from vettore.core.fitting.after.ladder import Ladder, ladder
from vettore.study.fitting.line_up import Entry, Key, try_models
from vettore.study.kinds.fits import AnyFit
from vettore.study.kinds.polynomial_fit import PolynomialFit


class Comparing:
    """Fills the comparison and the ladder of the Fit page; ``choose`` makes a model the curve."""

    def __init__(
        self,
        session: Session,
        filler: LineUpFiller,
        recipe: Callable[[], AnyFit | None],
        choose: Callable[[Key], None],
    ) -> None:
        self._session, self._filler, self._recipe, self._choose = session, filler, recipe, choose
        self.comparison, self.ladder = Comparison(session), DegreeLadder()
        self.comparison.chosen.connect(self._take)
        self.comparison.closed.connect(self.close)
        self.ladder.chosen.connect(choose)
        self._stage: QStackedWidget | None = None
        self._back = 0

    def set_stage(self, stage: QStackedWidget) -> None:
        """Stand as another view of a stage."""
        self._stage = stage
        stage.addWidget(self.comparison)

    @property
    def is_open(self) -> bool:
        """Whether the comparison has the stage."""
        return self._stage is not None and self._stage.currentWidget() is self.comparison

    def close(self) -> None:
        """Give the stage back."""
        if self.is_open and self._stage is not None:
            self._stage.setCurrentIndex(self._back)

    def open(self) -> None:
        """Fit the pinned models to all rows and show them side by side."""
        series, recipe, keys = self._session.series, self._recipe(), tuple(self._filler.pinned)
        if series is None or recipe is None or self._stage is None or len(keys) < 2:
            return
        own = self._session.own_models.models
        if not self.is_open:
            self._back = self._stage.currentIndex()
        self._stage.setCurrentWidget(self.comparison)
        self.comparison.wait(len(keys))

        def work() -> tuple[tuple[Entry, ...], tuple[Compared, ...]]:
            entries = try_models(series, recipe, keys, own=own, thorough=True)
            refused = [f"{entry.name}: {entry.refusal}" for entry in entries if entry.fit is None]
            if refused:
                raise DataError(" ".join(refused), Fault.NOT_COMPARABLE)
            return entries, compare({item.name: item.fit.result for item in entries if item.fit})

        self._session.background.run(
            "compare", work, lambda result: self.comparison.show_compared(series, *result), self.comparison.refuse
        )

    def open_ladder(self) -> None:
        """Show which degree of a polynomial is suggested, and why."""
        series, recipe = self._session.series, self._recipe()
        if series is None or recipe is None:
            return
        try:
            result: Ladder = ladder(
                {
                    entry.key: entry.fit.result
                    for entry in self._filler.entries
                    if entry.fit and isinstance(entry.key, int)
                }
            )
        except VettoreError as error:
            self._session.say(str(error), "bad")
            return
        self.ladder.show_ladder(
            result, recipe.degree if isinstance(recipe, PolynomialFit) else -1, self._session.style
        )

    def refresh(self) -> None:
        """Follow a change of the curve or the data."""
        if self.ladder.isVisible():
            self.open_ladder()

    def _take(self, key: Key) -> None:
        self.close()
        self._choose(key)
