"""First and last sound, and how a file begins and ends."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from measure.measured_sounds import (
    NOISE_5,
    NOISE_77,
)
from searching import examples
from sounds import RATE, measured, sine

MS = RATE // 1000


def drum(seconds: float = 0.6) -> np.ndarray:
    """A stroke that is at its peak within a millisecond and dies away."""
    time = np.arange(round(seconds * RATE)) / RATE
    return 0.5 * np.sin(2 * np.pi * 190 * time + 0.6) * np.exp(-time * 9) * np.minimum(1, time / 0.0005 + 0.02)


def dither(frames: int, bits: int, seed: int = 1) -> np.ndarray:
    """TPDF dither of two steps from peak to peak, on the grid of `bits`."""
    random = np.random.default_rng(seed)
    return np.round(random.random(frames) - random.random(frames)) / 2 ** (bits - 1)


def hiss(frames: int, dbfs: float, seed: int = 2) -> np.ndarray:
    return np.random.default_rng(seed).standard_normal(frames) * 10 ** (dbfs / 20) / math.sqrt(2)


def hum(frames: int, dbfs: float) -> np.ndarray:
    return sine(50, frames / RATE, peak=10 ** (dbfs / 20))


@pytest.mark.parametrize("resting", [0, 1])
def test_an_offset_of_one_channel_does_not_hide_the_other(resting: int) -> None:
    sides = [np.full(6 * RATE, 0.1), np.concatenate([np.zeros(RATE), sine(200, 4, peak=0.05), np.zeros(RATE)])]
    samples = np.stack(sides if resting == 0 else sides[::-1], axis=1)
    extent = measured(samples, bits=24).extent
    assert extent.first_sound_frame == pytest.approx(RATE, abs=MS)
    assert extent.last_sound_frame == pytest.approx(5 * RATE, abs=5 * MS)


def test_the_hiss_that_lies_on_an_offset_is_no_sound() -> None:
    tone = np.concatenate([np.zeros(RATE), sine(200, 4, peak=0.05), np.zeros(RATE)])
    samples = np.stack([np.full(6 * RATE, 0.1), tone], axis=1) + np.stack([hiss(6 * RATE, -70, s) for s in (1, 2)], 1)
    extent = measured(samples, bits=24).extent
    assert extent.first_sound_frame == pytest.approx(RATE, abs=MS)
    assert extent.lead_floor_dbfs == pytest.approx(-70, abs=1)


def test_each_channel_has_an_offset_of_its_own() -> None:
    tone = np.concatenate([np.zeros(RATE), sine(200, 4, peak=0.02), np.zeros(RATE)])
    extent = measured(np.stack([tone + 0.1, tone * 0.0 - 0.05], axis=1), bits=24).extent
    assert extent.first_sound_frame == pytest.approx(RATE, abs=MS)
    assert extent.last_sound_frame == pytest.approx(5 * RATE, abs=5 * MS)


@pytest.mark.parametrize("lead_ms", range(61))
@pytest.mark.parametrize("floor", ["digital", "16-bit dither", "24-bit dither"])
def test_short_leads_of_0_to_60_ms_are_found_to_the_millisecond(floor: str, lead_ms: int) -> None:
    lead = lead_ms * MS
    signal = np.concatenate([np.zeros(lead), drum(), np.zeros(RATE // 2)])
    if floor != "digital":
        signal = signal + dither(len(signal), int(floor[:2]))
    first = measured(signal, bits=24).extent.first_sound_frame
    assert first is not None
    assert abs(first - lead) <= MS


FLOORS = {
    "digital": lambda n: np.zeros(n),
    "16-bit dither": lambda n: dither(n, 16),
    "hiss at -80": lambda n: hiss(n, -80),
    "hiss at -65": lambda n: hiss(n, -65),
    "hiss at -50": lambda n: hiss(n, -50),
    "hum at -60": lambda n: hum(n, -60),
}


@pytest.mark.parametrize("floor", FLOORS)
def test_long_leads_and_tails_over_every_floor(floor: str) -> None:
    lead, tail = round(0.8 * RATE), round(1.1 * RATE)
    sound = np.tile(drum(0.3), 3)
    signal = np.concatenate([np.zeros(lead), sound, np.zeros(tail)]) + FLOORS[floor](lead + len(sound) + tail)
    extent = measured(signal).extent
    assert extent.first_sound_frame == pytest.approx(lead, abs=3 * MS)
    # A stroke sinks into a floor some time before it is over: 8.7 dB in 0.11 s with this decay.
    assert extent.last_sound_frame is not None
    assert lead + len(sound) - 0.25 * RATE <= extent.last_sound_frame <= lead + len(sound) + 2 * MS


@settings(max_examples=examples(40), deadline=None)
@given(seed=st.integers(0, 2**32 - 1), own=st.integers(60 * MS, 80 * MS), added=st.integers(1, 5000))
def test_prepending_silence_moves_the_first_sound_by_exactly_that_much(seed: int, own: int, added: int) -> None:
    random = np.random.default_rng(seed)
    time = np.arange(RATE // 2) / RATE
    swell = np.minimum(1, time / random.uniform(0.0005, 0.3))
    sound = (
        random.uniform(0.01, 0.9) * swell * np.sin(2 * np.pi * random.uniform(40, 4000) * time + random.uniform(0, 6))
    )
    signal = np.concatenate([np.zeros(own), sound, np.zeros(RATE // 4)])
    before = measured(signal).extent
    after = measured(np.concatenate([np.zeros(added), signal])).extent
    assert before.first_sound_frame is not None
    assert after.first_sound_frame == before.first_sound_frame + added
    assert after.last_sound_frame == before.last_sound_frame + added


@settings(max_examples=examples(25), deadline=None)
@given(seed=st.integers(0, 2**32 - 1), lead=st.integers(0, 9000), tail=st.integers(0, 9000))
def test_the_reversed_file_has_its_edges_mirrored(seed: int, lead: int, tail: int) -> None:
    random = np.random.default_rng(seed)
    sound = random.standard_normal(5000) * 0.1
    signal = np.concatenate([np.zeros(lead), sound, np.zeros(tail)])
    one, two = measured(signal).extent, measured(signal[::-1]).extent
    assert one.last_sound_frame == len(signal) - 1 - two.first_sound_frame
    assert one.first_sound_frame == len(signal) - 1 - two.last_sound_frame


@pytest.mark.parametrize("level", [-76.0, -80.0, -100.0])
def test_a_steady_floor_under_minus_75_is_never_sound(level: float) -> None:
    assert measured(hiss(RATE, level)).extent.first_sound_frame is None


def test_a_dithered_stretch_after_digital_silence_is_no_first_sound() -> None:
    noise = hiss(2 * RATE, -82)
    noise[: RATE // 2] = 0
    signal = noise.copy()
    signal[RATE + 5000 : RATE + 5000 + len(drum())] += drum()
    assert measured(signal).extent.first_sound_frame == pytest.approx(RATE + 5000, abs=MS)


def test_a_slow_swell_is_heard_early() -> None:
    signal = np.concatenate([np.zeros(RATE), sine(440, 4) * np.linspace(0, 0.5, 4 * RATE) ** 2])
    first = measured(signal).extent.first_sound_frame
    assert first is not None
    assert RATE <= first <= RATE + 0.1 * RATE


def test_an_organ_that_never_rests_sounds_from_end_to_end() -> None:
    extent = measured(sine(220, 3, peak=0.2)).extent
    assert extent.first_sound_frame is not None
    assert extent.last_sound_frame is not None
    assert extent.first_sound_frame < MS
    assert extent.last_sound_frame > 3 * RATE - 1 - MS
    assert extent.tail_floor_dbfs == -math.inf


def test_hiss_through_the_whole_file_is_the_tail_floor() -> None:
    signal = hiss(4 * RATE, -52)
    signal[RATE : RATE + len(drum())] += drum()
    extent = measured(signal).extent
    assert extent.tail_floor_dbfs == pytest.approx(-52, abs=1)
    assert extent.tail_levels_dbfs[-1] == pytest.approx(-52, abs=2)


def test_tail_levels_are_the_last_eight_windows_of_5_ms() -> None:
    steps = np.repeat([0.5 ** (i + 1) for i in range(8)], 5 * MS) * np.tile([1, -1], 20 * MS)
    levels = measured(np.concatenate([np.zeros(100), steps])).extent.tail_levels_dbfs
    assert levels == pytest.approx([3.01 - 6.0206 * (i + 1) for i in range(8)], abs=0.01)


@pytest.mark.parametrize(("rise_ms", "least", "most"), [(0.2, 0.0, 1.0), (60.0, 3.0, 60.0)])
def test_the_rise_of_entries_tells_gates_from_bows(rise_ms: float, least: float, most: float) -> None:
    time = np.arange(RATE // 2) / RATE
    note = 0.3 * np.sin(2 * np.pi * 330 * time + 1) * np.minimum(1, time / (rise_ms / 1000))
    signal = np.tile(np.concatenate([np.zeros(RATE // 5), note]), 4)
    rise = measured(signal).extent.entry_rise_ms
    assert rise is not None
    assert least <= rise <= most


def test_a_file_of_a_few_samples_is_no_trouble() -> None:
    for frames in (1, 2, 47, 48, 49, 500):
        extent = measured(np.full(frames, 0.5)).extent
        assert extent.first_sound_frame == 0
        assert extent.last_sound_frame == frames - 1


def with_rest(level_dbfs: float, loud_dbfs: float) -> np.ndarray:
    """A second of noise, a second of floor, a second of noise."""
    noise = NOISE_5.standard_normal(3 * RATE) / math.sqrt(2)  # 0 dBFS as AES17 reads
    gains = np.repeat([loud_dbfs, level_dbfs, loud_dbfs], RATE)
    return np.asarray(noise * 10 ** (gains / 20))


@pytest.mark.parametrize(
    ("rest_dbfs", "loud_dbfs", "is_floor"),
    [
        (-45.5, -14.0, True),
        (-44.5, -13.0, False),  # over -45
        (-55.0, -24.3, True),
        (-55.0, -25.7, False),  # not 30 under the loud parts
        (-76.0, -60.0, True),  # never sound
    ],
)
def test_the_quietest_stretch_is_a_floor(rest_dbfs: float, loud_dbfs: float, is_floor: bool) -> None:
    found = measured(with_rest(rest_dbfs, loud_dbfs)).extent.tail_floor_dbfs
    assert found == (pytest.approx(rest_dbfs, abs=0.3) if is_floor else -math.inf)


@pytest.mark.parametrize(("peak_dbfs", "sounds"), [(-83.5, True), (-84.5, False)])
def test_a_first_sound_has_a_peak_of_minus_eighty_four(peak_dbfs: float, sounds: bool) -> None:
    # A fifth of a second of a quiet tone before a loud one, in silence: where does it begin?
    quiet, tone = RATE // 5, np.sin(2 * np.pi * 1000 * np.arange(RATE) / RATE)
    tone[:quiet] *= 10 ** (peak_dbfs / 20)
    first = measured(np.concatenate([np.zeros(RATE), tone])).extent.first_sound_frame
    assert first is not None
    assert abs(first - RATE - (0 if sounds else quiet)) < 24


def test_the_first_sample_and_the_first_tenth_of_a_second() -> None:
    signal = np.zeros(RATE)
    signal[0], signal[1], signal[4799], signal[4800] = 0.25, 0.4, -0.5, 0.9
    extent = measured(signal).extent
    assert extent.head_dbfs == pytest.approx(20 * math.log10(0.25), abs=1e-3)
    assert extent.head_peak_dbfs == pytest.approx(20 * math.log10(0.5), abs=1e-3)
    silent = measured(np.concatenate([np.zeros(4800), signal])).extent
    assert (silent.head_dbfs, silent.head_peak_dbfs) == (-math.inf, -math.inf)


def entries(rise_ms: float, *, rest_ms: float = 500.0, rate: int = RATE) -> float | None:
    """Four notes after rests, each rising in a straight line to its peak."""
    time = np.arange(round(0.3 * rate))
    note = np.minimum(1.0, time / max(1.0, rise_ms * rate / 1000)) * np.sign(time % 2 - 0.5)
    rest = np.zeros(round(rest_ms * rate / 1000))
    return measured(np.concatenate([rest, note] * 4 + [rest]), rate=rate).extent.entry_rise_ms


def test_an_entry_rises_from_quiet_to_a_tenth_of_its_peak() -> None:
    assert entries(0.0) == 0.0
    assert entries(90.0) == pytest.approx(9.0, abs=1.0)  # a tenth of 90 ms
    assert entries(40.0) == pytest.approx(4.0, abs=1.0)
    # Within 100 ms a slow entry gets to half: a tenth of that.
    assert entries(200.0) == pytest.approx(10.0, abs=1.0)
    # Where windows are wider than 1 ms, the rise took at least so long.
    slow = entries(90.0, rate=700)
    assert slow is not None
    assert 9.0 - 1.5 <= slow <= 9.0 + 0.5


@pytest.mark.parametrize(("rest_ms", "found"), [(22.0, True), (18.0, False)])
def test_an_entry_comes_after_twenty_milliseconds_of_quiet(rest_ms: float, found: bool) -> None:
    assert (entries(10.0, rest_ms=rest_ms) is not None) is found


def test_the_hiss_of_the_pauses_is_the_floor_of_an_end_in_full_swing() -> None:
    hiss = NOISE_77.standard_normal(4 * RATE) * 10 ** (-63 / 20)  # -60 dBFS, as RMS after AES17 reads
    loud = hiss.copy()
    loud[: 2 * RATE] += 0.3 * np.sin(np.arange(2 * RATE) / 20)
    loud[-RATE // 2 :] += 0.3 * np.sin(np.arange(RATE // 2) / 20)
    assert measured(loud, bits=24).extent.tail_floor_dbfs == pytest.approx(-60, abs=1)
    never = 0.3 * np.sin(np.arange(4 * RATE) / 20)  # an organ that never rests has none
    assert measured(never, bits=24).extent.tail_floor_dbfs == -math.inf


def test_only_entries_after_a_rest_tell_how_a_part_enters() -> None:
    signal = np.zeros(12 * RATE)
    tone = np.sin(np.arange(RATE) / 10)
    for number in range(6):
        at = 2 * number * RATE
        note = tone[: RATE // 2].copy()
        note *= np.minimum(1, np.arange(len(note)) / (0.08 * RATE))  # 80 ms: gentle
        signal[at : at + len(note)] += 0.3 * note
        for flutter in range(8):  # hard, 10 ms after what went before
            begin = at + len(note) + round((0.01 + flutter * 0.03) * RATE)
            signal[begin : begin + round(0.02 * RATE)] = 0.3 * tone[: round(0.02 * RATE)]
    rise = measured(np.concatenate([np.zeros(RATE), signal]), bits=24).extent.entry_rise_ms
    assert rise is not None
    assert rise > 5


@pytest.mark.parametrize(("dbfs", "is_floor"), [(-46.0, True), (-52.0, True), (-44.0, False)])
def test_steady_room_tone_is_a_floor_though_little_is_louder(dbfs: float, is_floor: bool) -> None:
    room = hiss(6 * RATE, dbfs)
    room[2 * RATE : 3 * RATE] += sine(300, 1.0, peak=10 ** ((dbfs + 18) / 20))  # 18 dB over it: under 30
    assert (measured(room).extent.tail_floor_dbfs > dbfs - 3) is is_floor


def test_a_soft_part_that_rests_or_moves_is_no_room_tone() -> None:
    rests = hiss(6 * RATE, -52.0)
    rests[RATE : 2 * RATE] *= 0.2
    assert measured(rests).extent.tail_floor_dbfs < -60
    swells = hiss(6 * RATE, -52.0) * np.linspace(0.5, 2, 6 * RATE)
    assert measured(swells).extent.tail_floor_dbfs < -60
    short = hiss(round(1.9 * RATE), -52.0)
    assert measured(short).extent.tail_floor_dbfs < -60
