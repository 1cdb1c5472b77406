"""Samples become numbers, overviews and excerpts. Knows no brief and no other file."""
