"""The requested parts and the files that stand for them."""
