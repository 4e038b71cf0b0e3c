"""What hands do with the peaks of a fit as a whole: choose one, add one, take one out, change how they are fitted."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence, QShortcut

from vettore.app.pages.fit.deciding import FitDeciding
from vettore.app.pages.fit.hands import Hands
from vettore.app.stage.peak_items import MoreMark
from vettore.app.widgets.fits.peak_choices import PeakChoices
from vettore.app.widgets.fits.peak_table import PeakTable
from vettore.core.peaks.one_more import PeakMore
from vettore.study.fitting.fits import DerivedFit
from vettore.study.fitting.peak_pulls import PeakPulls
from vettore.study.fitting.peaks import more_of, with_peak, without_peak
from vettore.study.kinds.peaks_fit import PeaksRecipe
from vettore.words.peaks import more_in_words


class PeakHands:
    """Keeps the strip, the stage, the table and the choices on one peak; each change is one edit."""

    def __init__(
        self, deciding: FitDeciding, hands: Hands, choices: PeakChoices, table: PeakTable, mark: MoreMark
    ) -> None:
        self._deciding, self._session, self._hands = deciding, deciding.session, hands
        self._choices, self._table, self._mark = choices, table, mark
        # Whether the next click on the plot says where a peak stands.
        self.adding = False
        hands.strip.turner.turned.connect(self.turn)
        hands.grips.clicked.connect(self._choose_grip)
        table.chosen.connect(self.choose)
        table.pointed.connect(lambda number: hands.areas.light(pointed=number))
        choices.changed.connect(self._change)
        choices.added.connect(self.begin_adding)
        mark.clicked.connect(self.add)
        for widget in (hands.plot, table, hands.strip):
            for key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
                shortcut = QShortcut(QKeySequence(key), widget)
                shortcut.setContext(Qt.ShortcutContext.WidgetShortcut)
                shortcut.activated.connect(self.take_out)

    @property
    def fit(self) -> DerivedFit | None:
        """The fit whose peaks are at hand; None for one without."""
        fit = self._hands.fit
        return fit if fit is not None and fit.peaks is not None else None

    def take_fit(self, fit: DerivedFit | None) -> None:
        """Show another fit, or none; where one more peak would help is looked for in the background."""
        self._mark.set_more(None)
        self.adding = False
        if fit is None:
            self._hands.let_fit_go()
            return
        self._hands.take_fit(fit)
        self._choices.show_recipe(fit.recipe)
        if fit.peaks is None:
            return
        self._choices.show_fit(fit)
        self._table.light(self._hands.peak)

        def done(more: PeakMore | None) -> None:
            if more is not None and self.fit is fit:
                self._mark.set_more(more.place, more_in_words(more, self._session.style), more.is_told)

        self._session.background.run("peak more", lambda: more_of(fit), done, lambda _sentence: None)

    def choose(self, number: int) -> None:
        """Show the numbers and grips of a peak."""
        if self.fit is not None:
            self._hands.choose_peak(number)
            self._table.light(number)

    def turn(self, by: int) -> None:
        """Go on to the next peak, or back."""
        numbers = [] if self.fit is None or self.fit.peaks is None else [peak.number for peak in self.fit.peaks.peaks]
        if self._hands.peak in numbers:
            place = numbers.index(self._hands.peak) + by
            self.choose(numbers[min(max(place, 0), len(numbers) - 1)])

    def _choose_grip(self, place: int) -> None:
        pulls = self._hands.pulls
        if isinstance(pulls, PeakPulls):
            self.choose(pulls.number_at(place))

    def begin_adding(self) -> None:
        """Let the next click on the plot add a peak there."""
        if self.fit is not None:
            self.adding = True
            self._session.say("Click on the plot where the peak stands.", "status")
            self._hands.plot.setFocus()

    def take_click(self, x: float) -> bool:
        """Take a click on the plot as the place of a peak, if one was asked for."""
        if not self.adding:
            return False
        self.adding = False
        self.add(x)
        return True

    def add(self, x: float) -> None:
        """Add a peak at x; all are fitted again."""
        self._decide(
            "add a peak", None if self.fit is None else with_peak(self.fit, x), "There are as many as can be."
        )

    def take_out(self) -> None:
        """Take the chosen peak out; the others are fitted again."""
        number = self._hands.peak
        changes = None if self.fit is None else without_peak(self.fit, number)
        self._decide(f"take out peak {number}", changes, "The last peak stays; choose another model instead.")

    def _decide(self, label: str, changes: dict[str, object] | None, refusal: str) -> None:
        if self.fit is None:
            return
        if changes is None:
            self._session.say(refusal, "look")
            return
        recipe = self.fit.recipe
        decided = isinstance(recipe, PeaksRecipe) and bool(recipe.hold or recipe.limits or recipe.links)
        self._deciding.change_peaks(label, **changes)
        if decided:
            self._session.say(
                "Peaks have other numbers now: what was held, limited or linked of them is let go.", "look"
            )

    def _change(self, field: str, value: object, label: str) -> None:
        """Change how peaks are fitted; where the search begins is left to itself."""
        anew = {} if field == "equal_widths" else {"places": ()}
        self._deciding.change_peaks(label, **{field: value, **anew})
