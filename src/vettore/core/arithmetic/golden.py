"""The least of a function with one valley, by golden sections (Kiefer 1953): each step needs one value more."""

from __future__ import annotations

from collections.abc import Callable

SECTION = (5**0.5 - 1) / 2


def least(f: Callable[[float], float], low: float, high: float, steps: int) -> float:
    """Return the middle of the interval that so many steps leave around the least value of f between low and high."""
    a, b = high - SECTION * (high - low), low + SECTION * (high - low)
    at_a, at_b = f(a), f(b)
    for _ in range(steps):
        if at_a <= at_b:
            high, b, at_b = b, a, at_a
            a = high - SECTION * (high - low)
            at_a = f(a)
        else:
            low, a, at_a = a, b, at_b
            b = low + SECTION * (high - low)
            at_b = f(b)
    return (low + high) / 2


def least_of_all(f: Callable[[float], float], low: float, high: float, looks: int, steps: int) -> float:
    """Return the same where f may have several valleys: in the one around the least of so many looks, evenly spread."""
    places = [low + (high - low) * look / (looks - 1) for look in range(looks)]
    values = [f(place) for place in places]
    best = values.index(min(values))
    return least(f, places[max(best - 1, 0)], places[min(best + 1, looks - 1)], steps)
