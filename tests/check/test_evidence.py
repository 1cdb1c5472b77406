"""The figures a finding carries, each worked out by hand: a wrong one is quoted to the client."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from deep_tally.check.registry import tally
from deep_tally.check.rules.relations import is_one_part
from deep_tally.check.rules.stamps import offset_by_stamp
from deep_tally.model.comparison import Comparison, Twin
from deep_tally.model.delivery import SongFacts, Track
from deep_tally.model.files import Role
from deep_tally.model.findings import Action, Finding
from deep_tally.model.measures import ClickTempo, Density, FlatTops, SpectralEdge, Spectrum
from tracks import DEFAULT_BRIEF, RATE, SECONDS, brief, findings, others, runs, song_of, stereo, track

FLAT = np.zeros(2049, np.float16)
SPREAD = Density(sounding=400, near_peak_share=0.02, crest_db=14.0, active_windows=20_000, window_frames=48)


def the(code: str, tracks: list[Track], **options: object) -> Finding:
    (found,) = [f for f in findings(tracks, **options) if f.code == code]  # type: ignore[arg-type]
    return found


def test_clipping_is_reported_in_milliseconds_of_one_channel() -> None:
    # 480 + 960 samples over two channels are 720 frames each: 15 ms at 48 kHz.
    wide = replace(
        stereo("1 Pad.wav"),
        measures=replace(stereo().measures, clip_runs=runs(480, 960)),  # type: ignore[type-var]
    )
    assert the("clipping.baked", [wide, *others()]).evidence["ms"] == pytest.approx(15.0)
    flat = FlatTops(runs=runs(*[240] * 6), dbfs=-4.0, share=0.2)
    found = the("clipping.earlier", [track(flat_tops=flat), *others()])
    assert (found.evidence["ms"], found.evidence["longest_run"]) == (pytest.approx(30.0), 240)


def test_a_shifted_twin_is_reported_in_milliseconds() -> None:
    one, other = track("1 A.wav"), track("2 B.wav")
    twin = Twin(path=other.path, other=one.path, kind="shifted", gain_db=0.0, offset_frames=4800, residual_db=-99.0)
    song = replace(song_of([one, other, *others()]), comparison=Comparison(twins=(twin,)))
    (found,) = [f for f in tally(song, DEFAULT_BRIEF) if f.code == "content.twin"]
    assert (found.evidence["ms"], found.evidence["offset_frames"]) == (100.0, 4800)


def test_a_file_that_ends_a_little_early_is_reported_in_milliseconds() -> None:
    found = the("length.short", [track(frames=SECONDS * RATE - 48), *others()])
    assert (found.action, found.evidence["ms"]) == (Action.NOTE, pytest.approx(1.0))


def test_a_cut_end_is_marked_at_the_last_frame() -> None:
    loud = (-20.0,) * 8
    files = [track(t.path, tail_levels_dbfs=loud) for t in others()]
    assert {p.frame for p in the("length.set-cut", files).places} == {SECONDS * RATE - 1}


def test_a_loops_bars_are_counted_from_where_it_begins() -> None:
    # 96 BPM in 4/4: a bar is 2.5 s. From bar 3 on (5 s), 11 s are 4.4 bars; they end 1 s after bar 7.
    facts = SongFacts(title="Song", tempo_bpm=96.0, key="D minor")
    loop = track("1 Loop.wav", frames=11 * RATE, first_sound_frame=0, last_sound_frame=11 * RATE - 1)
    found = the(
        "length.loop-not-bars",
        [loop, *others()],
        brief=brief(length={"whole_bars": True}),
        facts=facts,
        places={loop.path: 5 * RATE},
    )
    assert found.evidence["bars"] == pytest.approx(4.4)
    assert (found.evidence["frames"], found.evidence["ms"]) == (RATE, pytest.approx(1000.0))
    assert (found.evidence["changes"], found.evidence["meter"]) == (0, "4/4")


def test_a_click_that_stops_early_is_reported_in_bars_and_milliseconds() -> None:
    # The others sound until 35 s; the click's last stroke at 30 s is two bars of 2.5 s before that.
    click_tempo = ClickTempo(bpm=96.0, strokes=48, first_frame=0, last_frame=30 * RATE, stray_ms=0.1)
    click = track("Click.wav", role=Role.CLICK, click_tempo=click_tempo)
    found = the("length.click-short", [click, *others()])
    assert (found.evidence["bars"], found.evidence["ms"]) == (pytest.approx(2.0), pytest.approx(5000.0))


def test_a_stamp_is_reported_in_milliseconds_and_every_moved_file_is() -> None:
    first = track("1 A.wav", time_reference=RATE)
    late = [track(f"{n} B{n}.wav", time_reference=RATE + 480 * n, frames=SECONDS * RATE - 480 * n) for n in (2, 3)]
    found = [f for f in findings([first, *late, *others()]) if f.code == "start.stamp-differs"]
    assert [f.evidence["ms"] for f in found] == [pytest.approx(20.0), pytest.approx(30.0)]


def test_a_stamp_alone_says_nothing() -> None:
    stamped = track("1 A.wav", time_reference=RATE)
    assert offset_by_stamp(song_of([stamped, *others()]), stamped) is None
    assert offset_by_stamp(song_of([stamped, *others()]), others()[0]) is None
    pair = [stamped, track("2 B.wav", time_reference=RATE)]
    assert offset_by_stamp(song_of([*pair, *others()]), pair[1]) is None


def test_an_encoders_delay_is_marked_at_the_start() -> None:
    found = the("start.codec-delay", [track("1 A.mp3", codec_delay_frames=1105), *others()])
    assert [p.frame for p in found.places] == [0]
    assert found.evidence["ms"] == pytest.approx(1105 / 48)


def test_a_shared_level_is_the_mean_of_those_that_share_it() -> None:
    files = [
        track(
            f"{n} Part.wav", sample_peak_by_channel_dbfs=(-3.0 + n / 100,), rms_dbfs=-11.0 - n, loudness_lufs=-9.0 - n
        )
        for n in range(6)
    ]
    found = the("headroom.normalised", [*files, *others(2)])
    assert (found.evidence["dbfs"], found.evidence["files"]) == (pytest.approx(-2.975), 6)


def test_a_file_without_density_is_not_held() -> None:
    silent = track("1 A.wav", density=replace(SPREAD, crest_db=None, near_peak_share=0.9))
    assert "headroom.limited" not in [f.code for f in findings([silent, *others()])]


def test_a_file_that_was_not_opened_is_not_padded_and_costs_no_other_file() -> None:
    closed = Track(path="01 A.wav", role=Role.TRACKOUT)
    padded = track("02 B.wav", bits=24, bits_in_use=16)
    found = findings([closed, padded, *others()])
    assert [f.files for f in found if f.code == "depth.padded"] == [("02 B.wav",)]


def test_padding_that_most_share_is_reported_with_the_most_bits_in_use() -> None:
    files = [track(f"{n} Part.wav", bits=24, bits_in_use=bits) for n, bits in enumerate((14, 16, 15, 16))]
    assert the("depth.padded", [*files, *others(2)]).evidence["bits"] == 16


@pytest.mark.parametrize(("edge_hz", "found"), [(15_900, True), (21_000, False)])
def test_an_edge_is_asked_about_when_it_lies_far_under_half_the_rate(edge_hz: float, found: bool) -> None:
    edge = SpectralEdge(edge_hz=edge_hz, drop_db=60.0, kind="coded" if edge_hz < 20_000 else "plain")
    file = track("1 A.wav", spectrum=Spectrum(bin_hz=11.7, levels_db=FLAT, edge=edge))
    asked = [f.action for f in findings([file, *others()]) if f.code in ("rate.upsampled", "content.lossy-origin")]
    assert (Action.ASK in asked) is found


def test_two_halves_of_one_word_are_two_parts() -> None:
    assert not is_one_part(track("1 dry.wav"), track("2 Voice wet.wav"))
    assert is_one_part(track("1 Voice.wav"), track("2 Voice double left.wav"))
