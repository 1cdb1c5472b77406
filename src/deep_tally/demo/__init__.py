"""The demo delivery: an invented song with known faults, made from code and one fixed seed."""
