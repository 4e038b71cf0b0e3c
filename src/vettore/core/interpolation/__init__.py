"""Curves through points, when no model is wanted."""
