"""The catalogue of models, and the user's own beside it."""
