"""The cache of measures: right or silent, whatever happens to its file."""

from __future__ import annotations

import os
import pickle
import signal
import sqlite3
import subprocess
import sys
import time
import zlib
from dataclasses import replace
from pathlib import Path

import pytest

from deep_tally.model.files import Role
from deep_tally.session import cache as cache_module
from deep_tally.session.cache import MeasureCache
from session.cache_jobs import entry_of, keep_many
from sounds import measured, sine
from tracks import track

TRACK = replace(track("x.wav"), measures=measured(sine(440, 1.0, peak=0.5), bits=24))


@pytest.fixture
def store(tmp_path: Path) -> Path:
    return tmp_path / "cache" / "measures.sqlite"


@pytest.fixture
def sound(tmp_path: Path) -> Path:
    path = tmp_path / "x.wav"
    path.write_bytes(bytes(range(256)) * 2000)
    return path


def test_what_was_kept_is_found_with_todays_role_and_name(store: Path, sound: Path) -> None:
    MeasureCache(store).keep(entry_of(sound), TRACK)
    entry = replace(entry_of(sound), path="new/name.wav", role=Role.CLICK)
    found = MeasureCache(store).find(entry)
    assert found == replace(TRACK, path="new/name.wav", role=Role.CLICK)
    assert found is not None
    assert found.measures is not None
    assert TRACK.measures is not None
    assert (found.measures.overview[0].high == TRACK.measures.overview[0].high).all()


@pytest.mark.parametrize("place", [0, 256_000, 511_999])
def test_a_changed_byte_at_head_middle_or_tail_is_noticed_though_size_and_time_are_the_same(
    store: Path, sound: Path, place: int
) -> None:
    before = entry_of(sound)
    MeasureCache(store).keep(before, TRACK)
    raw = bytearray(sound.read_bytes())
    raw[place] ^= 1
    sound.write_bytes(raw)
    os.utime(sound, ns=(before.mtime_ns, before.mtime_ns))
    assert entry_of(sound) == before
    assert MeasureCache(store).find(before) is None


def test_another_time_another_place_or_other_measuring_code_is_another_file(
    store: Path, sound: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    cache = MeasureCache(store)
    entry = entry_of(sound)
    cache.keep(entry, TRACK)
    moved = sound.rename(tmp_path / "y.wav")
    assert cache.find(replace(entry, source=moved)) is None
    moved.rename(sound)
    assert cache.find(replace(entry, mtime_ns=entry.mtime_ns + 1)) is None
    assert cache.find(entry) is not None
    monkeypatch.setattr(cache_module, "measuring_version", lambda: "another")
    assert cache.find(entry) is None


def test_a_member_of_a_zip_is_known_wherever_it_was_unpacked(store: Path, sound: Path, tmp_path: Path) -> None:
    cache = MeasureCache(store)
    cache.keep(replace(entry_of(sound), archived="/a.zip: x.wav:1234"), TRACK)
    other = tmp_path / "elsewhere.wav"
    other.write_bytes(sound.read_bytes())
    assert cache.find(replace(entry_of(other), archived="/a.zip: x.wav:1234")) is not None
    assert cache.find(replace(entry_of(other), archived="/b.zip: x.wav:1234")) is None


def test_a_file_that_could_not_be_read_is_tried_again(store: Path, sound: Path) -> None:
    MeasureCache(store).keep(entry_of(sound), replace(TRACK, format=None, measures=None))
    assert MeasureCache(store).find(entry_of(sound)) is None


@pytest.mark.parametrize("damage", ["garbage", "empty", "truncated", "scribbled"])
def test_a_damaged_cache_is_thrown_away_and_rebuilt(store: Path, tmp_path: Path, damage: str) -> None:
    keep_many(store, tmp_path, 40)
    path = tmp_path / "7.wav"
    raw = bytearray(store.read_bytes())
    if damage == "garbage":
        raw = bytearray(b"no database at all" * 500)
    elif damage == "empty":
        raw = bytearray()
    elif damage == "truncated":
        raw = raw[: len(raw) // 2]
    else:
        for at in range(4096, len(raw), 97):
            raw[at] ^= 0xFF
    store.write_bytes(raw)
    cache = MeasureCache(store)
    cache.find(entry_of(path))
    cache.keep(entry_of(path), TRACK)
    cache.keep(entry_of(path), TRACK)
    found = cache.find(entry_of(path))
    assert found is not None
    assert found.measures == TRACK.measures
    with sqlite3.connect(store) as connection:
        assert connection.execute("PRAGMA integrity_check").fetchone() == ("ok",)


def test_content_that_was_changed_or_is_foreign_is_not_believed(store: Path, sound: Path, tmp_path: Path) -> None:
    class Evil:
        def __reduce__(self) -> tuple[object, ...]:
            return (os.mkdir, (str(tmp_path / "evil"),))

    cache = MeasureCache(store)
    cache.keep(entry_of(sound), TRACK)
    content = pickle.dumps((Evil(), None, None))
    with sqlite3.connect(store) as connection:
        connection.execute("UPDATE measures SET content = ?", (content,))
    assert cache.find(entry_of(sound)) is None
    with sqlite3.connect(store) as connection:
        connection.execute("UPDATE measures SET checksum = ?", (zlib.crc32(content),))
    assert cache.find(entry_of(sound)) is None
    assert not (tmp_path / "evil").exists()


def test_a_cache_that_cannot_be_written_is_done_without(tmp_path: Path, sound: Path) -> None:
    (tmp_path / "file").write_text("in the way")
    for path in (tmp_path / "file" / "measures.sqlite", tmp_path):
        MeasureCache(path).keep(entry_of(sound), TRACK)
        assert MeasureCache(path).find(entry_of(sound)) is None


def test_it_stays_within_its_size_and_what_was_used_last_stays(
    store: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(cache_module, "_USED_AGAIN_AFTER_S", -1.0)
    cache = MeasureCache(store, bytes_most=20 * len(pickle.dumps((TRACK.format, TRACK.measures, TRACK.damage), 5)))
    paths = []
    for number in range(60):
        path = tmp_path / f"{number}.wav"
        path.write_bytes(str(number).encode())
        cache.keep(entry_of(path), TRACK)
        assert cache.find(entry_of(tmp_path / "0.wav")) is not None
        paths.append(path)
    kept = [p.stem for p in paths if cache.find(entry_of(p)) is not None]
    assert 12 <= len(kept) <= 20
    assert kept[0] == "0"
    assert kept[-1] == "59"


def test_two_windows_may_keep_at_once(store: Path, tmp_path: Path) -> None:
    command = [sys.executable, "-m", "session.cache_jobs", str(store)]
    environment = {**os.environ, "PYTHONPATH": str(Path(__file__).parents[1])}
    for name in ("a", "b"):
        (tmp_path / name).mkdir()
    running = [subprocess.Popen([*command, str(tmp_path / n), "40"], env=environment) for n in ("a", "b")]
    assert [p.wait(60) for p in running] == [0, 0]
    cache = MeasureCache(store)
    found = [cache.find(entry_of(tmp_path / n / f"{i}.wav")) for n in ("a", "b") for i in range(40)]
    assert all(found)


def test_a_kill_in_the_middle_of_a_write_costs_at_most_that_write(store: Path, tmp_path: Path) -> None:
    environment = {**os.environ, "PYTHONPATH": str(Path(__file__).parents[1])}
    command = [sys.executable, "-m", "session.cache_jobs", str(store), str(tmp_path), "-1"]
    for _ in range(3):
        running = subprocess.Popen(command, env=environment)
        deadline = time.monotonic() + 30
        while not (store.exists() and store.stat().st_size > 50_000) and time.monotonic() < deadline:
            time.sleep(0.02)
        time.sleep(0.1)
        running.send_signal(signal.SIGKILL)
        running.wait()
        with sqlite3.connect(store) as connection:
            assert connection.execute("PRAGMA integrity_check").fetchone() == ("ok",)
            assert connection.execute("SELECT COUNT(*) FROM measures").fetchone()[0] > 5
