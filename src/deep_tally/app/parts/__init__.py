"""The asked parts and the files that stand for them."""
