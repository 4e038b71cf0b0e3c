"""The document as an immutable value: what the user decided, and what follows from it."""
