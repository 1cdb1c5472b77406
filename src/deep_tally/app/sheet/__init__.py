"""The sheet: one row a file, one cell a question."""
