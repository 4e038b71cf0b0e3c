"""The same work over many files: sources, workers, one tidy table. Knows no window."""
