"""The ready copy: what is written from a delivery, and how it is written, read back and proved."""
