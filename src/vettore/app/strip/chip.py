"""What stands on the chip of a coefficient; how it is painted is the matter of chips.py."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Chip:
    """What stands on a coefficient's chip; ``step`` is how much one pixel of dragging changes the value."""

    value: str
    error: str
    number: float = 0.0
    step: float = 0.0
    held: bool = False
    at_limit: bool = False
    spoken: str = ""

    @property
    def foot(self) -> str:
        """What stands under the value."""
        if self.held:
            return "held"
        if self.at_limit:
            return "at its limit"
        return f"± {self.error}" if self.error else ""
