"""Measures of files that were measured before, kept in the user's cache.

An entry is found again by where the file is, its size and time of change, a digest of its head, middle and tail, and
the version of the code that measures. The cache is a help, never a need: one that is damaged is thrown away and begun
anew, one that cannot be read or written is done without.
"""

from __future__ import annotations

import hashlib
import io
import pickle
import sqlite3
import time
import zlib
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from functools import lru_cache
from pathlib import Path
from typing import Any

import deep_tally
from deep_tally.intake.fingerprint import fingerprint
from deep_tally.model.comparison import Comparison
from deep_tally.model.delivery import Track
from deep_tally.model.files import Entry
from deep_tally.model.mix_match import MixMatch

BYTES_MOST = 1 << 30
_TRIM_TO = 0.8
_BUSY_S = 2.0
_ROOMS_THAT_MEASURE = ("model", "intake", "measure", "compare", "work")
_PARTS = 3
_MATCH = "match "
_NO_DAMAGE = frozenset(
    {
        sqlite3.SQLITE_PERM,
        sqlite3.SQLITE_BUSY,
        sqlite3.SQLITE_LOCKED,
        sqlite3.SQLITE_NOMEM,
        sqlite3.SQLITE_READONLY,
        sqlite3.SQLITE_FULL,
        sqlite3.SQLITE_CANTOPEN,
        sqlite3.SQLITE_AUTH,
    }
)
_USED_AGAIN_AFTER_S = 3600.0
_OPENING = (
    "PRAGMA auto_vacuum = INCREMENTAL",
    "PRAGMA journal_mode = WAL",
    "PRAGMA synchronous = NORMAL",
    """
    CREATE TABLE IF NOT EXISTS measures (
        key TEXT PRIMARY KEY,
        used REAL NOT NULL,
        bytes INTEGER NOT NULL,
        checksum INTEGER NOT NULL,
        content BLOB NOT NULL
    )
    """,
)


class MeasureCache:
    """The store in one file; safe with several processes at once.

    Parameters
    ----------
    path : Path
        The database; made when it is not there.
    bytes_most : int
        What it may hold; what was not used for longest goes first.
    """

    def __init__(self, path: Path, *, bytes_most: int = BYTES_MOST) -> None:
        self._path = path
        self._bytes_most = bytes_most
        self._store: sqlite3.Connection | None = None
        self._inode = 0

    def find(self, entry: Entry) -> Track | None:
        """What was measured of this very file; None when that is not known."""
        key = _key(entry)
        kept = self._load(key) if key is not None else None
        if not isinstance(kept, tuple) or len(kept) != _PARTS:
            return None
        sound, measures, damage = kept
        return Track.of(entry, format=sound, measures=measures, damage=damage)

    def find_comparison(self, entries: Sequence[Entry]) -> Comparison | None:
        """How these very files relate; None when that is not known."""
        key = _key_of_all(entries)
        kept = self._load(key) if key is not None else None
        return kept if isinstance(kept, Comparison) else None

    def find_match(self, entries: Sequence[Entry]) -> MixMatch | None:
        """What the first of these very files, a mix, says of the others; None when that is not known."""
        key = _key_of_all(entries)
        kept = self._load(_MATCH + key) if key is not None else None
        return kept if isinstance(kept, MixMatch) else None

    def _load(self, key: str) -> Any:
        kept = None  # whatever goes wrong with the store ends the block below
        with self._open() as store:
            if store is None:
                return None
            row = store.execute("SELECT checksum, content, used FROM measures WHERE key = ?", (key,)).fetchone()
            if row is None or zlib.crc32(row[1]) != row[0]:
                return None
            if time.time() - row[2] > _USED_AGAIN_AFTER_S:
                store.execute("UPDATE measures SET used = ? WHERE key = ?", (time.time(), key))
            kept = _loads(row[1])
        return kept  # noqa: RET504 - an error of the store ends the block before it returns

    def keep(self, entry: Entry, track: Track) -> None:
        """Keep what was measured; a file that could not be opened may be better next time and is not kept."""
        key = _key(entry)
        if key is not None and track.measures is not None:
            self._store_content(key, (track.format, track.measures, track.damage))

    def keep_comparison(self, entries: Sequence[Entry], comparison: Comparison) -> None:
        """Keep how files relate."""
        key = _key_of_all(entries)
        if key is not None:
            self._store_content(key, comparison)

    def keep_match(self, entries: Sequence[Entry], match: MixMatch) -> None:
        """Keep what a mix says of files."""
        key = _key_of_all(entries)
        if key is not None:
            self._store_content(_MATCH + key, match)

    def _store_content(self, key: str, what: object) -> None:
        content = pickle.dumps(what, protocol=5)
        with self._open() as store:
            if store is not None:
                store.execute(
                    "INSERT OR REPLACE INTO measures VALUES (?, ?, ?, ?, ?)",
                    (key, time.time(), len(content), zlib.crc32(content), content),
                )
                self._trim(store)

    def _trim(self, store: sqlite3.Connection) -> None:
        held = store.execute("SELECT TOTAL(bytes) FROM measures").fetchone()[0]
        if held <= self._bytes_most:
            return
        for key, size in store.execute("SELECT key, bytes FROM measures ORDER BY used").fetchall():
            store.execute("DELETE FROM measures WHERE key = ?", (key,))
            held -= size
            if held <= _TRIM_TO * self._bytes_most:
                break
        store.execute("PRAGMA incremental_vacuum")

    @contextmanager
    def _open(self) -> Iterator[sqlite3.Connection | None]:
        """The store, or None where there is none; whatever is wrong with it costs what was kept, and no more."""
        try:
            store = self._connected()
        except (sqlite3.Error, OSError):
            yield None
            return
        try:
            with store:
                yield store
        except sqlite3.Error as error:
            if _is_damage(error):
                with suppress(OSError):
                    self._throw_away()

    def _connected(self) -> sqlite3.Connection:
        """The connection, which stays open; a new one where another window has thrown the file away."""
        if self._store is not None:
            if self._path.exists() and self._path.stat().st_ino == self._inode:
                return self._store
            self.close()
        self._path.parent.mkdir(parents=True, exist_ok=True)
        try:
            self._connect()
        except sqlite3.Error as error:
            if not _is_damage(error):
                raise
            self._throw_away()
            self._connect()
        if self._store is None:
            raise sqlite3.OperationalError("no connection")
        return self._store

    def _connect(self) -> None:
        store = sqlite3.connect(self._path, timeout=_BUSY_S)
        try:
            for statement in _OPENING:
                store.execute(statement)
        except sqlite3.Error:
            store.close()
            raise
        self._store, self._inode = store, self._path.stat().st_ino

    def close(self) -> None:
        """Let go of the store; the next use opens it again."""
        if self._store is not None:
            self._store.close()
            self._store = None

    def _throw_away(self) -> None:
        self.close()
        for name in ("", "-wal", "-shm", "-journal"):
            self._path.with_name(self._path.name + name).unlink(missing_ok=True)


def _is_damage(error: sqlite3.Error) -> bool:
    """Whether the file is to blame, and not another window that holds it, a full disk or a lack of permission."""
    code = getattr(error, "sqlite_errorcode", None)
    return code is not None and code & 0xFF not in _NO_DAMAGE


def _key(entry: Entry) -> str | None:
    """What identifies a file and how it was measured; None for a file that cannot be read."""
    content = fingerprint(entry.source)
    if content is None:
        return None
    said = repr((content, entry.identity, measuring_version()))
    return hashlib.blake2b(said.encode("utf-8", "surrogateescape"), digest_size=20).hexdigest()


def _key_of_all(entries: Sequence[Entry]) -> str | None:
    """The same for a comparison of several files, which also distinguishes them by their paths."""
    keys = [(_key(e), e.path) for e in entries]
    if any(key is None for key, _ in keys):
        return None
    return hashlib.blake2b(repr(keys).encode("utf-8", "surrogateescape"), digest_size=20).hexdigest()


@lru_cache(maxsize=1)
def measuring_version() -> str:
    """A digest of the code that measures: what other code measured is never taken for its own."""
    digest = hashlib.blake2b(digest_size=16)
    source = Path(deep_tally.__file__).parent
    for path in sorted(p for room in _ROOMS_THAT_MEASURE for p in (source / room).glob("*.py")):
        digest.update(path.read_bytes())
    return digest.hexdigest()


_OF_ARRAYS = frozenset({"_reconstruct", "_frombuffer", "ndarray", "dtype"})


class _OwnKinds(pickle.Unpickler):
    """Makes nothing but our own dataclasses, paths and arrays, whatever the content says."""

    def find_class(self, module: str, name: str) -> Any:
        if module.startswith("deep_tally.model.") or (module.startswith("numpy") and name in _OF_ARRAYS):
            return super().find_class(module, name)
        raise pickle.UnpicklingError(f"{module}.{name} has no place in a cache")


def _loads(content: bytes) -> Any:
    try:
        return _OwnKinds(io.BytesIO(content)).load()
    except Exception:  # noqa: BLE001 - damaged content can raise anything; it is measured anew
        return None
