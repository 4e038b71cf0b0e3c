"""A polynomial on the shelf."""

from __future__ import annotations

from typing import ClassVar

from vettore.study.kinds.part import Part


class PolynomialRecipe(Part, frozen=True, tag="polynomial"):
    """Coefficients in rising order, or those of a fit, which it then follows; when that goes, they stay as they were."""

    letter: ClassVar[str] = "p"

    name: str
    coefficients: tuple[float, ...] = (0.0,)
    fit: str = ""
    made: str = ""
