"""Peaks on a background, as many as there are, fitted to a series."""

from __future__ import annotations

from typing import ClassVar

from vettore.study.kinds.fit import Fit

# How shapes are called before the word peaks, and what they stand on; others are formulas.
SHAPE_WORDS = {
    "gaussian": "",
    "lorentzian": "Lorentzian ",
    "mixed": "mixed ",
    "voigt": "Voigt ",
    "tailed": "tailed ",
    "split": "split ",
    "log-normal": "log-normal ",
}
GROUND_WORDS = {
    "none": "",
    "level": " on a level",
    "slope": " on a slope",
    "parabola": " on a parabola",
    "smooth": " on a smooth background",
}


class PeaksRecipe(Fit, frozen=True, kw_only=True, tag="peaks fit"):
    """Peaks of a ``shape`` on a ``background``, see core.fit_peaks; without a ``count`` as many as the rows tell.

    The search begins with peaks at ``places``. ``hold``, ``limits`` and ``links`` are of coefficients by name, as of place2;
    ``expected`` are (place, width) of peaks that keep their numbers.
    """

    # What a formula has and peaks have not: theirs follows from what is found.
    formula: ClassVar[str] = ""
    intercept: ClassVar[bool] = True
    model: ClassVar[str] = ""
    called: ClassVar[str] = ""
    start: ClassVar[tuple[tuple[str, float], ...]] = ()
    loss: ClassVar[str] = "squares"

    shape: str = "gaussian"
    background: str = "slope"
    count: int | None = None
    equal_widths: bool = False
    negative: bool = False
    places: tuple[float, ...] = ()
    hold: tuple[tuple[str, float], ...] = ()
    limits: tuple[tuple[str, float | None, float | None], ...] = ()
    links: tuple[tuple[str, str], ...] = ()
    expected: tuple[tuple[float, float], ...] = ()

    @property
    def name(self) -> str:
        """The name on screen."""
        return self.name_of(self.count)

    def name_of(self, count: int | None) -> str:
        """Return the name with a number of peaks, or (None) without."""
        shape = SHAPE_WORDS.get(self.shape, "")
        word = f"{shape}{'peak' if count == 1 else 'peaks'}{GROUND_WORDS.get(self.background, ' on a formula')}"
        return word[0].upper() + word[1:] if count is None else f"{count} {word}"
