"""The command line: the same job with no window."""
