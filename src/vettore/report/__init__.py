"""Reports on paper: figures, pages, tables. Needs no window."""
