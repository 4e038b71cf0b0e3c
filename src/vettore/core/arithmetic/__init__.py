"""Arithmetic beyond single numbers: more digits, exact numbers, series."""
