"""New names for the ready copy, by a pattern."""
