"""Formats that libsndfile decodes, and files that nobody can read."""

from __future__ import annotations

import os
from pathlib import Path
from types import SimpleNamespace

import numpy as np
import pytest
import soundfile

from deep_tally.intake import decoded
from deep_tally.intake.decoded import LibsndfileReader
from deep_tally.intake.reading import open_decoded, open_sound
from deep_tally.measure.job import measure_entry
from deep_tally.model.errors import NotCheckedHere, UnreadableSound
from deep_tally.model.files import Entry, Role
from sounds import RATE, measured_file, sine

FORMATS = [
    ("flac", "FLAC", "PCM_24", "flac", "int", 24),
    ("flac", "FLAC", "PCM_16", "flac", "int", 16),
    ("aiff", "AIFF", "PCM_24", "aiff", "int", 24),
    ("caf", "CAF", "FLOAT", "caf", "float", 32),
    ("w64", "W64", "PCM_16", "w64", "int", 16),
    ("au", "AU", "PCM_16", "au", "int", 16),
    ("mp3", "MP3", "MPEG_LAYER_III", "mp3", "lossy", None),
    ("ogg", "OGG", "VORBIS", "ogg", "lossy", None),
    ("wav", "WAV", "ULAW", "wav", "lossy", None),
]


@pytest.mark.parametrize(("ending", "kind", "subtype", "container", "sample_format", "bits"), FORMATS)
def test_formats_are_recognised_by_their_bytes(
    tmp_path: Path, ending: str, kind: str, subtype: str, container: str, sample_format: str, bits: int | None
) -> None:
    path = tmp_path / "named.wrongly"
    with path.open("wb") as file:
        soundfile.write(file, np.stack([sine(440, 1, peak=0.5)] * 2, axis=1), RATE, format=kind, subtype=subtype)
    with open_sound(path) as reader:
        sound = reader.format
        total = sum(len(reader.read(start, 9000).samples) for start in range(0, sound.frames, 9000))
    assert (sound.container, sound.sample_format, sound.bits) == (container, sample_format, bits)
    assert (sound.rate_hz, sound.channels, total) == (RATE, 2, sound.frames)
    assert measured_file(path).sample_peak_dbfs == pytest.approx(-6.02, abs=0.5)
    assert ending


def test_flac_is_bit_exact(tmp_path: Path) -> None:
    codes = np.random.default_rng(1).integers(-(2**23), 2**23, (4000, 2)).astype(np.int32) << 8
    soundfile.write(tmp_path / "x.flac", codes, RATE, subtype="PCM_24")
    with open_sound(tmp_path / "x.flac") as reader:
        assert np.array_equal(reader.read(0, 4000).samples, codes / 2.0**31)


def test_a_truncated_flac_is_measured_up_to_where_it_breaks(tmp_path: Path) -> None:
    path = tmp_path / "cut.flac"
    random = np.random.default_rng(1)
    soundfile.write(path, 0.25 * random.uniform(-1, 1, 20 * RATE), RATE, subtype="PCM_24")
    path.write_bytes(path.read_bytes()[: path.stat().st_size // 2])
    track = measure_entry(lambda done, total: None, Entry(path="cut.flac", source=path, role=Role.TRACKOUT, bytes=1))
    assert track.measures is not None
    assert track.format is not None
    assert 5 < track.format.seconds < 11
    assert track.measures.sample_peak_dbfs == pytest.approx(-12.04, abs=0.05)
    assert track.damage is not None
    assert track.damage.problem.endswith("of the 0:20.0 its header claims")


CASES = {
    "zero bytes": (b"", "the file is empty (0 bytes)"),
    "text": (b"These are only some words, no sound.\n" * 30, "it holds text, not audio"),
    "noise": (bytes(range(256)) * 20, "no audio format we can read was found in it"),
    "zeros": (bytes(5000), "it holds nothing but zeros"),
    "only a head": (b"RIFF\x24\0\0\0WAVE", "its header is damaged, no audio can be found in it"),
}


@pytest.mark.parametrize("case", CASES)
def test_what_is_no_audio_is_said_in_one_sentence(tmp_path: Path, case: str) -> None:
    content, words = CASES[case]
    path = tmp_path / "bad.wav"
    path.write_bytes(content)
    with pytest.raises(UnreadableSound) as refused:
        open_sound(path)
    assert str(refused.value).startswith(f"bad.wav: {words}; ask for ")


def test_a_file_that_vanished(tmp_path: Path) -> None:
    with pytest.raises(NotCheckedHere, match=r"gone\.wav: the file is gone; put it back"):
        open_sound(tmp_path / "gone.wav")


@pytest.mark.skipif(os.geteuid() == 0, reason="root may read everything")
def test_no_permission(tmp_path: Path) -> None:
    path = tmp_path / "mine.wav"
    path.write_bytes(b"x")
    path.chmod(0)
    with pytest.raises(NotCheckedHere, match="there is no permission to read it; change its permissions"):
        open_sound(path)


def test_no_permission_as_the_system_tells_it(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    # The same, also where the tests run as root.
    def refuse(*args: object) -> int:
        raise PermissionError(13, "Permission denied")

    monkeypatch.setattr(os, "open", refuse)
    with pytest.raises(NotCheckedHere, match="there is no permission to read it"):
        open_sound(tmp_path / "x.wav")


def test_no_reader_leaves_its_file_open(tmp_path: Path) -> None:
    (tmp_path / "bad.wav").write_bytes(b"RIFF\x24\0\0\0WAVEfmt ")
    soundfile.write(tmp_path / "good.wav", np.zeros(10), RATE)
    before = len(os.listdir("/proc/self/fd"))
    for _ in range(5):
        with open_sound(tmp_path / "good.wav") as reader:
            reader.read(0, 5)
        with pytest.raises(UnreadableSound):
            open_sound(tmp_path / "bad.wav")
    assert len(os.listdir("/proc/self/fd")) == before


def test_a_file_that_cannot_be_searched_is_decoded_once_and_not_anew_for_every_place(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    # With its end missing, libsndfile finds no place in it; two and a half minutes of FLAC took a minute to measure.
    sound = (np.random.default_rng(4).standard_normal((8 * RATE, 2)) * 5000).astype(np.int16)
    soundfile.write(tmp_path / "whole.flac", sound, RATE, subtype="PCM_16")
    raw = (tmp_path / "whole.flac").read_bytes()
    path = tmp_path / "cut.flac"
    path.write_bytes(raw[: len(raw) * 2 // 3])
    opened: list[object] = []
    real = soundfile.SoundFile

    def counting(*arguments: object, **options: object) -> object:
        opened.append(arguments)
        return real(*arguments, **options)

    monkeypatch.setattr(soundfile, "SoundFile", counting)
    with LibsndfileReader(path) as reader:
        for start in (200_000, 1000, 150_000, 20, 240_000, 0):
            block = reader.read(start, 500)
            assert np.array_equal(block.samples * 32768, sound[start : start + 500])
            assert block.bits_set is not None
            assert all(bits & 0xFFFF == 0 for bits in block.bits_set)
        assert not len(reader.read(300_000, 500).samples)
    assert len(opened) <= 2


def _mp3(path: Path) -> Path:
    soundfile.write(path, np.random.default_rng(1).standard_normal(RATE) * 0.1, RATE, format="MP3")
    return path


def test_a_decoded_file_is_written_whole_where_the_system_takes_it_in_pieces(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = _mp3(tmp_path / "x.mp3")
    with open_decoded(path) as reader:
        whole = reader.read(0, RATE).samples.copy()
    real = os.write
    monkeypatch.setattr(os, "write", lambda file, data: real(file, bytes(data)[: max(1, len(data) // 3)]))
    with open_decoded(path) as reader:
        assert np.array_equal(reader.read(0, RATE).samples, whole)


def test_a_full_disk_while_decoding_is_this_machines_affair(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def full(file: int, data: bytes) -> int:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "write", full)
    with pytest.raises(NotCheckedHere, match=r"its decoded audio cannot be written to the disk \(No space left"):
        open_decoded(_mp3(tmp_path / "x.mp3"))


def test_the_room_is_looked_at_before_decoding(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = _mp3(tmp_path / "x.mp3")
    monkeypatch.setattr(decoded.shutil, "disk_usage", lambda folder: SimpleNamespace(free=100_000))
    with pytest.raises(NotCheckedHere, match="decoding it takes 0 MB of disk space, and 0 MB are free; free some"):
        open_decoded(path)


def test_a_decoder_that_gets_no_memory_is_this_machines_affair(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def short_of_memory(*arguments: object) -> object:
        raise soundfile.LibsndfileError(17, "Error opening: ")  # libsndfile's "Internal malloc () failed."

    soundfile.write(tmp_path / "x.flac", np.zeros(100), RATE)
    monkeypatch.setattr(decoded.soundfile, "SoundFile", short_of_memory)
    assert "malloc" in soundfile.LibsndfileError(17).error_string
    with pytest.raises(NotCheckedHere, match="the system could not read it"):
        open_decoded(tmp_path / "x.flac")
