"""The true peak of a sum, against the sum itself converted to eight times the rate by soxr."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import soundfile
import soxr

from deep_tally.compare import sum_peak
from deep_tally.compare.sum_peak import find_sum_peak
from deep_tally.measure.job import measure_entry
from deep_tally.model.comparison import SumPeak
from deep_tally.model.delivery import Track
from deep_tally.model.files import Entry, Role
from inline import check_inline
from sounds import RATE

Sounds = dict[str, np.ndarray]


def parts(seed: int, count: int = 6, seconds: float = 6.0) -> Sounds:
    """Strokes and tones at levels of their own, mono and stereo."""
    noise = np.random.default_rng(seed)
    time = np.arange(round(seconds * RATE)) / RATE
    made: Sounds = {}
    for n in range(count):
        hz, every = noise.uniform(60, 6000), noise.uniform(0.2, 0.9)
        sound = np.sin(2 * np.pi * hz * time) * np.exp(-5 * (time % every)) * noise.uniform(0.05, 0.5)
        sound *= time < seconds - 0.5
        made[f"{n} Part.wav"] = np.stack([sound, 0.7 * np.roll(sound, 37)], axis=1) if n % 2 else sound
    return made


def measured_in(
    folder: Path, sounds: Sounds, stamps: dict[str, int] | None = None
) -> tuple[list[Track], dict[str, Entry]]:
    tracks, entries = [], {}
    for name, sound in sounds.items():
        soundfile.write(folder / name, sound, RATE, subtype="FLOAT")
        entry = Entry(
            path=name, source=folder / name, role=Role.TRACKOUT, bytes=(folder / name).stat().st_size, song=""
        )
        track = measure_entry(lambda done, total: None, entry)
        if stamps and name in stamps and track.format is not None:
            track = replace(track, format=replace(track.format, time_reference=stamps[name]))
        tracks.append(_slim(track))
        entries[name] = entry
    return tracks, entries


def _slim(track: Track) -> Track:
    """As a worker gets it: the peaks of all channels together, last."""
    assert track.measures is not None
    level = track.measures.overview[0]
    one = replace(level, low=level.low.min(axis=1, keepdims=True), high=level.high.max(axis=1, keepdims=True))
    return replace(track, measures=replace(track.measures, overview=(one,)))


def found(tracks: list[Track], entries: dict[str, Entry]) -> SumPeak | None:
    return find_sum_peak(tracks, entries, left_out=0, alive=lambda: None)


def summed(sounds: Sounds, starts: dict[str, int], gains: dict[str, float] | None = None) -> np.ndarray:
    total = np.zeros((max(starts[n] + len(s) for n, s in sounds.items()), 2))
    for name, sound in sounds.items():
        both = sound.reshape(len(sound), -1)
        total[starts[name] : starts[name] + len(sound)] += (gains or {}).get(name, 1.0) * both[
            :, [0, both.shape[1] - 1]
        ]
    return total


def true_peak(total: np.ndarray) -> tuple[float, float]:
    """dBTP and seconds, by a converter of our own choice (soxr, VHQ)."""
    fine = np.abs(np.stack([soxr.resample(total[:, side], RATE, 8 * RATE, "VHQ") for side in (0, 1)], axis=1))
    return 20 * np.log10(fine.max()), np.unravel_index(int(fine.argmax()), fine.shape)[0] / 8 / RATE


@pytest.mark.parametrize("seed", range(6))
def test_peak_time_shares_and_what_less_would_bring(tmp_path: Path, seed: int) -> None:
    sounds = parts(seed)
    peak = found(*measured_in(tmp_path, sounds))
    assert peak is not None
    starts = dict.fromkeys(sounds, 0)
    total = summed(sounds, starts)
    dbtp, _ = true_peak(total)
    assert peak.dbtp == pytest.approx(dbtp, abs=0.15)  # the table's four phases and a better filter differ by less
    near = slice(max(0, round(peak.seconds * RATE) - 200), round(peak.seconds * RATE) + 200)
    assert true_peak(total[near])[0] == pytest.approx(dbtp, abs=0.15)
    frame = round(peak.seconds * RATE)
    side = int(np.abs(total[frame]).argmax())
    of_each = {n: s.reshape(len(s), -1)[frame, min(side, s.ndim - 1)] / total[frame, side] for n, s in sounds.items()}
    order = sorted(of_each, key=lambda n: -of_each[n])[:3]
    assert [p.path for p in peak.parts] == order
    for part in peak.parts:
        assert part.share == pytest.approx(of_each[part.path], abs=1e-4)
        lowered, _ = true_peak(summed(sounds, starts, {part.path: 10 ** (-3 / 20)}))
        assert part.won_db == pytest.approx(dbtp - lowered, abs=0.2)


def test_files_stand_where_their_stamps_put_them(tmp_path: Path) -> None:
    sounds = parts(11, count=3)
    stamps = {"0 Part.wav": 48_000, "1 Part.wav": 50_001, "2 Part.wav": 48_000}
    peak = found(*measured_in(tmp_path, sounds, stamps))
    assert peak is not None
    assert dict(peak.starts) == {"0 Part.wav": 0, "1 Part.wav": 2001, "2 Part.wav": 0}
    dbtp, seconds = true_peak(summed(sounds, dict(peak.starts)))
    assert (peak.dbtp, peak.seconds) == (pytest.approx(dbtp, abs=0.15), pytest.approx(seconds, abs=2 / RATE))


def test_files_that_work_against_each_other_are_not_the_sum_of_their_peaks(tmp_path: Path) -> None:
    sound = parts(5, count=1)["0 Part.wav"]
    peak = found(*measured_in(tmp_path, {"a.wav": sound, "b.wav": -0.75 * sound}))
    assert peak is not None
    assert peak.dbtp == pytest.approx(true_peak(summed({"a": 0.25 * sound}, {"a": 0}))[0], abs=0.2)
    assert [round(p.share, 3) for p in peak.parts] == [4.0, -3.0]


def test_silence_and_a_single_file_have_no_sum(tmp_path: Path) -> None:
    silent = {"a.wav": np.zeros(RATE), "b.wav": np.zeros(RATE)}
    assert found(*measured_in(tmp_path, silent)) is None
    assert found(*measured_in(tmp_path, parts(1, count=1))) is None


def test_only_moments_that_could_be_higher_are_read(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    sounds = parts(2, count=4, seconds=20.0)
    for sound in sounds.values():
        sound[5 * RATE :] *= 0.01
    tracks, entries = measured_in(tmp_path, sounds)
    read: list[int] = []
    honest = sum_peak.read_at
    monkeypatch.setattr(sum_peak, "read_at", lambda p, places, span: read.extend(places) or honest(p, places, span))
    assert found(tracks, entries) is not None
    assert max(read) < 5 * RATE + 4096 * 2
    assert len(read) < 4 * 5 * RATE / 4096 * 1.5


def test_a_check_adds_up_parts_and_neither_mixes_nor_other_rates(tmp_path: Path) -> None:
    folder = tmp_path / "Song"
    folder.mkdir()
    sounds = parts(3)
    for name, sound in sounds.items():
        soundfile.write(folder / name, sound, RATE, subtype="PCM_24")
    soundfile.write(folder / "9 Odd.wav", sounds["0 Part.wav"][: RATE * 3], 44_100, subtype="PCM_24")
    soundfile.write(
        folder / "Song rough mix.wav", summed(sounds, dict.fromkeys(sounds, 0)) * 0.4, RATE, subtype="PCM_24"
    )
    (song,) = check_inline(folder).sets
    peak = song.sum_peak
    assert peak is not None
    assert set(peak.starts) == set(sounds)
    assert peak.left_out == 1
    assert peak.dbtp == pytest.approx(true_peak(summed(sounds, dict.fromkeys(sounds, 0)))[0], abs=0.15)
