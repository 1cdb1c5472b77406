"""Listening: files are summed where they belong and sent to the sound device, in a process of their own."""
