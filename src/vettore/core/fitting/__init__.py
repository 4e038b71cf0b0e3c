"""Least-squares fits and what is said of them."""
