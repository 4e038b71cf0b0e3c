"""Polynomials in words and signs: read from a formula, written on one line, their roots in a sentence."""

from __future__ import annotations

import math

import numpy as np

from vettore.core.errors import DataError, Fault
from vettore.core.formula.derivative import derivative
from vettore.core.formula.evaluate import Program
from vettore.core.formula.formula import read_formula
from vettore.core.formula.tree import Node
from vettore.core.polynomials.polynomial import Polynomial
from vettore.core.polynomials.roots import Root
from vettore.core.rounding import NumberStyle
from vettore.core.units import RAISED

HIGHEST_OF_FORMULA = 60


def polynomial_of(text: str) -> Polynomial:
    """Return a formula in x as a polynomial, by its derivatives at 0. Raises DataError when it is none."""
    read = read_formula(text, ("x", "y"))
    if read.coefficients:
        raise DataError(
            f"{read.coefficients[0]} has no value here; the formula may hold x and numbers only.", Fault.MISSING
        )
    tree: Node = read.right
    coefficients, factorial = [], 1.0
    for power in range(HIGHEST_OF_FORMULA + 1):
        program = Program(tree)
        value = float(program({"x": np.float64(0.0)} if "x" in program.inputs else {}))
        if not math.isfinite(value):
            raise DataError("This formula has no value at 0, so it is not taken as a polynomial.", Fault.NO_VALUE)
        coefficients.append(value / factorial)
        if "x" not in program.inputs:
            return Polynomial(coefficients)
        tree = derivative(tree, "x")
        factorial *= power + 1
    raise DataError("This formula is no polynomial in x: its derivatives never become zero.", Fault.UNAVAILABLE)


def polynomial_text(p: Polynomial, style: NumberStyle, digits: int = 5) -> str:
    """Return a polynomial on one line, highest power first; lines break between terms only.

    A 1 before a power of x is not written.
    """
    out = ""
    for k in range(p.degree, -1, -1):
        value = p.coefficients[k]
        if value == 0.0 and p.degree:
            continue
        number = style.short(abs(float(f"{value:.{digits}g}")))
        power = "" if k == 0 else "x" if k == 1 else f"x{str(k).translate(RAISED)}"
        sign = " −\u00a0" if value < 0 else " +\u00a0" if out else ""
        out += sign + (power if power and number == "1" else "\u00a0".join(filter(None, (number, power))))
    return out.strip() or "0"


def roots_in_words(p: Polynomial, roots: tuple[Root, ...]) -> str:
    """Return how many roots there are, and of what kind."""
    if p.is_zero:
        return "The constant 0 is zero everywhere."
    if not roots:
        return "A constant has no roots."
    real = sum(root.is_real for root in roots)
    pairs = (len(roots) - real) // 2
    several = any(item.multiplicity > 1 for item in roots)
    counted = {0: "No real root", 1: "One real root"}.get(real, f"{real} real roots")
    extra = f", and {pairs} complex pair{'s' if pairs > 1 else ''}" if pairs else ""
    single = "" if several else ", all single" if len(roots) > 1 else ""
    multiple = "; a root that counts several times is marked" if several else ""
    return f"{counted}{extra}{single}{multiple}."


def doubts_in_words(roots: tuple[Root, ...], style: NumberStyle) -> str:
    """Say how far the digits of the coefficients determine the roots; empty where they do."""
    near = [root for root in roots if root.together > 1]
    parts = []
    if near:
        most = max(near, key=lambda item: item.together)
        parts.append(
            f"{most.together} roots near {style.number(most.value.real, 4)} lie so close together that a last-digit change "
            "of the coefficients may make them one multiple root."
        )
    bad = [each for each in roots if each.ill_conditioned and each.together == 1]
    if bad:
        worst = min(bad, key=lambda first: first.digits)
        parts.append(
            f"Ill-determined: a change of the coefficients in their last digit moves the root near "
            f"{style.number(worst.value.real, 4)} by up to {style.number(worst.moved, 2)}."
        )
    return " ".join(parts)
