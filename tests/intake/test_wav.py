"""The WAV walker on files whose bytes are written by hand."""

from __future__ import annotations

import os
import struct
import wave
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st

from deep_tally.intake.reading import open_sound
from deep_tally.intake.wav import read_layout
from deep_tally.measure.job import measure_entry
from deep_tally.model.errors import NotCheckedHere, UnreadableSound
from deep_tally.model.files import Entry, Role
from searching import examples
from sounds import RATE, ArrayReader, chunk, pcm_fmt, riff

SAMPLES = struct.pack("<8h", *range(-4000, 4000, 1000))


def write(path: Path, content: bytes) -> Path:
    path.write_bytes(content)
    return path


def layout_of(path: Path):
    file = os.open(path, os.O_RDONLY)
    try:
        return read_layout(file)
    finally:
        os.close(file)


@pytest.mark.parametrize(("bits", "subtype"), [(8, "PCM_U8"), (16, "PCM_16"), (24, "PCM_24"), (32, "PCM_32")])
@pytest.mark.parametrize("channels", [1, 2, 3])
def test_samples_rates_depths_and_frames_are_libsndfiles(
    tmp_path: Path, bits: int, subtype: str, channels: int
) -> None:
    path = tmp_path / "x.wav"
    signal = np.random.default_rng(bits).uniform(-1, 1, (1237, channels))
    soundfile.write(path, signal, 44_100, subtype=subtype)
    theirs, rate = soundfile.read(path, dtype="int32", always_2d=True)
    with open_sound(path) as reader:
        block = reader.read(0, 5000)
        sound = reader.format
    assert (sound.rate_hz, sound.channels, sound.frames, sound.bits) == (rate, channels, 1237, bits)
    assert block.bits_set == tuple(int(np.bitwise_or.reduce(channel)) & 0xFFFFFFFF for channel in theirs.T)
    assert np.array_equal(block.samples, theirs / 2.0**31)


@pytest.mark.parametrize("subtype", ["FLOAT", "DOUBLE"])
def test_float_samples_are_libsndfiles(tmp_path: Path, subtype: str) -> None:
    path = tmp_path / "x.wav"
    signal = np.random.default_rng(1).standard_normal((999, 2))
    soundfile.write(path, signal, 96_000, subtype=subtype)
    with open_sound(path) as reader:
        assert np.array_equal(reader.read(0, 999).samples, soundfile.read(path)[0])
        assert reader.format.sample_format == "float"


@pytest.mark.parametrize("width", [1, 2, 3, 4])
def test_pythons_own_wave_module_agrees(tmp_path: Path, width: int) -> None:
    path = tmp_path / "x.wav"
    with wave.open(str(path), "wb") as written:
        written.setnchannels(2)
        written.setsampwidth(width)
        written.setframerate(88_200)
        written.writeframes(bytes(range(240)) * width)
    with wave.open(str(path), "rb") as theirs, open_sound(path) as ours:
        assert ours.format.frames == theirs.getnframes()
        assert ours.format.bits == 8 * theirs.getsampwidth()
        assert ours.format.rate_hz == theirs.getframerate()


def test_any_stretch_reads_the_same_as_the_whole(tmp_path: Path) -> None:
    path = tmp_path / "x.wav"
    soundfile.write(path, np.random.default_rng(2).uniform(-1, 1, (500, 2)), RATE, subtype="PCM_24")
    with open_sound(path) as reader:
        whole = reader.read(0, 500).samples.copy()
        for start, frames in ((0, 1), (1, 7), (499, 10), (123, 300), (500, 3)):
            assert np.array_equal(reader.read(start, frames).samples, whole[start : start + frames])


def test_bext_time_reference_and_description(tmp_path: Path) -> None:
    # EBU Tech 3285: description 256, originator 32, reference 32, date 10, time 8, time reference 2 x 32 bits.
    bext = b"Voice, second take".ljust(256, b"\0") + b"\0" * 82 + struct.pack("<II", 5_000, 2) + b"\0" * 256
    path = write(tmp_path / "x.wav", riff(chunk(b"bext", bext), chunk(b"fmt ", pcm_fmt()), chunk(b"data", SAMPLES)))
    with open_sound(path) as reader:
        assert reader.format.time_reference == 2 * 2**32 + 5_000
        assert reader.format.comments == ("Voice, second take",)


def test_rf64_takes_its_sizes_from_ds64(tmp_path: Path) -> None:
    # EBU Tech 3306: RIFF and data sizes are 0xFFFFFFFF, the true ones are 64-bit numbers in ds64.
    ds64 = chunk(b"ds64", struct.pack("<QQQI", 0, len(SAMPLES), 8, 0))
    data = b"data" + b"\xff" * 4 + SAMPLES + chunk(b"LIST", b"junk")
    path = write(tmp_path / "x.wav", b"RF64" + b"\xff" * 4 + b"WAVE" + ds64 + chunk(b"fmt ", pcm_fmt()) + data)
    found = layout_of(path)
    assert found is not None
    assert (found.format.container, found.format.frames) == ("rf64", 8)


def test_extensible_gives_the_valid_bits(tmp_path: Path) -> None:
    guid = struct.pack("<HIH", 1, 0, 0) + b"\x10\x00\x80\x00\x00\xaa\x00\x38\x9b\x71"
    fmt = struct.pack("<HHIIHHHHI", 0xFFFE, 1, RATE, RATE * 4, 4, 32, 22, 24, 4) + guid[:2] + b"\0" * 14
    path = write(tmp_path / "x.wav", riff(chunk(b"fmt ", fmt), chunk(b"data", b"\0" * 64)))
    found = layout_of(path)
    assert found is not None
    assert (found.format.bits, found.sample_bytes, found.format.frames) == (24, 4, 16)


@pytest.mark.parametrize("size", [0xFFFFFFFF, len(SAMPLES)])
def test_odd_chunks_pads_and_unknown_sizes_are_no_obstacle(tmp_path: Path, size: int) -> None:
    data = b"data" + struct.pack("<I", size) + SAMPLES
    path = write(
        tmp_path / "x.wav", riff(chunk(b"note", b"abc"), chunk(b"fmt ", pcm_fmt()), chunk(b"odd ", b"x"), data)
    )
    found = layout_of(path)
    assert found is not None
    assert (found.format.frames, found.format.claimed_frames) == (8, 8)


def test_audio_that_begins_with_silence_is_found_behind_a_size_of_zero(tmp_path: Path) -> None:
    sound = np.concatenate([np.zeros(4000), np.full(1000, 77)]).astype("<i2").tobytes()
    path = write(tmp_path / "x.wav", riff(chunk(b"fmt ", pcm_fmt()), b"data" + struct.pack("<I", 0) + sound))
    found = layout_of(path)
    assert found is not None
    assert found.format.frames == 5000
    assert any("its header claims no audio" in c for c in found.format.contradictions)
    empty = write(tmp_path / "y.wav", riff(chunk(b"fmt ", pcm_fmt()), b"data" + struct.pack("<I", 0) + bytes(9000)))
    found = layout_of(empty)
    assert found is not None
    assert found.format.frames == 0


def test_a_truncated_file_is_read_to_its_end_and_said_to_be_damaged(tmp_path: Path) -> None:
    path = tmp_path / "cut.wav"
    soundfile.write(path, np.full(RATE * 4, 0.25), RATE, subtype="PCM_24")
    path.write_bytes(path.read_bytes()[: 44 + RATE * 3])
    track = measure_entry(lambda done, total: None, Entry(path="cut.wav", source=path, role=Role.TRACKOUT, bytes=1))
    assert track.damage is not None
    assert track.damage.problem == "it stops at 0:01.0 of the 0:04.0 its header claims"
    assert track.measures is not None
    assert track.measures.sample_peak_dbfs == pytest.approx(-12.04, abs=0.01)


class _Short(ArrayReader):
    """A reader whose header promises twice what there is, as some decoders' estimates do."""

    def __init__(self, sample_format: str) -> None:
        super().__init__(np.full(RATE, 0.25))
        self.format = replace(self.format, frames=2 * RATE, claimed_frames=2 * RATE, sample_format=sample_format)


@pytest.mark.parametrize(("sample_format", "damaged"), [("lossy", False), ("float", True)])
def test_what_was_really_read_counts(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, sample_format: str, damaged: bool
) -> None:
    monkeypatch.setattr("deep_tally.intake.reading.open_plain", lambda path: _Short(sample_format))
    entry = Entry(path="x.mp3", source=tmp_path / "x.mp3", role=Role.TRACKOUT, bytes=1)
    track = measure_entry(lambda done, total: None, entry)
    assert track.format is not None
    assert track.format.frames == RATE
    assert (track.damage is not None) is damaged


def test_a_file_that_shrinks_while_it_is_read_gives_one_sentence(tmp_path: Path) -> None:
    path = tmp_path / "x.wav"
    soundfile.write(path, np.zeros(10_000), RATE, subtype="PCM_16")
    with open_sound(path) as reader:
        os.truncate(path, 1000)
        with pytest.raises(NotCheckedHere, match=r"^x\.wav: the file shrank while it was read; wait"):
            reader.read(0, 10_000)


@settings(max_examples=examples(150), deadline=None)
@given(data=st.data())
def test_mutated_headers_never_raise_anything_else(
    tmp_path_factory: pytest.TempPathFactory, data: st.DataObject
) -> None:
    content = bytearray(riff(chunk(b"bext", b"\0" * 602), chunk(b"fmt ", pcm_fmt(channels=2)), chunk(b"data", SAMPLES)))
    for position in data.draw(st.lists(st.integers(0, len(content) - 1), min_size=1, max_size=6)):
        content[position] = data.draw(st.integers(0, 255))
    path = write(tmp_path_factory.mktemp("fuzz") / "x.wav", bytes(content[: data.draw(st.integers(0, len(content)))]))
    try:
        with open_sound(path) as reader:
            block = reader.read(0, 100)
            assert len(block.samples) <= max(100, reader.format.frames)
    except UnreadableSound as refused:
        told = str(refused)
    else:
        told = "x.wav: read"
    assert told.startswith("x.wav: ")
