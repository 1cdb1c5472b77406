"""Comparing the files of a song."""

from __future__ import annotations

from pathlib import Path

import soundfile

from compare.columns import strokes
from deep_tally.compare.job import compare_song, compared
from deep_tally.model.delivery import Track
from deep_tally.model.files import Entry, Role
from sounds import RATE
from tracks import track


def test_whoever_has_sound_takes_part_whatever_it_is_for() -> None:
    silent = track(first_sound_frame=None, last_sound_frame=None)
    heard = [track(f"{n}.wav") for n in range(2)] + [track("mix.wav", role=Role.ROUGH_MIX)]
    assert compared([*heard, silent, Track(path="a", role=Role.TRACKOUT)]) == heard


def test_a_few_lossy_files_may_be_mixes_many_are_the_parts_themselves() -> None:
    lossless = [track(f"{n}.wav") for n in range(3)]
    lossy = [track(f"{n}.mp3", sample_format="lossy", bits=None) for n in range(2)]
    assert compared([*lossless, lossy[0]]) == [*lossless, lossy[0]]
    assert compared([*lossless, *lossy]) == lossless


def test_files_of_two_rates_are_compared_each_among_themselves(tmp_path: Path) -> None:
    from deep_tally.measure.job import measure_entry

    calls: list[tuple[int, int]] = []
    entries = []
    for name, rate in (("0.wav", 96_000), ("a.wav", RATE), ("b.wav", RATE), ("c.wav", 44_100), ("d.wav", 44_100)):
        soundfile.write(tmp_path / name, strokes(1), rate, subtype="PCM_24")
        entries.append(Entry(path=name, source=tmp_path / name, role=Role.TRACKOUT, song="s", bytes=1))
    tracks = [measure_entry(lambda done, total: None, e) for e in entries]
    found = compare_song(lambda done, total: calls.append((done, total)), entries, tracks)
    assert [(t.path, t.other) for t in found.twins] == [("b.wav", "a.wav"), ("d.wav", "c.wav")]
    assert {total for _, total in calls} == {5}
    assert [done for done, _ in calls] == sorted(done for done, _ in calls)
    assert calls[0][0] == 1
    assert calls[-1] == (5, 5)  # the sum is looked at last
    assert max(done for done, _ in calls[:-1]) == 4
