"""The Fit page."""
