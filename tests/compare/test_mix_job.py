"""Which files are looked for in a mix; whole deliveries with mixes and files of other rates."""

from __future__ import annotations

import shutil
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import soundfile
import soxr

from compare.mixes import small
from deep_tally.compare.mix_job import looked_for, rate_of
from deep_tally.model.comparison import Comparison, MixOf, SumOf, Twin
from deep_tally.model.files import Role
from detectors.mix_songs import MixSong
from inline import check_inline
from sounds import RATE
from tracks import ROUGH_MIX, others, track


def paths(chosen: list, left_out: list) -> tuple[list[str], list[str]]:
    return [t.path for t in chosen], left_out


def test_what_sounds_twice_is_looked_for_once() -> None:
    tracks = [*others(4), ROUGH_MIX]
    one, two, three, four = (t.path for t in tracks[:4])
    twin = Twin(path=two, other=one, kind="exact", gain_db=0.0, offset_frames=0, residual_db=-140.0)
    exact = SumOf(path=four, parts=((one, 0.0), (three, 0.0)), residual_db=-120.0)
    mix = MixOf(path=three, members=(one,), files=1)
    assert paths(*looked_for(tracks, Comparison())) == ([one, two, three, four], [])
    assert paths(*looked_for(tracks, Comparison(twins=(twin,)))) == ([one, three, four], [two])
    assert paths(*looked_for(tracks, Comparison(sums=(exact,)))) == ([one, two, three], [four])
    assert paths(*looked_for(tracks, Comparison(sums=(replace(exact, is_exact=False),))))[1] == []
    assert paths(*looked_for(tracks, Comparison(mixes=(mix,)))) == ([one, two, four], [three])
    gone = SumOf(path=four, parts=(("elsewhere.wav", 0.0),), residual_db=-120.0)
    assert paths(*looked_for(tracks, Comparison(sums=(gone,))))[1] == []


def test_silent_files_mixes_and_clicks_are_not_looked_for() -> None:
    silent = track("90 Empty.wav", first_sound_frame=None, last_sound_frame=None)
    click = track("91 Click.wav", role=Role.CLICK)
    mix = track("92 Song.wav", role=Role.MIX)
    chosen, left_out = looked_for([*others(2), silent, click, mix, ROUGH_MIX], Comparison())
    assert len(chosen) == 2
    assert left_out == ["90 Empty.wav", "92 Song.wav"]


def test_only_a_few_files_are_converted() -> None:
    many = [track(f"{n:02d} Lute.wav", rate_hz=44_100) for n in range(10)]
    chosen, left_out = looked_for([*others(9), *others(9, rate_hz=48_000), *many], Comparison())
    assert rate_of(chosen) == 48_000
    assert len(left_out) == 2
    assert rate_of([]) == 0


def write(folder: Path, song: MixSong, *, mix: np.ndarray, mix_rate: int, odd: str = "") -> Path:
    folder.mkdir()
    for name, sent in song.files.items():
        sound, rate = (soxr.resample(sent.sound, RATE, 44_100), 44_100) if name == odd else (sent.sound, RATE)
        soundfile.write(folder / name, sound, rate, subtype="PCM_24")
    soundfile.write(folder / "Song rough mix.wav", mix, mix_rate, subtype="PCM_24")
    return folder


@pytest.mark.mix_match
def test_a_mix_and_a_file_of_another_rate_are_converted(tmp_path: Path) -> None:
    song = small(21, count=4, seconds=8.0)
    mix = soxr.resample(song.mix, RATE, 96_000)
    (found,) = check_inline(write(tmp_path / "Song", song, mix=mix, mix_rate=96_000, odd="02 Part.wav")).sets
    match = found.mix_match
    assert match is not None
    assert match.rate_hz == RATE
    assert match.verdict in ("accounted", "complete")
    assert match.null_db < -40
    assert {f.presence for f in match.files} == {"in"}
    assert {f.start_frames for f in match.files} == {0}
    assert match.left_out == ()


@pytest.mark.mix_match
def test_the_sum_peaks_where_the_files_belong(tmp_path: Path) -> None:
    song = small(22, count=4, seconds=8.0)
    folder = write(tmp_path / "Song", song, mix=song.mix, mix_rate=RATE)
    sent = song.files["03 Part.wav"]
    soundfile.write(folder / "03 Part.wav", sent.sound[RATE:], RATE, subtype="PCM_24")
    (found,) = check_inline(folder).sets
    assert found.placed_frames(found.by_path["03 Part.wav"]) == RATE
    assert found.sum_peak is not None
    assert found.sum_peak.starts["03 Part.wav"] == RATE
    total = sum(np.repeat(s.sound, 3 - s.sound.shape[1], axis=1) for s in song.files.values())
    true = np.abs(soxr.resample(total, RATE, 8 * RATE, quality="VHQ")).max()
    assert found.sum_peak.dbtp == pytest.approx(20 * np.log10(true), abs=0.3)


_IN_MIX = {
    "content.unaccounted",
    "content.not-in-mix",
    "content.level-moved",
    "start.offset",
    "length.set-past-mix",
    "length.set-short-of-mix",
    "channels.all-mono",
}


@pytest.mark.mix_match
@pytest.mark.parametrize("hurt", ["cut off", "no header", "silent", "one side", "of another song"])
def test_a_mix_that_says_little_claims_nothing(tmp_path: Path, hurt: str) -> None:
    """Damaged, silent, one side of a mix, or another song's: none of it counts against the files."""
    song = small(23, count=4, seconds=8.0)
    mix = {"silent": 0 * song.mix, "one side": song.mix * (1.0, 0.0)}.get(hurt, song.mix)
    folder = write(
        tmp_path / "Song",
        song,
        mix=small(99, count=4, seconds=8.0).mix if hurt == "of another song" else mix,
        mix_rate=RATE,
    )
    path = folder / "Song rough mix.wav"
    content = path.read_bytes()
    if hurt == "cut off":
        path.write_bytes(content[: len(content) * 3 // 4])
    elif hurt == "no header":
        path.write_bytes(b"nothing of the kind" * 1000)
    assessed = check_inline(folder)
    (found,) = assessed.sets
    claims = {f.code for f in assessed.findings if f.code in _IN_MIX}
    if hurt == "cut off":  # what is left of it is the mix all the same, and ends early
        assert claims <= {"length.set-past-mix"}
        assert found.mix_match is not None
        assert {f.presence for f in found.mix_match.files} == {"in"}
    elif hurt == "one side":
        assert claims == set()
        assert found.mix_match is not None
        assert {f.right_db for f in found.mix_match.files} == {-np.inf}
    else:
        assert claims == set()
        assert found.mix_match is None or found.mix_match.verdict == "unrelated"


@pytest.mark.mix_match
def test_one_file_alone_and_files_that_are_all_the_same(tmp_path: Path) -> None:
    song = small(24, count=4, seconds=8.0)
    first = next(iter(song.files))
    for count in (1, 4):
        folder = write(tmp_path / f"Song {count}", song, mix=song.mix, mix_rate=RATE)
        for name in list(song.files)[count if count == 1 else 1 :]:
            (folder / name).unlink() if count == 1 else shutil.copy(folder / first, folder / name)
        assessed = check_inline(folder)
        assert {f.code for f in assessed.findings if f.code in _IN_MIX} == set()
        match = assessed.sets[0].mix_match
        assert match is not None
        assert [f.path for f in match.files] == [first]
        assert match.files[0].presence == "in"
