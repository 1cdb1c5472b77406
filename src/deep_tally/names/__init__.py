"""What file names say: their words, parts, families, and how they could be renamed."""
