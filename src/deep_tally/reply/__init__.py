"""Findings become words and pages. Knows no window."""
