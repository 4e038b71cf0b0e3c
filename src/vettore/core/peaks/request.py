"""What peaks are asked for: whole, frozen and checked."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import TypedDict

from vettore.core.errors import DataError, Fault
from vettore.core.formula.formula import read_formula
from vettore.core.formula.tree import Node, names, replaced
from vettore.core.peaks.search import MOST, GoOn
from vettore.core.peaks.shapes import PeakShape

# So many peaks are looked for where no number is given.
USUAL_MOST = 12
# Limits of all peaks go by these names, those of one by the name of its coefficient.
OF_ALL = ("place", "width")
Ends = tuple[float | None, float | None]


class PeaksOptions(TypedDict, total=False):
    """What else may be said of peaks; see fit_peaks."""

    absolute_sigma: bool
    places: Sequence[float]
    hold: Mapping[str, float]
    links: Mapping[str, str]
    names: tuple[str, str]
    expected: Sequence[tuple[float, float]]
    negative: bool
    most: int
    progress: GoOn | None


@dataclass(frozen=True)
class PeaksRequest:
    """What peaks are asked for; see fit_peaks. ``names`` are those of x and y, ``expected`` are places and widths."""

    shape: PeakShape
    count: int | None = None
    background: str = "slope"
    negative: bool = False
    equal_widths: bool = False
    places: tuple[float, ...] = ()
    limits: Mapping[str, Ends] = field(default_factory=dict)
    hold: Mapping[str, float] = field(default_factory=dict)
    links: Mapping[str, Node] = field(default_factory=dict)
    most: int = USUAL_MOST
    progress: GoOn | None = None
    names: tuple[str, str] = ("x", "y")
    expected: tuple[tuple[float, float], ...] = ()

    def of_all(self, name: str) -> tuple[float, float] | None:
        """Return the limits of all places or widths; None where there are none, or not on both sides."""
        low, high = self.limits.get(name, (None, None))
        return None if low is None or high is None else (low, high)


def check_options(options: PeaksOptions) -> None:
    """Refuse an option that there is none of. Raises DataError."""
    known = PeaksOptions.__annotations__
    strange = [name for name in options if name not in known]
    if strange:
        raise DataError(f"Peaks have no option “{strange[0]}”. There are {', '.join(known)}.", Fault.NO_SUCH_CHOICE)


def checked_count(count: int | None) -> int | None:
    """Return a number of peaks that may be. Raises DataError."""
    if count is not None and (isinstance(count, bool) or int(count) != count or not 1 <= count <= MOST):
        raise DataError(
            f"The number of peaks is a whole number from 1 to {MOST}; {count!r} was given.", Fault.OUT_OF_BOUNDS
        )
    return None if count is None else int(count)


def checked_limits(limits: Mapping[str, Ends] | None) -> dict[str, Ends]:
    """Return limits that may be. Raises DataError."""
    out = dict(limits or {})
    for name, (low, high) in out.items():
        both = low is not None and high is not None
        if name in OF_ALL and not both:
            raise DataError(f"The limits of every {name} are a lower and an upper one.", Fault.MISSING)
        if (low is not None and high is not None and not low < high) or (name == "width" and (low or 0.0) < 0):
            raise DataError(
                f"The limits of the {name} are {low:g} and {high:g}; the lower must be below the upper.",
                Fault.OUT_OF_BOUNDS,
            )
    return out


def read_links(links: Mapping[str, str]) -> dict[str, Node]:
    """Return the formulas that some coefficients follow from others by, these written out in full. Raises VettoreError."""
    trees = {name: read_formula(text, ()).right for name, text in links.items()}
    for _ in trees:
        for name, tree in trees.items():
            for other in set(names(tree)) & set(trees):
                tree = replaced(tree, other, trees[other])
            trees[name] = tree
    circular = [name for name, tree in trees.items() if set(names(tree)) & set(trees)]
    if circular:
        raise DataError(f"{circular[0]} follows from itself. Let one of the coefficients be fitted.", Fault.CONFLICT)
    return trees
