"""Parts of the table and of columns."""
