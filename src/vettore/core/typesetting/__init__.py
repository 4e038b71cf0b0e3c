"""Typeset formulas: boxes, and what becomes of them elsewhere."""
