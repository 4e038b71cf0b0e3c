"""The words of the formula language: functions, constants, Greek letters, and what to say of near misses."""

from __future__ import annotations

import difflib
import math

# Functions by name, with how many arguments they take (fewest, most).
ARGUMENTS = {
    **dict.fromkeys(
        [
            "exp",
            "ln",
            "log10",
            "log2",
            "sqrt",
            "cbrt",
            "abs",
            "sign",
            "sin",
            "cos",
            "tan",
            "asin",
            "acos",
            "atan",
            "sinh",
            "cosh",
            "tanh",
            "asinh",
            "acosh",
            "atanh",
            "erf",
            "erfc",
            "gamma",
            "lgamma",
        ],
        (1, 1),
    ),
    **dict.fromkeys(["voigt", "dispersion", "tailed"], (2, 2)),
    "min": (2, 20),
    "max": (2, 20),
    "if": (3, 3),
}
# Words that name coefficients as often as functions; all others are functions wherever they stand.
ALSO_NAMES = frozenset({"gamma", "lgamma", "min", "max", "sign", "abs", "if", "voigt", "dispersion", "tailed"})
# Functions written with an index: log₁₀, log₂.
SUBSCRIPTED = {"log_10": "log10", "log_2": "log2"}
CONSTANTS = {"pi": math.pi, "e": math.e}
RESERVED = frozenset({"and", "or", "not"})

_GREEK = [
    "alpha",
    "beta",
    "gamma",
    "delta",
    "epsilon",
    "zeta",
    "eta",
    "theta",
    "iota",
    "kappa",
    "lambda",
    "mu",
    "nu",
    "xi",
    "omicron",
    "pi",
    "rho",
    "sigma",
    "tau",
    "upsilon",
    "phi",
    "chi",
    "psi",
    "omega",
]
_LOWER = "αβγδεζηθικλμνξοπρστυφχψω"
_UPPER = "ΑΒΓΔΕΖΗΘΙΚΛΜΝΞΟΠΡΣΤΥΦΧΨΩ"
GREEK_NAMES = {
    **dict(zip(_LOWER, _GREEK, strict=True)),
    **{letter: name.capitalize() for letter, name in zip(_UPPER, _GREEK, strict=True)},
    "ς": "sigma",
    "ϕ": "phi",
    "ϑ": "theta",
    "ϵ": "epsilon",
    "µ": "mu",
}
GREEK_LETTERS = {name: letter for letter, name in reversed(GREEK_NAMES.items())}

# What people write for a function that has another name here.
OTHER_NAMES = {
    "log": "write ln for the natural logarithm or log10 for the decimal one",
    "lg": "write log10",
    "arcsin": "write asin",
    "arccos": "write acos",
    "arctan": "write atan",
    "tg": "write tan",
    "sgn": "write sign",
    "pow": "write a^b",
    "power": "write a^b",
    "root": "write sqrt or cbrt, or ^(1/n)",
    "fabs": "write abs",
    "where": "write if(condition, a, b)",
    "iif": "write if(condition, a, b)",
    "sec": "write 1/cos",
    "csc": "write 1/sin",
    "cot": "write 1/tan",
}


def near_miss(word: str) -> str:
    """Return what to do about an unknown function: its name here, a likely slip, or how to write a product."""
    if word.casefold() in OTHER_NAMES:
        return OTHER_NAMES[word.casefold()]
    if word.casefold() in ARGUMENTS:
        return f"did you mean {word.casefold()}?"
    close = difflib.get_close_matches(word.casefold(), ARGUMENTS, n=1, cutoff=0.6)
    if close:
        return f"did you mean {close[0]}?"
    return f"for a product write {word}*( … )"
