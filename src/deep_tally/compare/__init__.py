"""What several files' samples tell when they are held against each other."""
