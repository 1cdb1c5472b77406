"""The view in which a rough mix is held against its files."""
