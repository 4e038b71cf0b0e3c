"""The Polynomial page."""
