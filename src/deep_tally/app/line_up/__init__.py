"""The line-up: every file of a song on one time axis."""
