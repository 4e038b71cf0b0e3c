"""What docs/ACCURACY.md says, a measure a file; each gives lines of Markdown."""
