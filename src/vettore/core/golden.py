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
