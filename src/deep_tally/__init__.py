"""Deep Tally: check a delivery of trackouts before the mix begins."""

__version__ = "0.4.0"
