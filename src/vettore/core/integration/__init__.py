"""Areas under points and under functions."""
