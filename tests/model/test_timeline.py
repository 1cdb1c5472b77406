"""Seconds to bars and beats and back, against the Standard MIDI File definition and arithmetic by hand."""

from __future__ import annotations

from pathlib import Path

import mido
import pytest
from hypothesis import given
from hypothesis import strategies as st

from deep_tally.intake.midi import read_midi
from deep_tally.model.timeline import BarPlace, MeterStep, TempoStep, Timeline, steady

RATE = 48_000

tempos = st.lists(
    st.tuples(st.integers(1, 4000), st.integers(150_000, 3_000_000)), min_size=1, max_size=8, unique_by=lambda t: t[0]
).map(lambda steps: ((0, steps[0][1]), *sorted(steps[1:])))
meters = st.lists(
    st.tuples(st.integers(1, 200), st.integers(1, 15), st.sampled_from([2, 4, 8, 16])),
    max_size=5,
    unique_by=lambda m: m[0],
).map(lambda steps: ((0, 4, 4), *sorted(steps)))
TICKS = 480


def timeline_of(tempos: tuple[tuple[int, int], ...], meters: tuple[tuple[int, int, int], ...]) -> Timeline:
    return Timeline(
        tempos=tuple(TempoStep(quarter=at / TICKS, seconds=us / 1e6) for at, us in tempos),
        meters=tuple(MeterStep(quarter=float(at), beats=beats, unit=unit) for at, beats, unit in meters),
    )


def seconds_by_definition(tempos: tuple[tuple[int, int], ...], tick: int) -> float:
    """Tick by tick as the definition has it: microseconds a quarter note, over the ticks of a quarter note."""
    us = 0.0
    for (at, tempo), end in zip(tempos, [*(t for t, _ in tempos[1:]), tick], strict=True):
        us += max(0, min(end, tick) - at) * tempo / TICKS
    return us / 1e6


@given(tempos, st.integers(0, 10_000))
def test_times_are_those_of_the_standard_midi_file_definition(tempos: tuple[tuple[int, int], ...], tick: int) -> None:
    timeline = timeline_of(tempos, ((0, 4, 4),))
    assert timeline.seconds_at(tick / TICKS) == pytest.approx(seconds_by_definition(tempos, tick), abs=1e-9)


@given(tempos, meters, st.integers(0, 600))
def test_a_bar_line_is_the_same_bar_line_after_it_became_a_sample_and_a_time(
    tempos: tuple[tuple[int, int], ...], meters: tuple[tuple[int, int, int], ...], bar: int
) -> None:
    timeline = timeline_of(tempos, meters)
    seconds = timeline.seconds_of_bar(bar)
    assert timeline.bars_at(seconds) == pytest.approx(bar, abs=1e-6)
    place = timeline.place_at(seconds)
    assert (place.bar, place.beat) == (bar + 1, 1)
    frame = round(seconds * RATE)
    assert abs(timeline.off_the_bar_s(frame / RATE)) * RATE <= 0.5 + 1e-6


@given(tempos, meters, st.floats(0, 3_600), st.floats(0, 3_600))
def test_later_is_never_earlier_and_every_moment_comes_back(
    tempos: tuple[tuple[int, int], ...], meters: tuple[tuple[int, int, int], ...], one: float, other: float
) -> None:
    timeline = timeline_of(tempos, meters)
    early, late = sorted((one, other))
    assert timeline.bars_at(early) <= timeline.bars_at(late)
    assert timeline.seconds_at(timeline.quarter_at(one)) == pytest.approx(one, abs=1e-9)
    assert timeline.seconds_of_bar(timeline.bars_at(one)) == pytest.approx(one, abs=1e-6)
    place = timeline.place_at(one)
    assert place.bar >= 1
    assert place.beat >= 1
    assert 0 <= place.part < 1 + 1e-6


def test_a_tempo_map_written_by_another_library_counts_as_that_library_counts(tmp_path: Path) -> None:
    events = [(0, 500_000), (3 * TICKS, 400_000), (5 * TICKS + 17, 1_200_000), (9 * TICKS, 333_333)]
    track = mido.MidiTrack()
    track.append(mido.MetaMessage("time_signature", numerator=3, denominator=4, time=0))
    before = 0
    for at, tempo in events:
        track.append(mido.MetaMessage("set_tempo", tempo=tempo, time=at - before))
        before = at
    for note in range(40):
        track.append(mido.Message("note_on", note=60, velocity=80, time=0 if note else 6 * TICKS))
        track.append(mido.Message("note_off", note=60, velocity=0, time=97))
    file = mido.MidiFile(ticks_per_beat=TICKS)
    file.tracks.append(track)
    file.save(tmp_path / "map.mid")
    facts = read_midi(tmp_path / "map.mid")
    assert facts is not None
    assert facts.timeline is not None
    ticks = seconds = 0.0
    for message, by_library in zip(track, mido.MidiFile(tmp_path / "map.mid"), strict=False):
        ticks += message.time
        seconds += by_library.time  # mido: ticks to seconds at the tempo in force
        assert facts.timeline.seconds_at(ticks / TICKS) == pytest.approx(seconds, abs=1e-9)
    assert facts.seconds == pytest.approx(mido.MidiFile(tmp_path / "map.mid").length, abs=1e-9)
    # bar 4 begins after nine quarters: 3 at 120 BPM, then 2 and 17 ticks at 150, the rest at 50
    assert facts.timeline.place_at(facts.timeline.seconds_at(9)) == BarPlace(bar=4, beat=1, part=0.0)


def test_bars_and_beats_are_counted_as_musicians_do() -> None:
    timeline = steady(120.0)
    assert timeline.place_at(0.0) == BarPlace(bar=1, beat=1, part=0.0)
    assert timeline.place_at(2.0) == BarPlace(bar=2, beat=1, part=0.0)
    place = timeline.place_at(2.75)
    assert (place.bar, place.beat, place.part) == (2, 2, pytest.approx(0.5))
    assert timeline.place_at(-0.5).bar == 0
    waltz = steady(120.0, (MeterStep(quarter=0.0, beats=3, unit=4),))
    assert waltz.place_at(1.5) == BarPlace(bar=2, beat=1, part=0.0)
    six = steady(120.0, (MeterStep(quarter=0.0, beats=6, unit=8),))
    assert (six.seconds_of_bar(1), six.place_at(0.25).beat) == (1.5, 2)


def test_a_bar_that_a_change_of_meter_cuts_short_is_a_bar() -> None:
    # 4/4 for six quarters, then 3/4: bar 2 has two beats only.
    timeline = steady(60.0, (MeterStep(quarter=0.0), MeterStep(quarter=6.0, beats=3)))
    assert timeline.place_at(5.5).bar == 2
    assert timeline.place_at(6.0) == BarPlace(bar=3, beat=1, part=0.0)
    beats = [(when, place.bar, place.beat) for when, place in timeline.beats_between(4.0, 9.0)]
    assert beats == [(4.0, 2, 1), (5.0, 2, 2), (6.0, 3, 1), (7.0, 3, 2), (8.0, 3, 3), (9.0, 4, 1)]


def test_the_bar_line_of_a_change_is_its_own_whatever_floats_lose() -> None:
    # found by chance: 376,022 us for two ticks of 480, then 280,253 to quarter 1, where 1/2 cuts the first bar short
    timeline = timeline_of(((0, 376_022), (2, 280_253), (39, 150_000)), ((0, 4, 4), (1, 1, 2)))
    assert timeline.bars_at(timeline.seconds_of_bar(1)) == pytest.approx(1.0)


def test_a_ruler_can_leave_bars_out() -> None:
    bars = [place.bar for _, place in steady(120.0).beats_between(3.0, 40.0, every_bars=4)]
    assert bars == [5, 9, 13, 17, 21]


def test_how_far_a_moment_is_off_the_bar() -> None:
    timeline = steady(96.0)  # a bar is 2.5 s
    assert timeline.off_the_bar_s(5.01) == pytest.approx(0.01)
    assert timeline.off_the_bar_s(4.9) == pytest.approx(-0.1)
    assert timeline.nearest_bar_s(-0.2) == 0.0


@pytest.mark.parametrize("bpm", [0.0, -3.0, float("inf"), float("nan")])
def test_no_tempo_is_no_timeline(bpm: float) -> None:
    with pytest.raises(ValueError, match="over 0 BPM"):
        steady(bpm)
