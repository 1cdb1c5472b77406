"""The check run: all rooms in turn, the same under every face."""
