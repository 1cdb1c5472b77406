"""Work on a cache in processes of its own."""

from __future__ import annotations

import sys
from dataclasses import replace
from pathlib import Path

from deep_tally.model.files import Entry, Role
from deep_tally.session.cache import MeasureCache
from tracks import track


def entry_of(path: Path) -> Entry:
    status = path.stat()
    return Entry(path=path.name, source=path, role=Role.TRACKOUT, bytes=status.st_size, mtime_ns=status.st_mtime_ns)


def keep_many(store: Path, folder: Path, count: int) -> None:
    """Keep `count` files' measures, again and again when the count is negative."""
    cache = MeasureCache(store)
    number = 0
    while number != count:
        path = folder / f"{number % 50}.wav"
        path.write_bytes(str(number).encode())
        cache.keep(entry_of(path), replace(track(), path=path.name))
        number += 1
    cache.close()


if __name__ == "__main__":
    keep_many(Path(sys.argv[1]), Path(sys.argv[2]), int(sys.argv[3]))
