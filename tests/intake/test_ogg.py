"""Ogg pages: every one is checked, whatever a decoder makes of it."""

from __future__ import annotations

import io
import os
import struct
from pathlib import Path

import numpy as np
import pytest
import soundfile

from deep_tally.intake.ogg import page_checksum, walk_pages
from deep_tally.measure.job import measure_entry
from deep_tally.model.delivery import Track
from deep_tally.model.files import Entry, Role
from sounds import RATE, sine


def stream(codec: str, seconds: float = 20.0) -> bytes:
    sound = np.stack([sine(440, seconds, peak=0.5), sine(660, seconds, peak=0.3)], axis=1)
    sound *= 0.5 + 0.5 * np.sin(np.arange(len(sound)) / 3000)[:, None]
    out = io.BytesIO()
    soundfile.write(out, sound, RATE, format="OGG", subtype=codec)
    return out.getvalue()


VORBIS, OPUS = stream("VORBIS"), stream("OPUS")


def starts(raw: bytes) -> list[int]:
    """Where pages begin, by the sizes in their own headers."""
    found, at = [], 0
    while at < len(raw):
        assert raw[at : at + 4] == b"OggS"
        found.append(at)
        segments = raw[at + 26]
        at += 27 + segments + sum(raw[at + 27 : at + 27 + segments])
    return found


def walked(path: Path, raw: bytes) -> object:
    path.write_bytes(raw)
    file = os.open(path, os.O_RDONLY)
    try:
        return walk_pages(file)
    finally:
        os.close(file)


def checksum_by_the_definition(page: bytes) -> int:
    """RFC 3533, 6: bit by bit, as the polynomial is written there."""
    register = 0
    for byte in page[:22] + bytes(4) + page[26:]:
        register ^= byte << 24
        for _ in range(8):
            register = (register << 1 ^ 0x04C11DB7) & 0xFFFFFFFF if register & 0x80000000 else register << 1
    return register


def test_the_checksum_is_that_of_the_definition_and_of_another_encoder() -> None:
    first, second = starts(VORBIS)[:2]
    page = VORBIS[first:second]
    assert page_checksum(page) == checksum_by_the_definition(page) == struct.unpack_from("<I", page, 22)[0]


@pytest.mark.parametrize("raw", [VORBIS, OPUS], ids=["vorbis", "opus"])
def test_a_whole_stream_has_all_its_pages_and_no_break(tmp_path: Path, raw: bytes) -> None:
    found = walked(tmp_path / "x.ogg", raw)
    assert (found.pages, found.breaks, found.has_end) == (len(starts(raw)), 0, True)


def hurt(raw: bytes, page: int, at: int, value: bytes) -> bytes:
    place = starts(raw)[page] + at
    return raw[:place] + value + raw[place + len(value) :]


def without(raw: bytes, page: int) -> bytes:
    first, second = starts(raw)[page : page + 2]
    return raw[:first] + raw[second:]


_MIDDLE = len(starts(VORBIS)) // 2
_CASES = {
    "a byte of a page": (hurt(VORBIS, _MIDDLE, 300, b"\xa5"), 1, 1),
    "the capture pattern": (hurt(VORBIS, _MIDDLE, 0, b"oops"), 1, 1),
    "the number of segments": (hurt(VORBIS, _MIDDLE, 26, b"\x01"), 1, 1),
    "a page is missing": (without(VORBIS, _MIDDLE), 1, 1),
    "two neighbours": (hurt(hurt(VORBIS, _MIDDLE, 300, b"\xa5"), _MIDDLE + 1, 300, b"\xa5"), 1, 2),
    "two apart": (hurt(hurt(VORBIS, _MIDDLE, 300, b"\xa5"), _MIDDLE + 3, 300, b"\xa5"), 2, 2),
    "bytes between pages": (VORBIS[: starts(VORBIS)[_MIDDLE]] + b"\0" * 999 + VORBIS[starts(VORBIS)[_MIDDLE] :], 1, 0),
}


@pytest.mark.parametrize("case", _CASES)
def test_a_break_is_counted_once_where_it_is(tmp_path: Path, case: str) -> None:
    raw, breaks, lost = _CASES[case]
    found = walked(tmp_path / "x.ogg", raw)
    assert (found.breaks, found.pages) == (breaks, len(starts(VORBIS)) - lost)
    before = struct.unpack_from("<q", VORBIS, starts(VORBIS)[_MIDDLE - 1] + 6)[0]
    assert found.first_break_granule == before


def test_a_stream_that_is_cut_off_has_no_end_and_no_break(tmp_path: Path) -> None:
    found = walked(tmp_path / "x.ogg", VORBIS[: len(VORBIS) * 2 // 3])
    assert (found.breaks, found.has_end) == (0, False)


def test_a_file_of_false_starts_is_given_up_soon(tmp_path: Path) -> None:
    found = walked(tmp_path / "x.ogg", VORBIS[: starts(VORBIS)[4]] + b"OggS\0" * 2_000_000)
    assert (found.pages, found.breaks, found.has_end) == (4, 1, False)


def measured(path: Path, raw: bytes) -> Track:
    path.write_bytes(raw)
    entry = Entry(path=path.name, source=path, role=Role.TRACKOUT, bytes=len(raw))
    return measure_entry(lambda done, total: None, entry)


@pytest.mark.parametrize("codec", ["vorbis", "opus"])
@pytest.mark.parametrize("seed", range(3))
def test_a_stream_with_a_sixth_of_its_bytes_overwritten_is_damaged(tmp_path: Path, codec: str, seed: int) -> None:
    raw = bytearray({"vorbis": VORBIS, "opus": OPUS}[codec])
    random = np.random.default_rng(seed)
    length = len(raw) // 6
    at = int(random.integers(8_000, len(raw) - length))
    raw[at : at + length] = random.integers(0, 256, length, np.uint8).tobytes()
    track = measured(tmp_path / "x.ogg", bytes(raw))
    assert track.damage is not None
    assert "its stream is damaged in " in track.damage.problem or track.format is None
    if track.format is not None and track.measures is not None:
        # Nothing is read past the first break: there decoders search for their place at every read, for minutes.
        os.truncate(tmp_path / "x.ogg", at)
        file = os.open(tmp_path / "x.ogg", os.O_RDONLY)
        whole = walk_pages(file)
        os.close(file)
        assert whole.breaks == 0
        assert 0 < track.measures.frames == track.format.frames < 20 * RATE * (at + length) / len(raw)


@pytest.mark.parametrize("codec", ["vorbis", "opus"])
def test_a_whole_stream_is_not(tmp_path: Path, codec: str) -> None:
    track = measured(tmp_path / "x.ogg", {"vorbis": VORBIS, "opus": OPUS}[codec])
    assert track.damage is None
    assert track.format is not None
    assert track.format.contradictions == ()
