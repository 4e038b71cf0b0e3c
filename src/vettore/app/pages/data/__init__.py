"""The Data page."""
