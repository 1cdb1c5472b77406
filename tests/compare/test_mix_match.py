"""Whole matches: what is known of a song is found again, and nothing is claimed of what is no mix of it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np
import pytest
from scipy.signal import fftconvolve

from compare.mixes import SECONDS, matched, of, small, stranger
from deep_tally.compare import mix_search
from deep_tally.compare.mix_places import refined
from deep_tally.compare.mix_timeline import OnTimeline
from detectors.mix_songs import Sent, as_mp3, bussed, mixed, part_in_mix
from sounds import RATE


def test_a_plain_sum_is_complete() -> None:
    song = small(1)
    found = matched(song.files, np.round(song.mix * 2**23) / 2**23)
    assert found.verdict == "complete"
    assert found.null_db < -90  # 24 bits leave -146 dBFS
    assert found.spans == ()
    assert found.matched_share == 1.0
    for path, sent in song.files.items():
        here = of(found, path)
        assert (here.presence, here.start_frames, here.is_sure, here.is_inverted) == ("in", 0, True, False)
        assert here.left_db == pytest.approx(20 * np.log10(sent.gains[0]), abs=0.01)
        assert here.right_db == pytest.approx(20 * np.log10(sent.gains[1]), abs=0.01)


@pytest.mark.parametrize("moved", [1, 4803])
def test_a_file_that_begins_later_is_placed_to_the_sample(moved: int) -> None:
    song = small(2)
    files = dict(song.files)
    files["03 Part.wav"] = replace(files["03 Part.wav"], sound=files["03 Part.wav"].sound[moved:])
    files["04 Part.wav"] = replace(
        files["04 Part.wav"], sound=np.concatenate([np.zeros((moved, 2)), files["04 Part.wav"].sound])
    )
    found = matched(files, song.mix)
    assert {f.path: f.start_frames for f in found.files if f.start_frames} == {
        "03 Part.wav": moved,
        "04 Part.wav": -moved,
    }
    assert all(f.presence == "in" for f in found.files)


@pytest.mark.parametrize("late", [1105, -2400])
def test_a_mix_that_begins_elsewhere_moves_no_file(late: int) -> None:
    song = small(3)
    mix = np.concatenate([np.zeros((late, 2)), song.mix]) if late >= 0 else song.mix[-late:]
    found = matched(song.files, mix)
    assert found.offset_frames == late
    assert {f.start_frames for f in found.files} == {0}


def test_a_file_that_is_not_in_the_mix_leaves_no_trace() -> None:
    for seed in range(2):
        song = small(10 + seed)
        found = matched({**song.files, "99 Stranger.wav": stranger(seed)}, song.mix)
        assert of(found, "99 Stranger.wav").presence == "absent"
        assert of(found, "99 Stranger.wav").matched == bytes(len(of(found, "99 Stranger.wav").heard))
        assert {f.presence for f in found.files if f.path in song.files} == {"in"}


def test_a_passage_that_nobody_sent_is_found_with_time_and_band() -> None:
    song = small(4)
    passage = np.zeros((len(song.mix), 2))
    time = np.arange(3 * RATE) / RATE
    passage[4 * RATE : 7 * RATE] = (0.1 * np.sin(2 * np.pi * 500 * time) * np.hanning(len(time)))[:, None]
    found = matched(song.files, song.mix + passage)
    assert found.verdict == "accounted"
    (span,) = found.spans
    assert 3.4 < span.start_s < 5.1
    assert 6.0 < span.stop_s < 7.6
    assert (span.low_hz, span.high_hz) == (400.0, 800.0)


def test_an_inverted_file_says_so() -> None:
    song = small(5)
    files = dict(song.files)
    files["02 Part.wav"] = replace(files["02 Part.wav"], sound=-files["02 Part.wav"].sound)
    found = matched(files, song.mix)
    assert [f.path for f in found.files if f.is_inverted] == ["02 Part.wav"]
    assert found.null_db < -60


def test_a_coded_mix_keeps_places_and_levels() -> None:
    song = small(6)
    found = matched({**song.files, "99 Stranger.wav": stranger(6)}, as_mp3(song.mix, 192))
    assert found.verdict == "accounted"
    assert found.spans == ()
    assert of(found, "99 Stranger.wav").presence != "in"
    for path, sent in song.files.items():
        assert of(found, path).start_frames == 0
        assert of(found, path).level_db == pytest.approx(sent.level_db, abs=0.7)


def test_a_mix_bus_is_seen_through() -> None:
    song = small(7)
    found = matched({**song.files, "99 Stranger.wav": stranger(7)}, bussed(song.mix))
    assert found.verdict == "processed"
    off = {path: of(found, path).level_db - sent.level_db for path, sent in song.files.items()}
    middle = float(np.median(list(off.values())))
    assert np.median([abs(value - middle) for value in off.values()]) < 0.5
    assert of(found, "99 Stranger.wav").presence != "in"
    assert {of(found, path).start_frames for path in song.files} == {0}


def test_another_song_is_unrelated() -> None:
    found = matched(small(8).files, small(9).mix)
    assert found.verdict == "unrelated"
    # Where files would lie in it nobody knows: no offset moves the mix, no cell is drawn.
    assert found.offset_frames == 0
    assert {(f.heard, f.matched) for f in found.files} == {(b"", b"")}
    assert {f.presence for f in found.files} <= {"absent", "unsure"}
    assert found.spans == ()


def test_half_a_mix_is_still_matched() -> None:
    song = small(12)
    found = matched(song.files, song.mix[: len(song.mix) // 2])
    assert found.verdict in ("complete", "accounted")
    assert found.null_db < -60
    assert {f.start_frames for f in found.files} == {0}


def test_a_mix_of_which_most_is_other_music_is_not_judged() -> None:
    song, other = small(13), small(14)
    mix = np.concatenate([song.mix[: 4 * RATE], other.mix])
    found = matched(song.files, mix)
    assert found.verdict in ("unsure", "unrelated")
    assert found.matched_share < 0.5
    assert found.spans == ()


def test_a_mix_with_one_side_only_is_matched_there() -> None:
    song = small(15)
    found = matched(song.files, song.mix * [1.0, 0.0])
    assert found.verdict == "complete"
    assert all(f.right_db == -np.inf for f in found.files)
    assert all(np.isfinite(f.left_db) for f in found.files)


def test_a_silent_mix_says_nothing() -> None:
    song = small(16)
    found = matched(song.files, np.zeros_like(song.mix))
    assert found.verdict == "unrelated"


def test_one_file_alone_and_one_longer_than_the_mix() -> None:
    song = small(17, count=1)
    assert matched(song.files, song.mix).verdict == "complete"
    (path, sent), *_ = song.files.items()
    longer = {path: replace(sent, sound=np.concatenate([sent.sound, np.zeros((5 * RATE, 1))]))}
    assert matched(longer, song.mix).verdict == "complete"


def test_identical_files_are_no_error() -> None:
    song = small(18, count=3)
    path, sent = next(iter(song.files.items()))
    found = matched({**song.files, "00 Same.wav": sent}, song.mix)
    assert found.null_db < -60
    assert {f.start_frames for f in found.files} == {0}
    assert path in {f.path for f in found.files if f.presence == "in"}


def test_a_fader_ride_shows_in_the_sections() -> None:
    song = small(19, count=8, seconds=12.0)
    path, sent = "05 Part.wav", song.files["05 Part.wav"]
    ride = np.where(np.arange(len(song.mix)) < len(song.mix) // 2, 1.0, 0.5)[:, None]
    rest = mixed({p: s for p, s in song.files.items() if p != path}, len(song.mix))
    scale = rest.mix[1000:9000].sum() / sum(
        (s.sound[1000:9000] * s.gains).sum() for p, s in song.files.items() if p != path
    )
    own = np.zeros_like(song.mix)
    own[: len(sent.sound)] = sent.sound * np.array(sent.gains) * scale
    found = of(matched(song.files, rest.mix + own * ride), path)
    levels = np.array(found.section_db)
    first, last = np.nanmean(levels[:4]), np.nanmean(levels[4:7])
    # Half the gain: 20 log10 2 = 6.02 dB (handbook); with so few parts a moving bus takes some of it.
    assert 4 < first - last < 7


def test_the_map_shows_where_a_file_is_heard_and_that_the_mix_has_it() -> None:
    song = small(20)
    found = of(matched(song.files, song.mix), "01 Part.wav")
    heard, there = np.frombuffer(found.heard, np.uint8), np.frombuffer(found.matched, np.uint8)
    assert len(heard) == len(there) <= 120
    assert heard.max() == 255
    assert (there[heard > 100] > 240).all()
    assert heard[-1] == 0  # it rests in the last second
    assert len(song.mix) == SECONDS * RATE


def test_a_loop_that_could_lie_on_many_beats_is_never_sure_of_a_wrong_one() -> None:
    song = small(26, seconds=12.0)
    beat = RATE // 2
    hit = np.random.default_rng(1).standard_normal(6000) * np.exp(-np.arange(6000) / 900)
    loop = np.zeros((len(song.mix), 1))
    for at in range(0, len(loop) - beat, beat):
        loop[at : at + 6000, 0] += 0.3 * hit
    whole = mixed({**song.files, "20 Loop.wav": Sent(loop, 0, (0.5, 0.5))}, len(song.mix))
    late = 7 * beat + 2000
    files = {**whole.files, "20 Loop.wav": replace(whole.files["20 Loop.wav"], sound=loop[late:])}
    found = of(matched(files, whole.mix), "20 Loop.wav")
    assert found.presence == "in"
    assert found.start_frames == late or not found.is_sure


@pytest.mark.parametrize("beside", [-3, 1])
def test_a_place_beside_the_true_one_is_polished(beside: int, monkeypatch: pytest.MonkeyPatch) -> None:
    """A correlation's peak may stand some frames off; what is left of the mix says where the file lies."""
    made, first = small(31, count=5, seconds=10.0), RATE // 2
    files = dict(made.files)
    files["03 Part.wav"] = replace(files["03 Part.wav"], sound=files["03 Part.wav"].sound[first:])

    def near(mix: OnTimeline, file: OnTimeline, thin_lag: int, loud: Sequence[int]) -> int:
        return refined(mix, file, thin_lag, loud) + (beside if thin_lag > 1000 else 0)

    monkeypatch.setattr(mix_search, "refined", near)
    found = matched(files, made.mix)
    here = of(found, "03 Part.wav")
    assert (here.start_frames, here.is_inverted) == (first, False)


def with_most_of_it_missing(seed: int) -> tuple[dict[str, Sent], np.ndarray]:
    """A song without its loudest part, which plays all through."""
    song = small(seed, count=8, seconds=12.0)
    level = {name: np.square(part_in_mix(sent, len(song.mix))).sum() for name, sent in song.files.items()}
    loudest = max(level, key=lambda name: level[name])
    return {name: sent for name, sent in song.files.items() if name != loudest}, song.mix


@pytest.mark.parametrize("through", [np.asarray, bussed, as_mp3], ids=["plain", "bus", "MP3"])
def test_a_loud_part_that_nobody_sent_and_that_plays_all_through_is_found(through: Callable[..., np.ndarray]) -> None:
    files, mix = with_most_of_it_missing(51)
    found = matched(files, through(mix))
    assert found.verdict in ("accounted", "processed")
    assert {f.presence for f in found.files} == {"in"}
    assert found.null_db > -8
    (span,) = found.spans
    assert span.start_s < 1
    assert span.stop_s > 10.5
    assert (span.low_hz, span.high_hz) == (3000.0, 6000.0)


@pytest.mark.parametrize("beside_a_missing_part", [False, True])
def test_nothing_is_claimed_of_reverberation_that_nobody_sent(beside_a_missing_part: bool) -> None:
    files, mix = with_most_of_it_missing(52)
    random = np.random.default_rng(1)
    room = random.standard_normal((RATE // 2, 2)) * 10 ** (-3 * np.linspace(0, 1, RATE // 2))[:, None]
    dry = sum(part_in_mix(sent, len(mix)) for sent in files.values())
    wet = np.stack([fftconvolve(dry[:, side], room[:, side])[: len(dry)] for side in range(2)], axis=1)
    wet *= 0.8 * np.sqrt(np.square(dry).mean() / np.square(wet).mean())
    found = matched(files, 0.4 * ((mix if beside_a_missing_part else dry) + wet))
    assert (found.verdict, found.spans) == ("unsure", ())


@pytest.mark.parametrize("delay_s", [0.015, 0.375])
def test_nothing_is_claimed_of_doubling_and_echoes(delay_s: float) -> None:
    # Gains stay as they are beside an echo: only that it comes after its sound tells it from a missing part.
    files, _ = with_most_of_it_missing(53)
    dry = sum(part_in_mix(sent, RATE * 12) for sent in files.values())
    late = round(delay_s * RATE)
    found = matched(files, 0.4 * (dry + 0.9 * np.concatenate([np.zeros((late, 2)), dry[:-late]])))
    assert (found.verdict, found.spans) == ("unsure", ())


def test_a_tone_a_period_beside_its_place_is_polished(monkeypatch: pytest.MonkeyPatch) -> None:
    made, first, period = small(33, count=5, seconds=10.0), RATE // 2, 240
    time = np.arange(len(made.mix))
    random = np.random.default_rng(2)
    breath = 0.03 * random.standard_normal(len(time))  # a tone alone lies as well a bar later
    tone = ((0.3 * ((time % period) / period - 0.5) + breath) * np.repeat(random.random(40), RATE // 4))[:, None]
    whole = mixed({**made.files, "20 Saw.wav": Sent(tone, 0, (0.5, 0.4))}, len(made.mix))
    files = {**whole.files, "20 Saw.wav": replace(whole.files["20 Saw.wav"], sound=tone[first:])}

    def a_period_late(mix: OnTimeline, file: OnTimeline, thin_lag: int, loud: Sequence[int]) -> int:
        return refined(mix, file, thin_lag, loud) + (period if thin_lag > 1000 else 0)

    monkeypatch.setattr(mix_search, "refined", a_period_late)
    assert of(matched(files, whole.mix), "20 Saw.wav").start_frames == first
