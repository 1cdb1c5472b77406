"""Parts that the brief asks for."""

from __future__ import annotations

from dataclasses import replace

import pytest

from check.found import many_named, of
from deep_tally.check.registry import tally
from deep_tally.model.comparison import Comparison, Pair
from tracks import (
    brief,
    findings,
    others,
    song_of,
    stereo,
    track,
)

BAND = [{"part": "kick in"}, {"part": "bass"}, {"part": "lead voice", "variants": ["dry", "wet"]}]


@pytest.mark.parametrize(
    ("files", "missing"),
    [
        (["Kick In.wav", "Bass.wav", "LeadVox dry.wav", "LeadVox wet.wav"], None),
        (["Bass.wav", "LeadVox dry.wav", "LeadVox wet.wav"], ("kick in",)),
        (["Kick In.wav", "Bass.wav", "LeadVox wet.wav"], ("lead voice (dry)",)),
        (["Kick In.wav", "Bass.wav", "LeadVox.wav"], ("lead voice (dry or wet)",)),
        (["Kick In.wav", "Bass.wav", "LeadVox.wav", "LeadVox wet.wav"], None),
        (["Harp.wav", "Oboe.wav"], ("kick in", "bass", "lead voice")),
    ],
)
def test_asked_parts_that_did_not_come(files: list[str], missing: tuple[str, ...] | None) -> None:
    found = of("content.part-missing", findings(many_named(*files), brief=brief(parts=BAND)))
    assert [f.evidence["missing"] for f in found] == ([missing] if missing else [])


def test_what_the_user_set_fills_a_part() -> None:
    asked = brief(parts=BAND)
    files = many_named("x1.wav", "Bass.wav", "LeadVox dry.wav", "LeadVox wet.wav")
    song = song_of(files, brief=asked, set_by_user={"x1.wav": ("kick in",)})
    assert of("content.part-missing", tally(song, asked)) == []


def test_mono_where_the_brief_expects_stereo_for_a_part() -> None:
    asked = brief(parts=[{"part": "overheads", "channels": 2}, {"part": "bass", "channels": 1}])
    found = of("channels.role", findings([track("OH.wav"), stereo("Bass.wav"), *others()], brief=asked))
    assert {f.files[0]: (f.evidence["came"], f.evidence["wanted"]) for f in found} == {
        "OH.wav": ("mono", "stereo"),
        "Bass.wav": ("stereo", "mono"),
    }
    sides = song_of([track("OH L.wav"), track("OH R.wav"), *others()], brief=asked)
    pair = Pair(left="OH L.wav", right="OH R.wav", correlation=0.4, level_correlation=0.9)
    joined = replace(sides, comparison=Comparison(pairs=(pair,)))
    assert of("channels.role", tally(joined, asked)) == []


def test_a_pair_where_mono_is_expected_counts_as_stereo() -> None:
    asked = brief(parts=[{"part": "overheads", "channels": 1}])
    sides = song_of([track("OH L.wav"), track("OH R.wav"), *others()], brief=asked)
    pair = Pair(left="OH L.wav", right="OH R.wav", correlation=0.4, level_correlation=0.9)
    joined = replace(sides, comparison=Comparison(pairs=(pair,)))
    found = of("channels.role", tally(joined, asked))
    assert {f.files[0]: (f.evidence["came"], f.evidence["wanted"]) for f in found} == {
        "OH L.wav": ("stereo", "mono"),
        "OH R.wav": ("stereo", "mono"),
    }
