"""The Report page."""
