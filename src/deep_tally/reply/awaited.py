"""What the client has announced and has not sent yet, in words."""

from __future__ import annotations

from collections.abc import Collection
from typing import TYPE_CHECKING

from deep_tally.reply.numbers import listed

if TYPE_CHECKING:
    from deep_tally.model.delivery import Delivery


def awaited_words(delivery: Delivery | None, songs: Collection[str] = ()) -> str:
    """ "Waiting for OH right and cello"; empty where nothing is announced. All songs count where none is named."""
    sets = delivery.sets if delivery is not None else ()
    several = len(sets) > 1
    awaited = [
        f"{words} ({song.name})" if several and not songs else words
        for song in sets
        if not songs or song.name in songs
        for words in song.awaited
    ]
    return f"Waiting for {listed(awaited)}" if awaited else ""
