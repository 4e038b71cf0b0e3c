"""Where to measure: next, and before there are any data."""
