"""The same work on a new file, opened in place on the Report page: columns matched, old and new side by side."""
