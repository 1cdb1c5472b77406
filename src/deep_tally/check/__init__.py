"""Numbers and a brief become findings. Reads no audio."""
