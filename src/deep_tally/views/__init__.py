"""What the views show, worked out without Qt: rows and their texts, lanes and tiles, the viewport, the time axis."""
