"""What opens over the stage of the Fit page: one model over many series, and the sheet of all models."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property

from PySide6.QtWidgets import QStackedWidget

from vettore.app.pages.fit.line_up import LineUpFiller
from vettore.app.session import Session
from vettore.app.widgets.fits.line_up_sheet import LineUpSheet
from vettore.app.widgets.fits.several import SeveralView
from vettore.study.fitting.fits import DerivedFit
from vettore.study.fitting.line_up import Key

FILLED = 1


class OverStage:
    """Views that are made when they are first asked for; the page itself is the stage's second widget."""

    def __init__(
        self,
        session: Session,
        stage: QStackedWidget,
        filler: LineUpFiller,
        chosen: Callable[[], Key],
        choose: Callable[[Key], object],
    ) -> None:
        self._session, self._stage, self._filler = session, stage, filler
        self._chosen, self._choose = chosen, choose

    @cached_property
    def several(self) -> SeveralView:
        """One model over many series."""
        several = SeveralView(self._session)
        several.closed.connect(self.close)
        self._stage.addWidget(several)
        return several

    @cached_property
    def sheet(self) -> LineUpSheet:
        """All models of the line-up."""
        sheet = LineUpSheet()
        sheet.closed.connect(self.close)
        sheet.chosen.connect(self._take)
        self._stage.addWidget(sheet)
        return sheet

    def open_several(self, fit: DerivedFit) -> None:
        """Show a model over many series."""
        self.several.open(fit)
        self._stage.setCurrentWidget(self.several)

    def open_sheet(self) -> None:
        """Show all models of the line-up."""
        filler = self._filler
        self.sheet.show_candidates(filler.candidates, filler.points, self._chosen(), self._session.style)
        self._stage.setCurrentWidget(self.sheet)
        self.sheet.filter.setFocus()

    def close(self) -> bool:
        """Give the stage back to the page; whether anything was over it."""
        opened = self._stage.currentIndex() > FILLED
        if opened:
            self._stage.setCurrentIndex(FILLED)
        return opened

    def _take(self, key: Key) -> None:
        self.close()
        self._choose(key)
