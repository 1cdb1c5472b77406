"""A path becomes a list of files, and a file becomes samples. Never trusts a header."""
