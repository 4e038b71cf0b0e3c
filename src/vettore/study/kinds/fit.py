"""What fits of every kind share."""

from __future__ import annotations

from typing import Annotated, ClassVar

import msgspec

from vettore.core.fitting.noises.listed import NOISES
from vettore.study.kinds.part import Part

NoiseName = Annotated[str, msgspec.Meta(pattern=f"^({'|'.join(NOISES)})$")]


class Fit(Part, frozen=True, kw_only=True):
    """A model fitted to a series by least squares.

    ``use_errors`` weighs rows by the ± of y; ``errors_known`` takes these as they are instead of as relative weights.
    ``use_x_errors`` takes the distances of the rows in x, too, by the ± of x; it needs the ± of y in use.
    ``span`` leaves rows with x outside it out of the fit. With ``noise`` "poisson" y are counts, with "binomial" shares of the
    numbers in the column of trials; both take the likelihood, and no ±. With "growing" the rows tell how their scatter grows
    with the curve, and are weighed by it; with "correlated" they tell how alike neighbours in x err. ``noise_size`` is the
    number of a noise that needs one.
    """

    letter: ClassVar[str] = "c"

    series: str
    use_errors: bool = False
    errors_known: bool = False
    use_x_errors: bool = False
    span: tuple[float, float] | None = None
    noise: NoiseName = "normal"
    noise_size: float | None = None

    def refers_to(self) -> tuple[str, ...]:
        """A fit is nothing without its series."""
        return (self.series,)
