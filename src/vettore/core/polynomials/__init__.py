"""Polynomials as objects, and their roots."""
