"""What a worker does for one file: measures, what a file has lost, its progress, and samples for drawing."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import soundfile

from deep_tally.measure import job
from deep_tally.measure.job import damage_of, measure_entry
from deep_tally.model.files import Damage, Entry, Role, SampleFormat, SoundFormat
from measure.measured_sounds import Progress
from sounds import RATE, chunk, pcm_fmt, riff, sine, wav_bytes
from tracks import MEASURES

FORMAT = SoundFormat(
    container="wav", sample_format="int", bits=24, rate_hz=RATE, channels=2, frames=0, claimed_frames=0
)


def entry(path: Path) -> Entry:
    return Entry(path=path.name, source=path, role=Role.GROUP, song="s", bytes=path.stat().st_size)


def lost(frames: int, claimed: int, losses: tuple[str, ...] = ()) -> Damage | None:
    return damage_of(replace(FORMAT, frames=frames, claimed_frames=claimed, losses=losses))


@pytest.mark.parametrize(
    ("seconds", "claimed", "words"),
    [
        (59.96, 65.0, "it stops at 0:59.9 of the 1:05.0 its header claims"),
        (0.1, 600.0, "it stops at 0:00.1 of the 10:00.0 its header claims"),
        (0.3, 3601.5, "it stops at 0:00.3 of the 60:01.5 its header claims"),
        (754.39, 754.41, "it stops at 12:34.3 of the 12:34.4 its header claims"),
    ],
)
def test_a_file_that_stops_early_says_where(seconds: float, claimed: float, words: str) -> None:
    damage = lost(round(seconds * RATE), round(claimed * RATE))
    assert damage is not None
    assert damage.problem == words


def test_what_was_lost_on_the_way_is_said_and_a_whole_file_has_lost_nothing() -> None:
    assert lost(RATE, RATE) is None
    assert lost(RATE + 1, RATE) is None
    damage = lost(RATE, RATE, ("a piece is missing", "another is damaged"))
    assert damage is not None
    assert damage.problem == "a piece is missing; another is damaged"


def test_a_plain_file_is_measured_and_says_how_far_it_is(tmp_path: Path) -> None:
    soundfile.write(tmp_path / "a.wav", np.zeros((600_000, 2)), RATE, "PCM_16")
    progress = Progress()
    done = measure_entry(progress, entry(tmp_path / "a.wav"))
    assert (done.path, done.role, done.damage, done.unchecked) == ("a.wav", Role.GROUP, None, None)
    assert done.measures is not None
    assert done.format is not None
    assert done.measures.frames == done.format.frames == 600_000
    assert [call for call in progress.calls if call[0] < 600_000] == [(262_144, 600_000), (524_288, 600_000)]
    assert set(progress.calls[2:]) == {(600_000, 600_000)}


def test_a_file_that_is_decoded_says_how_far_it_is(tmp_path: Path) -> None:
    soundfile.write(tmp_path / "a.flac", np.zeros((600_000, 2)), RATE, "PCM_16")
    progress = Progress()
    done = measure_entry(progress, entry(tmp_path / "a.flac"))
    assert done.measures is not None
    shares = [a / b for a, b in progress.calls]
    assert shares == sorted(shares)
    assert 0 < shares[0] < 0.5
    assert shares[-1] == 1.0


def test_a_file_that_ends_early_is_measured_up_to_there(tmp_path: Path) -> None:
    samples = np.rint(sine(440, 2.0, peak=8000)).astype("<i2").tobytes()
    whole = riff(chunk(b"fmt ", pcm_fmt()), chunk(b"data", samples))
    (tmp_path / "a.wav").write_bytes(whole[: -RATE * 2])
    done = measure_entry(Progress(), entry(tmp_path / "a.wav"))
    assert done.format is not None
    assert done.measures is not None
    assert (done.format.frames, done.format.claimed_frames, done.measures.frames) == (RATE, 2 * RATE, RATE)
    assert done.damage is not None
    assert done.damage.problem == "it stops at 0:01.0 of the 0:02.0 its header claims"


def test_what_is_no_sound_is_damage_and_what_is_gone_is_not_checked(tmp_path: Path) -> None:
    (tmp_path / "a.wav").write_bytes(b"RIFF nothing of the kind")
    done = measure_entry(Progress(), entry(tmp_path / "a.wav"))
    assert done.damage is not None
    assert done.measures is None
    known = Damage(problem="its header is torn", remedy="ask for the file again")
    again = Entry(path="a.wav", source=tmp_path / "a.wav", role=Role.GROUP, song="s", bytes=24, damage=known)
    assert measure_entry(Progress(), again).damage == known
    gone = Entry(path="b.wav", source=tmp_path / "b.wav", role=Role.GROUP, song="s", bytes=1)
    done = measure_entry(Progress(), gone)
    assert done.unchecked is not None
    assert done.damage is None
    assert done.role is Role.GROUP


@pytest.mark.parametrize(("sample_format", "claimed", "is_hurt"), [("lossy", 900, False), ("int", 1000, True)])
def test_a_lossy_files_length_is_only_estimated(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, sample_format: SampleFormat, claimed: int, is_hurt: bool
) -> None:
    estimated = replace(FORMAT, sample_format=sample_format, frames=1000, claimed_frames=1000)
    monkeypatch.setattr(job, "_measure", lambda *_: (estimated, replace(MEASURES, frames=900)))
    (tmp_path / "a.wav").write_bytes(wav_bytes())
    done = measure_entry(Progress(), entry(tmp_path / "a.wav"))
    assert done.format is not None
    assert (done.format.frames, done.format.claimed_frames) == (900, claimed)
    assert (done.damage is not None) is is_hurt


def test_what_is_decoded_to_disk_first_is_half_of_the_work(tmp_path: Path) -> None:
    # An MP3 is decoded, then measured.
    soundfile.write(tmp_path / "a.mp3", 0.1 * sine(440, 5.0), RATE, format="MP3")
    progress = Progress()
    done = measure_entry(progress, entry(tmp_path / "a.mp3"))
    assert done.measures is not None
    shares = [a / b for a, b in progress.calls]
    assert shares == sorted(shares)
    assert shares[-1] == 1.0
    assert shares[0] < 0.6
