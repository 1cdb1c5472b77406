"""The rounds of a delivery against each other."""
