"""What is needed of a surface to find its summits and what it covers."""

from __future__ import annotations

from typing import Any, Protocol

from vettore.core.arrays import Array
from vettore.core.surface.sites import Sites


class Heights(Protocol):
    """Heights over scattered sites."""

    @property
    def method(self) -> str:
        """The name of the method."""

    @property
    def sites(self) -> Sites:
        """The sites."""

    @property
    def x(self) -> Array:
        """Places of the sites across (n,)."""

    @property
    def y(self) -> Array:
        """Places of the sites along (n,)."""

    @property
    def knows_error(self) -> bool:
        """Whether heights have standard errors."""

    def __call__(self, x: Any, y: Any) -> Array:
        """Return heights."""

    def gradient(self, x: Any, y: Any) -> tuple[Array, Array]:
        """Return slopes across and along."""

    def smooth_error(self, x: Any, y: Any) -> Array:
        """Return the standard error of heights; NaN where there is none."""
