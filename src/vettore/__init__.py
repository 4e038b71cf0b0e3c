"""Vettore: look at measured data, fit models, and report values with their uncertainty."""

__version__ = "0.1.0"
