"""The words for findings, one module a question, as in check/rules."""
