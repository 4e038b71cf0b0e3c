"""Searches: where they begin, how they go on, and what is made of their end."""
