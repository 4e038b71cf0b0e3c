"""The formula language: plain mathematics over columns and coefficients. See docs/FORMULAS.md."""

from vettore.core.formula.evaluate import Program, evaluate
from vettore.core.formula.formula import Formula, read_condition, read_expression, read_formula
from vettore.core.formula.write import to_text

__all__ = ["Formula", "Program", "evaluate", "read_condition", "read_expression", "read_formula", "to_text"]
