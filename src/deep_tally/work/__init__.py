"""What several rooms run on: processes, compiled kernels, files written whole or not at all."""
