"""A polynomial of a degree, fitted to a series."""

from __future__ import annotations

from typing import ClassVar

from vettore.study.kinds.fit import Fit

DEGREE_NAMES = ("Constant", "Straight line", "Quadratic", "Cubic", "Quartic", "Quintic")


def degree_name(degree: int) -> str:
    """Return the name of a polynomial of this degree."""
    return DEGREE_NAMES[degree] if degree < len(DEGREE_NAMES) else f"Degree {degree}"


class PolynomialFit(Fit, frozen=True, kw_only=True, tag="polynomial fit"):
    """Without ``intercept`` the polynomial goes through the origin."""

    # What a formula has and a polynomial has not.
    formula: ClassVar[str] = ""
    model: ClassVar[str] = ""
    called: ClassVar[str] = ""
    hold: ClassVar[tuple[tuple[str, float], ...]] = ()
    start: ClassVar[tuple[tuple[str, float], ...]] = ()
    limits: ClassVar[tuple[tuple[str, float | None, float | None], ...]] = ()
    loss: ClassVar[str] = "squares"

    degree: int
    intercept: bool = True

    @property
    def name(self) -> str:
        """The name on screen."""
        name = degree_name(self.degree)
        if name.startswith("Degree"):
            name = f"Polynomial of degree {self.degree}"
        return name if self.intercept else f"{name} through the origin"
