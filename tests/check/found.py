"""Findings of chosen tracks, told apart by code: what tests of several questions share."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import replace
from typing import Any

import numpy as np

from deep_tally.check.assess import assess
from deep_tally.check.coverage import coverage_of
from deep_tally.check.registry import tally
from deep_tally.model.brief import DEFAULT_BRIEF, Brief
from deep_tally.model.comparison import Comparison
from deep_tally.model.delivery import Delivery, SongFacts, Track
from deep_tally.model.files import Role
from deep_tally.model.findings import Action, Finding
from deep_tally.model.measures import (
    ClickTempo,
    Density,
    EdgeKind,
    SpectralEdge,
    Spectrum,
)
from deep_tally.reply.wording.speaker import Speaker
from tracks import (
    RATE,
    SECONDS,
    findings,
    intake_of,
    others,
    song_of,
    track,
)

ASK, FIX, NOTE = Action.ASK, Action.FIX, Action.NOTE


def verdicts(file: Track, code: str, **options: Any) -> list[tuple[Action, float]]:
    """The findings of one code: action and confidence."""
    return [(f.action, f.confidence) for f in all_of([file, *others()], **options) if f.code == code]


def all_of(tracks: list[Track], **options: Any) -> Iterator[Finding]:
    """All findings, those under others as well."""
    for finding in findings(tracks, **options):
        yield finding
        yield from finding.consequences


def one(code: str, tracks: list[Track], **options: Any) -> Finding:
    (found,) = [f for f in all_of(tracks, **options) if f.code == code]
    return found


def cut(**changes: Any) -> Track:
    return track(
        **{"first_sound_frame": 0, "head_dbfs": -12.0, "head_peak_dbfs": -8.0, "entry_rise_ms": 20.0, **changes}
    )


def edged(path: str, hz: float, drop_db: float = 60.0, rate: int = RATE, *, kind: EdgeKind = "plain") -> Track:
    levels = np.zeros(2049, np.float16)
    spectrum = Spectrum(bin_hz=11.7, levels_db=levels, edge=SpectralEdge(edge_hz=hz, drop_db=drop_db, kind=kind))
    return track(path, spectrum=spectrum, rate_hz=rate, frames=SECONDS * rate)


def peak(dbfs: float, **changes: Any) -> Track:
    return track(sample_peak_by_channel_dbfs=(dbfs,), true_peak_dbtp=dbfs, **changes)


JUST_LIMITED = Density(
    sounding=20, near_peak_share=0.51, near_peak_step_db=0.25, crest_db=12.0, active_windows=20_000, window_frames=48
)


def clicks(ms: float, seconds: float = 40) -> Track:
    density = replace(JUST_LIMITED, active_windows=round(ms), window_frames=48, sounding=1)
    return track(density=density, frames=round(seconds * RATE))


def two_sets(first: int, second: int, *, alike: bool = True) -> list[Track]:
    one_half = [track(f"A Part{'abcdef'[n]}.wav", rms_dbfs=-30.0 - n) for n in range(first)]
    prefix = "B" if alike else "A"
    other = [
        track(f"{prefix} Other{'abcdef'[n]}.wav", bits=16, bits_in_use=16, rms_dbfs=-40.0 - n) for n in range(second)
    ]
    return [*one_half, *other]


def named(*names: str) -> list[Track]:
    return [
        track(name, rms_dbfs=-21.0 - i, loudness_lufs=-22.0 - i, sample_peak_by_channel_dbfs=(-7.0 - i,))
        for i, name in enumerate(names)
    ]


def came(tracks: list[Track], **options: Any) -> Any:
    used = options.pop("brief", DEFAULT_BRIEF)
    song = song_of(tracks, brief=used, **options)
    delivery = Delivery(source=None, name="x", sets=(song,), findings=tally(song, used))  # type: ignore[arg-type]
    return coverage_of(delivery, used)


def written(tracks: list[Track], hours: list[float]) -> list[Finding]:
    song = song_of(tracks)
    song = replace(song, modified_s={t.path: 3600 * h + 1 for t, h in zip(tracks, hours, strict=True)})
    return [f for f in tally(song, DEFAULT_BRIEF) if f.code == "content.two-exports"]


def actions_of(tracks: list[Track], **options: object) -> list[tuple[str, Action]]:
    return [(f.code, f.action) for f in findings(tracks, **options)]  # type: ignore[arg-type]


LOSSY = {"container": "mp3", "sample_format": "lossy", "bits": None, "bits_in_use": None}


def of(code: str, found: Iterable[Finding]) -> list[Finding]:
    return [f for f in found if f.code == code]


def related(comparison: Comparison, *tracks: Track, **modified: float) -> tuple[Finding, ...]:
    song = song_of(tracks)
    return tally(replace(song, comparison=comparison), DEFAULT_BRIEF)


def many_named(*names: str, **changes: object) -> list[Track]:
    levels = [{"sample_peak_by_channel_dbfs": (-9.0 - i / 3,), "rms_dbfs": -20.0 - 1.3 * i} for i in range(len(names))]
    return [track(n, **{**level, **changes}) for n, level in zip(names, levels, strict=True)]


def silent(path: str) -> Track:
    return track(path, first_sound_frame=None, last_sound_frame=None, rms_dbfs=-120.0)


def delivery(tracks: list[Track], asked: Brief, **options: object) -> Delivery:
    return assess(intake_of(tracks, name="Tidewrack 96 BPM"), tracks, asked, **options)  # type: ignore[arg-type]


def said(finding: Finding, path: str | None, *more: Track) -> str:
    tracks = [*more, *others()]
    return Speaker(assess(intake_of(tracks), tracks, DEFAULT_BRIEF)).evidence(finding, path)


def click_until(bpm: float, *, first_s: float = 0.0, last_s: float = 39.0) -> Track:
    first, last = round(first_s * RATE), round(last_s * RATE)
    click_tempo = ClickTempo(bpm=bpm, strokes=64, first_frame=first, last_frame=last, stray_ms=0.4)
    return track("Click.wav", role=Role.CLICK, click_tempo=click_tempo)


SHORT = 30 * RATE


def late(path: str = "01 Guitar.wav", **changes: object):
    return track(path, frames=SHORT, first_sound_frame=100, last_sound_frame=SHORT - RATE, **changes)


def replace_length(t, frames: int, *, first: int = 2 * RATE):
    return track(
        t.path,
        frames=frames,
        first_sound_frame=first,
        last_sound_frame=frames - RATE,
        sample_peak_by_channel_dbfs=t.measures.sample_peak_by_channel_dbfs,
        rms_dbfs=t.measures.rms_dbfs,
        loudness_lufs=t.measures.loudness_lufs,
    )


def codes_in(tracks: list[Track], *, bpm: float = 96.0) -> list[str]:
    """The codes found in a song of a tempo, as they stand in the tally."""
    facts = SongFacts(title="Song", tempo_bpm=bpm, key="D minor")
    return [f.code for f in findings(tracks, facts=facts) if f.code != "length.not-bars"]
