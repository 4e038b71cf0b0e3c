"""Fits of a study, and what follows from them."""
