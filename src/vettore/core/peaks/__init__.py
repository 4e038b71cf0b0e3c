"""Peaks on a background: how many, and where, found without starting values; each with its numbers."""
