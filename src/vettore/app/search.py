"""A search in the background that can be given up. Knows no window."""

from __future__ import annotations

from vettore.core.errors import Fault, VettoreError

GIVEN_UP = "Given up."


class Search:
    """One search in the background; ``stopped`` asks it to end."""

    stopped = False

    def check(self) -> None:
        """Raise when it is to end."""
        if self.stopped:
            raise VettoreError(GIVEN_UP, Fault.GIVEN_UP)
