"""What stands around the samples of a WAV file, byte for byte after the standards."""

from __future__ import annotations

import io
import struct
from dataclasses import replace
from pathlib import Path

import pytest
import soundfile

from deep_tally.intake.reading import open_sound
from deep_tally.model.ready import Copy, Piece, Step
from deep_tally.ready.chunks import broadcast, coding_history, wave_file
from ready.written import MADE, copy

COPY = copy(
    Piece(path="a.wav", sides=(0, 1), at=0, skip=0, frames=480),
    frames=480,
    name="02 Bass DI.wav",
    time_reference=(1 << 33) + 7,
    steps=(Step("place"), Step("pad")),
)


def chunks_of(data: bytes) -> dict[bytes, bytes]:
    """A second reader of RIFF, written from its definition: four letters, a size, the content, padded to even."""
    found, at = {}, 12
    while at + 8 <= len(data):
        kind, size = data[at : at + 4], struct.unpack("<I", data[at + 4 : at + 8])[0]
        found[kind] = data[at + 8 : at + 8 + size]
        at += 8 + size + size % 2
    return found


def test_the_broadcast_chunk_is_as_ebu_tech_3285_lays_it_out() -> None:
    """Tech 3285 v2, 2.3: offsets of the fields within the chunk, counted from its table."""
    content = broadcast(COPY, MADE)
    assert content[0:256].rstrip(b"\0") == b"02 Bass DI"
    assert content[256:288].rstrip(b"\0") == b"Deep Tally"
    assert content[288:320] == bytes(32)
    assert content[320:330] == b"2026-11-30"
    assert content[330:338] == b"17:45:30"
    assert struct.unpack("<II", content[338:346]) == (7, 2)  # low word first
    assert struct.unpack("<H", content[346:348]) == (1,)
    assert content[348:602] == bytes(254)
    assert len(content) % 2 == 0
    assert content[602:].rstrip(b"\0") == b"A=PCM,F=48000,W=24,M=stereo,T=Deep Tally; place pad\r\n"


@pytest.mark.parametrize(("channels", "mode"), [(1, "mono"), (2, "stereo"), (6, "6 channels")])
def test_the_coding_history_names_every_step(channels: int, mode: str) -> None:
    assert f",M={mode}," in coding_history(replace(COPY, channels=channels))
    assert coding_history(replace(COPY, steps=())).endswith("T=Deep Tally; copy\r\n")


@pytest.mark.parametrize(
    ("bits", "is_float"), [(8, False), (16, False), (24, False), (32, False), (32, True), (64, True)]
)
@pytest.mark.parametrize("frames", [480, 481])
def test_the_header_is_what_two_other_readers_say(bits: int, is_float: bool, frames: int, tmp_path: Path) -> None:
    mono = replace(COPY, channels=1, bits=bits, is_float=is_float, frames=frames)
    around = wave_file(mono, MADE)
    data = around.header + bytes([128 if bits == 8 else 0]) * (frames * bits // 8) + around.trailer
    assert len(data) % 2 == 0
    assert struct.unpack("<I", data[4:8]) == (len(data) - 8,)
    found = chunks_of(data)
    tag, channels, rate, per_second, block, depth = struct.unpack("<HHIIHH", found[b"fmt "])
    assert (tag, channels, rate, depth, block) == (3 if is_float else 1, 1, 48_000, bits, bits // 8)
    assert per_second == 48_000 * bits // 8
    assert len(found[b"data"]) == frames * bits // 8
    seen = soundfile.info(io.BytesIO(data))
    kind = {(32, True): "FLOAT", (64, True): "DOUBLE", (8, False): "PCM_U8"}.get((bits, is_float), f"PCM_{bits}")
    assert (seen.frames, seen.subtype) == (frames, kind)
    file = tmp_path / "a.wav"
    file.write_bytes(data)
    with open_sound(file) as reader:
        assert (reader.format.frames, reader.format.bits, reader.format.time_reference) == (frames, bits, (1 << 33) + 7)
        assert reader.format.contradictions == ()


def test_over_four_gigabytes_it_is_rf64_as_ebu_tech_3306_has_it(tmp_path: Path) -> None:
    """Tech 3306 v1.1, 3: RF64, both 32-bit sizes -1, and the true ones in a ds64 chunk that comes first."""
    frames = (1 << 32) // 6 + 1000
    large = replace(COPY, frames=frames)
    around = wave_file(large, MADE)
    file = tmp_path / "large.wav"
    with file.open("wb") as stream:
        stream.write(around.header)
        stream.truncate(len(around.header) + frames * 6 + len(around.trailer))  # sparse: nothing is stored
    assert around.header[:16] == b"RF64\xff\xff\xff\xffWAVEds64"
    size, riff, data, samples, table = struct.unpack("<IQQQI", around.header[16:48])
    assert (size, data, samples, table) == (28, frames * 6, frames, 0)
    assert riff == file.stat().st_size - 8
    assert around.header[-8:] == b"data\xff\xff\xff\xff"
    seen = soundfile.info(file)
    assert (seen.frames, seen.format) == (frames, "RF64")
    with open_sound(file) as reader:
        assert (reader.format.container, reader.format.frames, reader.format.claimed_frames) == ("rf64", frames, frames)
        assert reader.format.contradictions == ()


def test_the_largest_riff_is_no_rf64(tmp_path: Path) -> None:
    around = wave_file(COPY, MADE)
    whole = len(around.header) + COPY.frames * 6 - 8
    assert wave_file(COPY, MADE, most=whole).header[:4] == b"RIFF"
    assert wave_file(COPY, MADE, most=whole - 1).header[:4] == b"RF64"


def test_a_name_that_is_no_ascii_is_written_as_far_as_it_goes() -> None:
    content = broadcast(replace(COPY, name="01 Flöte.wav"), MADE)
    assert content[:256].rstrip(b"\0") == b"01 Fl?te"
    assert isinstance(COPY, Copy)
