"""Plots on screen."""
