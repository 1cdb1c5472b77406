"""Which part a MIDI file plays: twelve parts with notes of their own, played a little off."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from deep_tally.compare.midi import find_midi
from deep_tally.demo import synth
from deep_tally.measure.overview import pyramid
from deep_tally.measure.windows import WindowCutter
from deep_tally.model.delivery import Track
from deep_tally.model.files import Entry, MidiFacts, Role
from deep_tally.model.timeline import steady
from tracks import RATE, track

SECONDS, BPM = 26, 100.0
KINDS = (synth.plucked, synth.voice, synth.bowed, synth.reed, synth.bell)


def measured(path: str, sound: np.ndarray, role: Role = Role.TRACKOUT) -> Track:
    cutter = WindowCutter(RATE // 1000, 1)
    windows = cutter.feed(np.asfortranarray(sound[:, None])).grouped(5)
    made = track(path, role=role, frames=len(sound))
    assert made.measures is not None
    return replace(made, measures=replace(made.measures, overview=pyramid(windows, len(sound))))


def song(seed: int, parts: int = 12) -> tuple[list[Track], list[list[float]], list[float]]:
    """Parts, the quarters at which each one's notes stand, and by how many ms each is late."""
    rng = np.random.default_rng(seed)
    tracks, notes, late_ms = [], [], []
    for number in range(parts):
        step = float(rng.choice([0.25, 0.5, 0.5, 1.0]))
        quarters = np.arange(0, 40, step)
        quarters = quarters[rng.random(len(quarters)) < rng.uniform(0.4, 0.9)]
        late = rng.uniform(-20, 60)
        sound = 1e-4 * rng.standard_normal(SECONDS * RATE)
        hz = 110 * 2 ** (rng.integers(0, 24) / 12)
        for quarter in quarters:
            tone = KINDS[number % 5](round(hz * 2 ** (rng.integers(0, 5) / 12), 2), step * 0.55)
            at = 0.05 + quarter * 60 / BPM + (late + rng.normal(0, 6)) / 1000
            synth.place(sound, tone, max(0.0, at), rng.uniform(0.3, 1.0))
        tracks.append(measured(f"{number:02d}.wav", sound))
        notes.append((quarters + 0.05 * BPM / 60).tolist())
        late_ms.append(late)
    return tracks, notes, late_ms


def midi(name: str, quarters: list[float], bpm: float | None = BPM) -> Entry:
    facts = MidiFacts(timeline=steady(bpm) if bpm is not None else None, note_quarters=tuple(quarters))
    return Entry(path=name, source=Path("/x") / name, role=Role.MIDI, bytes=1, midi=facts)


NAMES = (
    "Kick",
    "Snare",
    "Bass",
    "Piano",
    "Organ",
    "Viola",
    "Cello",
    "Flute",
    "Oboe",
    "Harp",
    "Lead voice",
    "Tambourine",
)


def test_nine_of_ten_midi_files_that_say_their_part_are_paired_among_twelve_and_none_wrongly() -> None:
    right = wrong = 0
    for seed in range(4):
        tracks, notes, late_ms = song(seed)
        tracks = [replace(t, path=f"{n:02d} {NAMES[n]}.wav") for n, t in enumerate(tracks)]
        for pair in find_midi([midi(f"{NAMES[n]}.mid", q) for n, q in enumerate(notes)], tracks):
            number = NAMES.index(pair.path.removesuffix(".mid"))
            is_right = pair.track == tracks[number].path
            right, wrong = right + is_right, wrong + (not is_right)
            # Every instrument takes some milliseconds of its own to speak.
            assert not is_right or abs(pair.offset_ms - late_ms[number]) < 45
    assert wrong == 0
    assert right >= 0.9 * 48


def test_without_names_only_what_is_far_ahead_is_claimed() -> None:
    found = []
    for seed in range(4):
        tracks, notes, _ = song(seed)
        found += [
            (p.path[:2], p.track[:2]) for p in find_midi([midi(f"{n:02d}.mid", q) for n, q in enumerate(notes)], tracks)
        ]
    assert found
    assert all(a == b for a, b in found)


def test_a_name_that_the_notes_do_not_bear_out_pairs_nothing() -> None:
    tracks, notes, _ = song(0, parts=3)
    tracks = [replace(t, path=f"{n}.wav") for n, t in zip(("Bass", "Piano", "Harp"), tracks, strict=True)]
    other = [q * 1.37 + 0.2 for q in notes[0]]
    assert find_midi([midi("Bass.mid", other)], tracks) == ()


def test_the_offset_is_how_much_later_the_part_begins() -> None:
    ticks = np.zeros(SECONDS * RATE)
    quarters = [0.0, 1.0, 1.5, 2.5, 4.0, 5.25, 6.0, 7.5, 9.0, 10.5, 11.0]
    for quarter in quarters:
        ticks[round((1.0 + quarter * 0.6) * RATE) :][:480] = 0.5
    for late_ms in (0, 12, -40):
        moved = [q + (1.0 - late_ms / 1000) * BPM / 60 for q in quarters]
        (pair,) = find_midi([midi("a.mid", moved)], [measured("a.wav", ticks)])
        assert pair.offset_ms == pytest.approx(late_ms, abs=3)
        assert pair.alike > 0.8


def test_where_two_parts_play_the_same_notes_or_none_does_nothing_is_claimed() -> None:
    tracks, notes, _ = song(3, parts=4)
    same = replace(tracks[0], path="double.wav")
    assert find_midi([midi("a.mid", notes[0])], [*tracks, same]) == ()
    assert find_midi([midi("a.mid", [q + 0.37 * n for n, q in enumerate(notes[0])])], tracks[1:]) == ()


def test_too_few_notes_no_tempo_and_files_that_are_no_parts_count_for_nothing() -> None:
    (file, _), notes, _ = song(3, parts=2)
    bass = [replace(file, path="Bass.wav")]
    assert len(find_midi([midi("Bass.mid", notes[0])], bass)) == 1
    assert find_midi([midi("Bass.mid", notes[0][:7])], bass) == ()
    assert find_midi([midi("Bass.mid", notes[0], bpm=None)], bass) == ()
    assert find_midi([midi("Bass.mid", notes[0])], [replace(t, role=Role.ROUGH_MIX) for t in bass]) == ()
