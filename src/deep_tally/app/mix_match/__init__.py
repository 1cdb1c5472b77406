"""The view that compares a rough mix with its files."""
