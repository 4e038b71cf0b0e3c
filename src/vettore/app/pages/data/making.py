"""Series made from the chosen one on the Data page; the original stays as it is."""

from __future__ import annotations

from collections.abc import Callable

from vettore.app.session import Session
from vettore.app.widgets.data.table import SeriesTable
from vettore.core.errors import VettoreError
from vettore.study import edits, making
from vettore.study.series import Series
from vettore.study.table import Table


class SeriesMaker:
    """Makes series; a refusal is said and changes nothing."""

    def __init__(self, session: Session, table: SeriesTable) -> None:
        self._session, self._table = session, table

    def averages(self) -> None:
        """Make a series of the averages of repeats."""
        self._make("average repeats", making.averages_of_repeats, "averages")

    def across(self) -> None:
        """Make a series of the numbers of each row across the chosen columns (all columns of numbers otherwise)."""
        chosen = sorted({place for _, place in self._table.chosen_cells()})

        def make(series: Series) -> Table:
            numbers = [i for i, column in enumerate(series.data) if column.texts is None]
            places = [i for i in chosen if i in numbers] if len(chosen) > 1 else numbers
            return making.across_columns(series, places)

        self._make("numbers across columns", make, "across columns")

    def thinned(self, step: int) -> None:
        """Make a series of every n-th row."""
        self._make("thin out", lambda series: making.every_nth(series, step), f"every {step}. row")

    def median(self, width: int) -> None:
        """Make a series of moving medians."""
        self._make("moving median", lambda series: making.moving_median(series, width), f"median of {width}")

    def _make(self, words: str, make: Callable[[Series], Table], suffix: str) -> None:
        series = self._session.series
        if series is None:
            return
        try:
            table = make(series)
        except VettoreError as error:
            self._session.say(str(error), "bad")
            return
        self._session.do(words, edits.add_series(self._session.study, table, f"{series.name}, {suffix}"))
        self._session.choose_newest()
