"""Tags that make programs stretch or loop a file: another library's, and byte by byte from the standards."""

from __future__ import annotations

import struct
from pathlib import Path

import av
import numpy as np
import pytest
import soundfile

from deep_tally.intake.reading import open_sound
from deep_tally.model.findings import Action
from inline import check_inline

RATE = 48_000


def tags_of(path: Path) -> list[str]:
    with open_sound(path) as reader:
        return [str(tag) for tag in reader.format.import_tags]


def chunk(name: bytes, body: bytes, order: str = "<") -> bytes:
    return name + struct.pack(order + "I", len(body)) + body + b"\0" * (len(body) & 1)


def wav_with(path: Path, *chunks: bytes) -> Path:
    """A WAV with chunks behind its sound."""
    soundfile.write(path, np.random.default_rng(1).normal(0, 0.05, 4 * RATE), RATE, subtype="PCM_24")
    content = path.read_bytes() + b"".join(chunks)
    path.write_bytes(content[:4] + struct.pack("<I", len(content) - 8) + content[8:])
    return path


def aiff_with(path: Path, *chunks: bytes) -> Path:
    soundfile.write(path, np.zeros(100), RATE, subtype="PCM_24", format="AIFF")
    content = path.read_bytes() + b"".join(chunks)
    path.write_bytes(content[:4] + struct.pack(">I", len(content) - 8) + content[8:])
    return path


def sampler(loops: int) -> bytes:
    """RIFF's sampler chunk: nine words, of which the eighth counts the loops, and six words a loop."""
    return chunk(b"smpl", struct.pack("<9I", 0, 0, 20833, 60, 0, 0, 0, loops, 0) + bytes(24 * loops))


def id3(*frames: tuple[bytes, bytes], version: int = 3) -> bytes:
    """ID3v2.3 (3.1, 3.3): ten bytes of header, then frames of name, size, two bytes of flags and content."""
    body = b"".join(name + struct.pack(">I", len(text)) + b"\0\0" + text for name, text in frames)
    return b"ID3" + bytes((version, 0, 0)) + struct.pack(">I", len(body)) + body


@pytest.mark.parametrize(
    ("chunks", "tags"),
    [
        ([sampler(2)], ["2 loops"]),
        ([sampler(1)], ["1 loop"]),
        ([sampler(0)], []),
        ([chunk(b"smpl", bytes(20))], []),
        ([chunk(b"id3 ", id3((b"TIT2", b"\0Tide"), (b"TBPM", b"\x0096")))], ["a tempo of 96 BPM"]),
        ([chunk(b"id3 ", id3((b"TBPM", b"\x01" + "128".encode("utf-16"))))], ["a tempo of 128 BPM"]),
        ([chunk(b"ID3 ", id3((b"TBPM", b"\x03" + b"92.5"), version=4))], ["a tempo of 92.5 BPM"]),
        ([chunk(b"id3 ", id3((b"TBPM", b"\x000")))], []),  # written for "none"
        ([chunk(b"id3 ", id3((b"TBPM", b"\x00900")))], []),
        ([chunk(b"id3 ", id3((b"TBPM", b"\x0096"), version=2))], []),  # of other frames
        ([chunk(b"id3 ", id3((b"TIT2", b"\0TBPM 96")))], []),
        ([chunk(b"id3 ", b"ID3\x03")], []),
        ([sampler(1), chunk(b"id3 ", id3((b"TBPM", b"\x0096")))], ["1 loop", "a tempo of 96 BPM"]),
    ],
)
def test_tags_in_wav(tmp_path: Path, chunks: list[bytes], tags: list[str]) -> None:
    assert tags_of(wav_with(tmp_path / "a.wav", *chunks)) == tags


@pytest.mark.parametrize(("modes", "tags"), [((1, 0), ["1 loop"]), ((1, 2), ["2 loops"]), ((0, 0), []), ((7, 0), [])])
def test_loops_in_aiff(tmp_path: Path, modes: tuple[int, int], tags: list[str]) -> None:
    """AIFF 1.3: six bytes, a gain, then sustain and release loop of play mode and two markers."""
    body = bytes(6) + struct.pack(">h", 0) + struct.pack(">hhh", modes[0], 1, 2) + struct.pack(">hhh", modes[1], 3, 4)
    assert tags_of(aiff_with(tmp_path / "a.aiff", chunk(b"INST", body, ">"))) == tags


def test_a_tempo_in_aiff(tmp_path: Path) -> None:
    tagged = chunk(b"ID3 ", id3((b"TBPM", b"\x00110")), ">")
    assert tags_of(aiff_with(tmp_path / "a.aiff", tagged)) == ["a tempo of 110 BPM"]


@pytest.mark.parametrize(
    ("name", "codec", "key", "tags"),
    [
        ("a.flac", "flac", "BPM", ["a tempo of 96 BPM"]),
        ("a.flac", "flac", "TEMPO", ["a tempo of 96 BPM"]),
        ("a.flac", "flac", "TITLE", []),
        ("a.mp3", "libmp3lame", "TBPM", ["a tempo of 96 BPM"]),
        ("a.mp3", "libmp3lame", "title", []),
    ],
)
def test_tags_as_another_library_writes_them(tmp_path: Path, name: str, codec: str, key: str, tags: list[str]) -> None:
    path = tmp_path / name
    with av.open(str(path), "w") as out:
        out.metadata[key] = "96"
        stream = out.add_stream(codec, rate=RATE, layout="mono")
        silence = np.zeros((1, 4 * RATE), np.int16)
        frame = av.AudioFrame.from_ndarray(silence, format="s16p" if codec == "libmp3lame" else "s16", layout="mono")
        frame.rate = RATE
        for packet in [*stream.encode(frame), *stream.encode(None)]:
            out.mux(packet)
    assert tags_of(path) == tags


def test_flac_behind_an_id3_tag_is_lossless_and_its_own_comments_count(tmp_path: Path) -> None:
    path = tmp_path / "a.flac"
    sound = np.round(np.random.default_rng(1).normal(0, 0.05, RATE) * 2**23) / 2**23
    soundfile.write(path, sound, RATE, subtype="PCM_24")
    path.write_bytes(id3((b"TIT2", b"\0Tide"), (b"TALB", b"\0" + bytes(70))) + path.read_bytes())
    with open_sound(path) as reader:
        assert (reader.format.container, reader.format.sample_format, reader.format.bits) == ("flac", "int", 24)
        assert np.array_equal(reader.read(0, RATE).samples[:, 0], sound)
        assert reader.format.import_tags == ()


def test_a_tempo_in_caf(tmp_path: Path) -> None:
    path = tmp_path / "a.caf"
    soundfile.write(path, np.zeros(100), RATE, subtype="PCM_24", format="CAF")
    raw = path.read_bytes()
    body = struct.pack(">I", 1) + b"tempo\x00100\0"
    path.write_bytes(raw[:8] + raw[8:52] + b"info" + struct.pack(">q", len(body)) + body + raw[52:])
    assert tags_of(path) == ["a tempo of 100 BPM"]


def test_the_engineer_is_told_and_nobody_is_asked(tmp_path: Path) -> None:
    home = tmp_path / "Silver Meadow"
    home.mkdir()
    for part in ("Kick", "Bass", "Piano"):
        wav_with(home / f"{part}.wav", *([sampler(1)] if part == "Bass" else []))
    (found,) = [f for f in check_inline(home).findings if f.code == "content.import-tags"]
    assert (found.action, found.files, found.evidence["tags"]) == (Action.NOTE, ("Bass.wav",), ("1 loop",))
