"""Copies as they are written: bit-equal where nothing changes, read back, proved, and whole or not there."""

from __future__ import annotations

import hashlib
import math
import os
import subprocess
from dataclasses import replace
from pathlib import Path

import av
import numpy as np
import pytest
import soundfile
from numpy.typing import NDArray

from deep_tally.intake.reading import open_sound
from deep_tally.model.errors import CannotWrite, NotCheckedHere
from deep_tally.model.ready import Piece
from deep_tally.ready import write as module
from deep_tally.ready.raw import can_be_raw
from deep_tally.ready.write import Proved, SourceChanged, write_copy
from ready.written import RATE, copy, job_of, noise, source, write


def read(path: Path) -> NDArray[np.float64]:
    return soundfile.read(path, dtype="float64", always_2d=True)[0]


def read_with_av(path: Path) -> NDArray[np.float64]:
    """By a second library, which shares no code with the first."""
    with av.open(str(path)) as container:
        frames = [frame.to_ndarray() for frame in container.decode(audio=0)]
        channels = container.streams.audio[0].channels
    whole = np.concatenate(frames, axis=1)
    planar = whole if len(whole) == channels else whole.reshape(-1, channels).T
    scale = {np.dtype("int32"): 2.0**31, np.dtype("int16"): 2.0**15}.get(whole.dtype, 1.0)
    return planar.T / scale


@pytest.mark.parametrize(
    ("subtype", "bits", "is_float"),
    [("PCM_16", 16, False), ("PCM_24", 24, False), ("PCM_32", 32, False), ("FLOAT", 32, True), ("DOUBLE", 64, True)],
)
@pytest.mark.parametrize("container", ["WAV", "AIFF"])
def test_samples_that_no_step_changes_are_those_of_the_source(
    subtype: str, bits: int, is_float: bool, container: str, tmp_path: Path
) -> None:
    samples = noise(RATE, 2, bits=min(bits, 24), peak=0.9)
    a = source(tmp_path / "in" / "a.x", samples, subtype=subtype, format=container)
    made = copy(
        Piece(path="a", sides=(0, 1), at=480, skip=0, frames=RATE), frames=RATE + 1480, bits=bits, is_float=is_float
    )
    proved = write(made, {"a": a}, tmp_path / "out")
    out = tmp_path / "out" / "01 Copy.wav"
    back = read(out)
    assert np.array_equal(back[480 : 480 + RATE], samples)
    assert not back[:480].any()
    assert not back[480 + RATE :].any()
    assert proved.error_dbfs == -math.inf
    assert proved.sha256_copy == hashlib.sha256(out.read_bytes()).hexdigest()
    assert proved.sha256_sources == (hashlib.sha256(a.read_bytes()).hexdigest(),)
    assert [p.name for p in (tmp_path / "out").iterdir()] == ["01 Copy.wav"]


def test_two_libraries_read_the_same_from_it(tmp_path: Path) -> None:
    a = source(tmp_path / "a.wav", noise(RATE, 2))
    for container in ("wav", "flac"):
        made = copy(
            Piece(path="a", sides=(0, 1), at=0, skip=0, frames=RATE),
            frames=RATE,
            container=container,
            name=f"x.{container}",
        )
        write(made, {"a": a}, tmp_path / "out")
        out = tmp_path / "out" / f"x.{container}"
        assert np.array_equal(read(out), read(a))
        assert np.array_equal(read_with_av(out), read(a))


def test_flac_is_tested_by_its_own_program(tmp_path: Path) -> None:
    a = source(tmp_path / "a.wav", noise(RATE))
    made = copy(Piece(path="a", sides=(0,), at=0, skip=0, frames=RATE), frames=RATE, container="flac", name="x.flac")
    write(made, {"a": a}, tmp_path / "out")
    try:
        done = subprocess.run(["flac", "-t", "-s", tmp_path / "out" / "x.flac"], capture_output=True, check=False)
    except FileNotFoundError:
        pytest.skip("flac is not installed")
    assert done.returncode == 0, done.stderr


@pytest.mark.parametrize("container", ["WAV", "AIFF"])
@pytest.mark.parametrize("subtype", ["PCM_16", "PCM_24", "FLOAT"])
def test_sides_are_rearranged_byte_by_byte(container: str, subtype: str, tmp_path: Path) -> None:
    """Joined, crossed, folded and in pieces, over more than one block."""
    frames = (1 << 18) + 5000
    one = noise(frames, 2, bits=16, seed=1)
    two = noise(frames, 1, bits=16, seed=2)
    sources = {
        "one": source(tmp_path / "one", one, subtype=subtype, format=container),
        "two": source(tmp_path / "two", two, subtype=subtype, format=container),
    }
    bits, is_float = int(subtype[-2:]) if subtype != "FLOAT" else 32, subtype == "FLOAT"
    made = copy(
        Piece(path="one", sides=(1, None), at=3000, skip=70, frames=frames - 70),
        Piece(path="two", sides=(None, 0), at=0, skip=0, frames=frames - 9),
        frames=frames + 9000,
        bits=bits,
        is_float=is_float,
    )
    assert write(made, sources, tmp_path / "out").error_dbfs == -math.inf
    back = read(tmp_path / "out" / "01 Copy.wav")
    wanted = np.zeros((frames + 9000, 2))
    wanted[3000 : 3000 + frames - 70, 0] = one[70:, 1]
    wanted[: frames - 9, 1] = two[: frames - 9, 0]
    assert np.array_equal(back, wanted)


def test_a_whole_file_of_the_other_byte_order_is_turned_round(tmp_path: Path) -> None:
    samples = noise(RATE, 2)
    a = source(tmp_path / "a.aif", samples, format="AIFF")
    write(copy(Piece(path="a", sides=(0, 1), at=0, skip=0, frames=RATE), frames=RATE), {"a": a}, tmp_path / "out")
    assert np.array_equal(read(tmp_path / "out" / "01 Copy.wav"), samples)


@pytest.mark.parametrize(
    ("subtype", "bits", "is_float"), [("PCM_16", 24, False), ("PCM_16", 32, True), ("PCM_24", 32, True)]
)
def test_samples_that_get_more_room_stay_what_they_are(subtype: str, bits: int, is_float: bool, tmp_path: Path) -> None:
    samples = noise(RATE, bits=16)
    a = source(tmp_path / "a.wav", samples, subtype=subtype)
    piece = Piece(path="a", sides=(0,), at=0, skip=0, frames=RATE)
    proved = write(copy(piece, frames=RATE, bits=bits, is_float=is_float), {"a": a}, tmp_path / "out")
    assert proved.error_dbfs == -math.inf
    assert np.array_equal(read(tmp_path / "out" / "01 Copy.wav"), samples)


@pytest.mark.parametrize(
    ("subtype", "form", "changes", "is_raw"),
    [
        ("PCM_24", "WAV", {}, True),
        ("PCM_24", "WAV", {"is_exact": False}, False),
        ("PCM_24", "WAV", {"container": "flac"}, False),
        ("PCM_24", "WAV", {"rate_hz": 44_100}, False),
        ("PCM_32", "WAV", {"bits": 32, "is_float": True}, False),
        ("PCM_16", "WAV", {}, False),
        ("PCM_S8", "AIFF", {"bits": 8}, False),
        ("PCM_U8", "WAV", {"bits": 8}, True),
        ("PCM_24", "FLAC", {}, False),
    ],
)
def test_bytes_are_taken_over_only_where_they_are_stored_alike(
    subtype: str, form: str, changes: dict[str, object], is_raw: bool, tmp_path: Path
) -> None:
    a = source(tmp_path / "a", noise(100), subtype=subtype, format=form)
    with open_sound(a) as reader:
        made = copy(Piece(path="a", sides=(0,), at=0, skip=0, frames=100), frames=100, **changes)
        assert can_be_raw(made, {"a": reader}) is is_raw


def test_a_copy_with_another_header_is_not_right(tmp_path: Path) -> None:
    a = source(tmp_path / "a.wav", noise(RATE))
    made = copy(Piece(path="a", sides=(0,), at=0, skip=0, frames=RATE), frames=RATE)
    first = write(made, {"a": a}, tmp_path / "out")
    source(tmp_path / "out" / "01 Copy.wav", noise(RATE), rate=44_100)
    assert write(made, {"a": a}, tmp_path / "out") == first


def test_eight_bits_are_silent_in_the_middle_of_their_codes(tmp_path: Path) -> None:
    samples = noise(1000, bits=8)
    a = source(tmp_path / "a.wav", samples, subtype="PCM_U8")
    write(
        copy(Piece(path="a", sides=(0,), at=50, skip=0, frames=1000), frames=1100, bits=8), {"a": a}, tmp_path / "out"
    )
    back = read(tmp_path / "out" / "01 Copy.wav")
    assert np.array_equal(back[50:1050], samples)
    assert not back[:50].any()
    assert not back[1050:].any()


def test_a_decoded_source_is_as_exact(tmp_path: Path) -> None:
    samples = noise(RATE, 2)
    a = source(tmp_path / "a.flac", samples)
    write(copy(Piece(path="a", sides=(1,), at=0, skip=100, frames=1000), frames=1000), {"a": a}, tmp_path / "out")
    assert np.array_equal(read(tmp_path / "out" / "01 Copy.wav")[:, 0], samples[100:1100, 1])


def test_what_is_turned_down_is_off_by_the_dither_alone(tmp_path: Path) -> None:
    samples = noise(2 * RATE)
    a = source(tmp_path / "a.wav", samples)
    gain = 10 ** (-6 / 20)
    made = copy(Piece(path="a", sides=(0,), at=0, skip=0, frames=2 * RATE, gain=gain), frames=2 * RATE, is_exact=False)
    proved = write(made, {"a": a}, tmp_path / "out")
    error = read(tmp_path / "out" / "01 Copy.wav") - samples * gain
    # A quarter of a squared step: half a step, which is 2^-24.
    assert proved.error_dbfs == pytest.approx(20 * math.log10(2.0**-24), abs=0.05)
    assert 20 * math.log10(np.sqrt(np.mean(error**2))) == pytest.approx(proved.error_dbfs, abs=1e-6)


def test_a_source_that_changed_is_named_and_nothing_is_written(tmp_path: Path) -> None:
    a = source(tmp_path / "a.wav", noise(RATE))
    job = job_of(
        copy(Piece(path="in/a.wav", sides=(0,), at=0, skip=0, frames=RATE), frames=RATE),
        {"in/a.wav": a},
        tmp_path / "out",
    )
    source(a, noise(RATE, seed=5))
    error = write_copy(lambda done, total: None, job)
    assert isinstance(error, SourceChanged)
    assert str(error) == "in/a.wav: it has changed since it was checked; check the delivery again."
    assert not (tmp_path / "out").exists()
    a.unlink()
    error = write_copy(lambda done, total: None, job)
    assert isinstance(error, NotCheckedHere), "what cannot be read has not changed"
    assert "the file is gone" in str(error)


def test_a_copy_that_is_there_is_proved_and_written_anew_where_it_is_not_right(tmp_path: Path) -> None:
    a = source(tmp_path / "a.wav", noise(RATE))
    made = copy(Piece(path="a", sides=(0,), at=0, skip=0, frames=RATE), frames=RATE)
    first = write(made, {"a": a}, tmp_path / "out")
    out = tmp_path / "out" / "01 Copy.wav"
    before = out.stat().st_ino
    assert write(made, {"a": a}, tmp_path / "out") == first
    assert out.stat().st_ino == before, "what is right is not written again"
    broken = bytearray(out.read_bytes())
    broken[-7] ^= 1
    out.write_bytes(broken)
    assert write(made, {"a": a}, tmp_path / "out").sha256_copy == first.sha256_copy
    assert np.array_equal(read(out), read(a))
    out.write_bytes(out.read_bytes()[:-3000])
    assert write(made, {"a": a}, tmp_path / "out").sha256_copy == first.sha256_copy


def test_what_is_half_written_has_not_its_name(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    a = source(tmp_path / "a.wav", noise(RATE))
    made = copy(Piece(path="a", sides=(0,), at=0, skip=0, frames=RATE), frames=RATE)

    def full(path: Path, *rest: object) -> None:
        path.write_bytes(b"RIFF")
        raise OSError(28, os.strerror(28))

    monkeypatch.setattr(module, "put_samples", full)
    error = write_copy(lambda done, total: None, job_of(made, {"a": a}, tmp_path / "out"))
    assert isinstance(error, CannotWrite)
    assert "it cannot be written (No space left on device)" in str(error)
    assert [p.name for p in (tmp_path / "out").iterdir()] == ["01 Copy.wav.part"]
    monkeypatch.undo()
    write(made, {"a": a}, tmp_path / "out")
    assert [p.name for p in (tmp_path / "out").iterdir()] == ["01 Copy.wav"]


@pytest.mark.parametrize("frame", [0, 20_000, RATE - 1])
def test_a_disk_that_stores_something_else_is_found_out(
    frame: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    a = source(tmp_path / "a.wav", noise(RATE))
    made = copy(Piece(path="a", sides=(0,), at=0, skip=0, frames=RATE), frames=RATE)
    put = module.put_samples

    def badly(path: Path, *rest: object) -> None:
        put(path, *rest)  # type: ignore[arg-type]
        stored = bytearray(path.read_bytes())
        stored[len(stored) - 3 * (RATE - frame)] ^= 1  # the lowest bit of one sample
        path.write_bytes(stored)

    monkeypatch.setattr(module, "put_samples", badly)
    error = write_copy(lambda done, total: None, job_of(made, {"a": a}, tmp_path / "out"))
    assert isinstance(error, CannotWrite)
    assert "what was read back is not what was written" in str(error)
    assert not (tmp_path / "out" / "01 Copy.wav").exists()


def test_padding_that_is_not_zero_is_found_out_though_dither_would_be_as_loud(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    a = source(tmp_path / "a.wav", noise(1000))
    piece = Piece(path="a", sides=(0,), at=500, skip=0, frames=1000, gain=0.5)
    made = copy(piece, frames=2000, is_exact=False)
    put = module.put_samples

    def badly(path: Path, *rest: object) -> None:
        put(path, *rest)  # type: ignore[arg-type]
        stored = bytearray(path.read_bytes())
        stored[len(stored) - 3 * 2000 + 30] = 1
        path.write_bytes(stored)

    write(replace(made, name="good.wav"), {"a": a}, tmp_path / "out")
    monkeypatch.setattr(module, "put_samples", badly)
    error = write_copy(lambda done, total: None, job_of(made, {"a": a}, tmp_path / "out"))
    assert isinstance(error, CannotWrite)


def test_progress_counts_writing_and_reading_back(tmp_path: Path) -> None:
    a = source(tmp_path / "a.wav", noise(4 * (1 << 16)))
    made = copy(Piece(path="a", sides=(0,), at=0, skip=0, frames=4 << 16, gain=0.5), frames=4 << 16, is_exact=False)
    seen: list[tuple[int, int]] = []
    proved = write_copy(lambda done, total: seen.append((done, total)), job_of(made, {"a": a}, tmp_path / "out"))
    assert isinstance(proved, Proved)
    assert {total for _, total in seen} == {8 << 16}
    assert [done for done, _ in seen] == [n << 16 for n in range(8)]
