"""What every view is made of: theme, settings, plain text, buttons, marks, layouts, playback."""
