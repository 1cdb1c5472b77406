"""A page in each form it can be sent in, and the check as JSON."""
