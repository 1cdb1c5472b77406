"""The ready copy: its plan, before and after, and how far it is written."""
