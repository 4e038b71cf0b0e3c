"""Least squares of what enters linearly, to the last digit."""
