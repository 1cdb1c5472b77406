"""Sample rates: the common one, the requested ones, and what was sampled up."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from check.found import ASK, NOTE, actions_of, all_of, edged, of, verdicts
from deep_tally.model.delivery import Track
from deep_tally.model.files import Role
from deep_tally.model.findings import Action
from deep_tally.model.measures import (
    EdgeKind,
    SpectralEdge,
    Spectrum,
)
from tracks import (
    SECONDS,
    brief,
    codes,
    findings,
    others,
    track,
)


def test_a_sharp_edge_is_asked_about_and_a_soft_one_not() -> None:
    assert verdicts(edged("1 A.wav", 10_500, 25.1), "rate.upsampled") == [(ASK, 0.85)]
    assert verdicts(edged("1 A.wav", 10_500, 24.9), "rate.upsampled") == [(NOTE, 0.6)]


@pytest.mark.parametrize(("hz", "rate", "action"), [(22_000, 96_000, ASK), (21_000, 48_000, NOTE)])
def test_an_edge_far_under_half_the_rate(hz: float, rate: int, action: Action) -> None:
    files = [edged("1 A.wav", hz, rate=rate), *others(4, rate_hz=rate, frames=SECONDS * rate)]
    assert [f.action for f in all_of(files) if f.code == "rate.upsampled"] == [action]


def test_a_mix_of_another_rate_is_a_note_unless_it_is_lossy() -> None:
    mix = track("Song mix.wav", role=Role.ROUGH_MIX, rate_hz=44_100, frames=SECONDS * 44_100)
    assert codes([mix, *others()], mix=False) == ["rate.differs"]
    lossy = replace(mix, format=replace(mix.format, sample_format="lossy", bits=None))  # type: ignore[type-var]
    assert codes([lossy, *others()], mix=False) == []
    document = replace(mix, role=Role.STRAY)
    assert codes([document, *others()]) == []


def test_another_rate_is_asked_for_and_only_noted_in_a_mix() -> None:
    odd = track(rate_hz=44_100, frames=40 * 44_100)
    assert actions_of([odd, *others()]) == [("rate.differs", ASK)]
    mix = track("Song mix.wav", role=Role.ROUGH_MIX, rate_hz=44_100, frames=40 * 44_100)
    assert actions_of([mix, *others()], mix=False) == [("rate.differs", NOTE)]


def test_two_halves_are_a_question_unless_the_brief_decides() -> None:
    half = [track(f"{i} Horn {i}.wav", rate_hz=96_000, frames=40 * 96_000) for i in (7, 8)]
    found = [f for f in findings([*others(2), *half]) if f.code == "rate.differs"]
    assert (found[0].kind, len(found[0].files)) == ("question", 4)
    found = [f for f in findings([*others(2), *half], brief=brief(rates=[48_000])) if f.code == "rate.differs"]
    assert [f.files for f in found] == [("7 Horn 7.wav",), ("8 Horn 8.wav",)]


def test_a_rate_the_brief_does_not_name_is_reported_once() -> None:
    (found,) = findings(others(), brief=brief(rates=[44_100, 96_000]))
    assert (found.code, len(found.files), found.evidence["wanted"]) == ("rate.off-brief", 4, ("44100", "96000"))
    assert actions_of(others(), brief=brief(rates=[48_000])) == []


def with_edge(hz: float, drop_db: float = 40.0, *, kind: EdgeKind = "plain", **changes: object) -> Track:
    spectrum = Spectrum(
        bin_hz=11.7, levels_db=np.zeros(9, np.float16), edge=SpectralEdge(edge_hz=hz, drop_db=drop_db, kind=kind)
    )
    return track(spectrum=spectrum, **changes)


@pytest.mark.parametrize(
    ("hz", "drop", "rate", "code", "action"),
    [
        (10_600, 40, 48_000, "rate.upsampled", Action.ASK),
        (15_400, 40, 48_000, "rate.upsampled", Action.ASK),
        (21_500, 40, 48_000, "rate.upsampled", Action.NOTE),
        (21_500, 40, 96_000, "rate.upsampled", Action.ASK),
        (10_600, 22, 48_000, "rate.upsampled", Action.NOTE),
        (16_600, 40, 48_000, None, None),  # a filter ends there too
        (20_500, 40, 96_000, None, None),
        (12_700, 60, 44_100, None, None),
        (8_000, 60, 48_000, None, None),
    ],
)
def test_an_edge_is_reported_by_where_it_lies(
    hz: float, drop: float, rate: int, code: str | None, action: Action | None
) -> None:
    found = findings([with_edge(hz, drop, rate_hz=rate, frames=40 * rate), *others(rate_hz=rate, frames=40 * rate)])
    edges = [f for f in found if f.code in ("rate.upsampled", "content.lossy-origin")]
    assert [(f.code, f.action) for f in edges] == ([(code, action)] if code else [])


def test_an_edge_as_an_encoder_leaves_it_is_asked_about_wherever_it_lies() -> None:
    found = [f for f in findings([with_edge(15_400, kind="coded"), *others()]) if f.code != "content.no-rough-mix"]
    assert [(f.code, f.action) for f in found] == [("content.lossy-origin", Action.ASK)]


@pytest.mark.parametrize(("hz", "rate", "action"), [(22_050, 96_000, ASK), (22_050, 48_000, NOTE)])
def test_a_mirror_needs_no_fall(hz: float, rate: int, action: Action) -> None:
    file = with_edge(hz, 2.5, kind="mirrored", rate_hz=rate, frames=SECONDS * rate)
    found = of("rate.upsampled", findings([file, *others(4, rate_hz=rate, frames=SECONDS * rate)]))
    assert [(f.action, f.evidence["source_rate"], f.evidence["edge"]) for f in found] == [(action, 44_100, "mirrored")]


def test_an_edge_that_most_of_the_set_shares_is_asked_about_once() -> None:
    files = [with_edge(21_500 + n, path=f"{n} Part.wav") for n in range(4)]
    (finding,) = of("rate.upsampled", findings([*files, *others(2)]))
    assert finding.action is Action.ASK
    assert len(finding.files) == 4


def test_lengths_at_another_rate_compare_in_seconds() -> None:
    assert codes([track(frames=SECONDS * 44_100, rate_hz=44_100), *others()]) == ["rate.differs"]
