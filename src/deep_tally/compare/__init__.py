"""What several files' samples show when they are compared."""
