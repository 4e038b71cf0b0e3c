"""Takes a first look at the schemes that suit the columns, one after the other in the background."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from vettore.app.pages.equations.derived import TriedScheme, try_scheme
from vettore.app.search import Search
from vettore.app.session import Session
from vettore.study.fitting.systems import schemes_of
from vettore.study.kinds.equations import EquationsRecipe
from vettore.study.remembered import content_of
from vettore.study.series import Series


class SchemeTrier(QObject):
    """``grown`` tells that one more was tried; ``tried`` are those so far, ``waiting`` how many are still to come."""

    grown = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._session = session
        self.tried: tuple[TriedScheme, ...] = ()
        self._wanted: object = None
        self._waiting: list[EquationsRecipe] = []
        self._search = Search()

    @property
    def waiting(self) -> int:
        """How many are still to be tried."""
        return len(self._waiting)

    @property
    def best(self) -> TriedScheme | None:
        """The likeliest of those that were tried."""
        return min((each for each in self.tried if each.curves), key=lambda each: each.aicc, default=None)

    def fill(self, series: Series, columns: tuple[str, ...], over: str) -> None:
        """Try the schemes for some columns of a series, unless they are tried already."""
        wanted = (series.id, content_of(series), columns, over)
        if wanted == self._wanted:
            return
        self.stop()
        self._wanted, self.tried, self._search = wanted, (), Search()
        self._waiting = list(schemes_of(series, columns, over))
        self._go_on(series, wanted)

    def stop(self) -> None:
        """Try no more; what was tried stays until others are asked for."""
        self._search.stopped = True
        self._waiting = []

    def clear(self) -> None:
        """Forget what was tried."""
        self.stop()
        self._wanted, self.tried = None, ()

    def _go_on(self, series: Series, wanted: object) -> None:
        if not self._waiting:
            return
        recipe, search = self._waiting[0], self._search

        def done(tried: TriedScheme) -> None:
            if self._wanted != wanted or not self._waiting:
                return
            self._waiting = self._waiting[1:]
            self.tried = (*self.tried, tried)
            self._go_on(series, wanted)
            self.grown.emit()

        self._session.background.run(
            "schemes", lambda: try_scheme(series, recipe, search), done, lambda _sentence: None
        )
