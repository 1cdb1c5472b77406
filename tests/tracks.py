"""Tracks with chosen measures, for checks: no audio is made or read."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import replace
from pathlib import Path
from typing import Any

from deep_tally.check.common import find_common
from deep_tally.check.registry import tally
from deep_tally.check.rules.stamps import placements_of
from deep_tally.model.brief import DEFAULT_BRIEF, Brief
from deep_tally.model.delivery import Delivery, SongFacts, SongSet, Track
from deep_tally.model.files import Entry, Intake, Role, SoundFormat
from deep_tally.model.findings import Finding
from deep_tally.model.measures import Density, Measures, Run, Runs, Sides, SoundExtent
from deep_tally.names.match import match_parts
from deep_tally.names.read import read_names

RATE = 48_000
SECONDS = 40
SILENT_TAIL = (-math.inf,) * 8

FORMAT = SoundFormat(
    container="wav",
    sample_format="int",
    bits=24,
    rate_hz=RATE,
    channels=1,
    frames=SECONDS * RATE,
    claimed_frames=SECONDS * RATE,
)
EXTENT = SoundExtent(
    first_sound_frame=5 * RATE,
    last_sound_frame=35 * RATE,
    lead_floor_dbfs=-math.inf,
    tail_floor_dbfs=-math.inf,
    head_dbfs=-math.inf,
    head_peak_dbfs=-math.inf,
    entry_rise_ms=20.0,
    tail_levels_dbfs=SILENT_TAIL,
)
MEASURES = Measures(
    frames=SECONDS * RATE,
    sample_peak_by_channel_dbfs=(-8.0,),
    peak_frame=10 * RATE,
    true_peak_dbtp=-7.9,
    rms_by_channel_dbfs=(-20.0,),
    rms_dbfs=-20.0,
    crest_db=15.01,
    loudness_lufs=-21.0,
    dc_offset=(0.0,),
    dc_offset_steady=(True,),
    bits_in_use=24,
    clip_runs=Runs(),
    overs=Runs(),
    nonfinite=Runs(),
    sides=None,
    extent=EXTENT,
    overview=(),
    density=Density(sounding=400, near_peak_share=0.02, crest_db=14.0, active_windows=20_000, window_frames=48),
)
STEREO = Sides(
    correlation=0.3,
    side_to_mid_db=-3.0,
    gain_right_over_left=0.3,
    residual_db=-0.4,
    mono_loss_db=-1.9,
    greatest_difference=0.5,
    greatest_sum=0.7,
)
_FORMAT_FIELDS = set(SoundFormat.__slots__)
_EXTENT_FIELDS = set(SoundExtent.__slots__)


def track(path: str = "01 Bass.wav", *, role: Role = Role.TRACKOUT, **changes: Any) -> Track:
    """A clean track; named fields of its format, extent and measures are changed."""
    sound = {k: v for k, v in changes.items() if k in _FORMAT_FIELDS}
    extent = {k: v for k, v in changes.items() if k in _EXTENT_FIELDS}
    rest = {k: v for k, v in changes.items() if k not in _FORMAT_FIELDS | _EXTENT_FIELDS}
    if "frames" in sound:
        sound.setdefault("claimed_frames", sound["frames"])
    measures = replace(MEASURES, extent=replace(EXTENT, **extent), **rest, frames=sound.get("frames", FORMAT.frames))
    return Track(path=path, role=role, format=replace(FORMAT, **sound), measures=measures)


def stereo(path: str = "01 Pad.wav", *, levels: tuple[float, float] = (-20.0, -21.0), **sides: Any) -> Track:
    """A stereo track with changed relations of its sides."""
    return track(
        path,
        channels=2,
        sides=replace(STEREO, **sides),
        rms_by_channel_dbfs=levels,
        sample_peak_by_channel_dbfs=(-8.0, -9.0),
        dc_offset=(0.0, 0.0),
        dc_offset_steady=(True, True),
    )


def others(count: int = 4, **changes: Any) -> list[Track]:
    """Clean tracks to be the rest of a set, each with a level of its own."""
    names = ("Drum", "Viola", "Horn", "Choir", "Flute", "Harp", "Oboe", "Gong", "Lute", "Cello")
    made = []
    for index in range(count):
        own = {
            "sample_peak_by_channel_dbfs": (-8.5 - index,),
            "rms_dbfs": -21.0 - 1.3 * index,
            "loudness_lufs": -22.0 - 1.1 * index,
        }
        made.append(track(f"{index + 2:02d} {names[index]}.wav", **{**own, **changes}))
    return made


ROUGH_MIX = track("Song rough mix.wav", role=Role.ROUGH_MIX)


def song_of(
    tracks: Iterable[Track],
    *,
    brief: Brief = DEFAULT_BRIEF,
    facts: SongFacts | None = None,
    mix: bool = True,
    set_by_user: dict[str, tuple[str, ...]] | None = None,
    places: dict[str, int] | None = None,
) -> SongSet:
    """A set of tracks; with a rough mix and all facts unless told otherwise."""
    listed = (*tracks, *((ROUGH_MIX,) if mix else ()))
    facts = facts or SongFacts(title="Song", tempo_bpm=96.0, key="D minor")
    names = read_names([t.path for t in listed], facts)
    asked = {t.path: names[t.path] for t in listed if t.role.is_assessed}
    song = SongSet(
        name="Song",
        tracks=listed,
        facts=facts,
        common=find_common(listed, brief),
        names=names,
        parts=match_parts(brief.parts, asked, set_by_user=set_by_user),
    )
    return replace(song, placements=placements_of(song, places or {}, brief))


def findings(tracks: Iterable[Track], *, brief: Brief = DEFAULT_BRIEF, **options: Any) -> tuple[Finding, ...]:
    """All findings of a set."""
    return tally(song_of(tracks, brief=brief, **options), brief)


def codes(tracks: Iterable[Track], **options: Any) -> list[str]:
    """The codes found in a set."""
    return [f.code for f in findings(tracks, **options)]


def brief(**changes: Any) -> Brief:
    """The default brief with changes."""
    return Brief.model_validate({"schema": 1, **changes})


def runs(*lengths: int, channel: int = 0) -> Runs:
    """Runs of the given lengths, one a second."""
    places = tuple(Run(frame=(i + 1) * RATE, frames=n, channel=channel) for i, n in enumerate(lengths))
    counted: dict[int, int] = {}
    for n in lengths:
        counted[n] = counted.get(n, 0) + 1
    return Runs(lengths=counted, places=places, longest=max(places, key=lambda r: r.frames, default=None))


def intake_of(tracks: Iterable[Track], *, name: str = "x", song: str = "") -> Intake:
    """The delivery that tracks would come in: one song, unless their folders are named to be songs."""
    entries = [Entry(path=t.path, source=Path("/x") / t.path, role=t.role, bytes=1, song=song or name) for t in tracks]
    return Intake(source=Path("/x"), name=name, entries=tuple(entries))


def found_in(delivery: Delivery, path: str) -> list[Finding]:
    """The findings one file has a part in."""
    return [f for f in delivery.findings if path in f.files]
