"""The Interpolate page."""
