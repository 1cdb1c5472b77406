"""Fixtures of the room: files to play, and a player."""

from __future__ import annotations

from listen.playing import files, player  # noqa: F401
