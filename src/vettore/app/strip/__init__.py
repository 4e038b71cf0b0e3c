"""The equation strip."""
