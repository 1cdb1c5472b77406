"""Conditions of the checks, one by one: each test fails when that condition alone is gone."""

from __future__ import annotations

import pytest

from deep_tally.check.build import is_most
from deep_tally.check.common import find_common
from deep_tally.check.root_causes import under_root_causes
from deep_tally.check.rules.length import ends_while_sounding
from deep_tally.check.rules.relations import is_one_part
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.model.findings import Action, Finding
from tracks import RATE, brief, codes, findings, others, track


def finding(code: str, *files: str) -> Finding:
    return Finding(code=code, action=Action.ASK, kind="request", files=files)


def test_a_finding_on_several_files_stays_where_only_some_have_a_root() -> None:
    root, shared = finding("content.damaged", "a.wav"), finding("length.short", "a.wav", "b.wav")
    assert [f.code for f in under_root_causes([root, shared])] == ["content.damaged", "length.short"]
    assert [f.code for f in under_root_causes([shared, root])] == ["length.short", "content.damaged"]
    both = finding("content.damaged", "b.wav")
    assert [f.code for f in under_root_causes([root, shared, both])] == ["content.damaged", "content.damaged"]


def test_what_a_root_absorbs_that_is_absorbed_itself_goes_to_the_top() -> None:
    found = under_root_causes(
        [finding("content.empty", "a"), finding("content.nonfinite", "a"), finding("start.at-sound", "a")]
    )
    assert [(f.code, [a.code for a in f.consequences]) for f in found] == [
        ("content.nonfinite", ["content.empty", "start.at-sound"])
    ]


@pytest.mark.parametrize(("some", "all_", "most"), [(2, 4, False), (3, 5, True), (3, 6, False), (1, 1, False)])
def test_most_is_more_than_half_and_no_single_file(some: int, all_: int, most: bool) -> None:
    assert is_most(some, all_) is most


def test_what_two_files_share_is_reported_one_by_one_and_what_three_share_once() -> None:
    def hot(count: int) -> list[int]:
        loud = [track(f"{i} Part{'abcde'[i]}.wav", sample_peak_by_channel_dbfs=(-1.0 - i / 2,)) for i in range(count)]
        return [len(f.files) for f in findings([*loud, *others(3)]) if f.code == "headroom.hot"]

    assert hot(2) == [1, 1]
    assert hot(3) == [3]


def test_of_two_halves_the_briefs_rate_and_depth_are_the_common_ones_and_no_length_is() -> None:
    halves = [track(f"{n}.wav", rate_hz=44_100, bits=16, frames=44_100 * (41 if n else 39)) for n in range(2)]
    common = find_common([*halves, *others(2)], brief(rates=[44_100], bits_min=16))
    assert (common.rate_hz, common.bits, common.seconds) == (44_100, 16, None)
    neither = find_common([*halves, *others(2)], brief(rates=[96_000], bits_min=20))
    assert (neither.rate_hz, neither.bits) == (None, None)


def test_exactly_half_share_no_length() -> None:
    halves = [track(f"{n}.wav", frames=(30 + n) * RATE) for n in range(2)]
    assert find_common([*halves, *others(2)], DEFAULT_BRIEF).seconds is None
    assert find_common([*halves, *others(3)], DEFAULT_BRIEF).seconds is not None


def test_normalised_needs_more_than_half() -> None:
    alike = [track(f"{n} Part.wav", sample_peak_by_channel_dbfs=(-3.0,), rms_dbfs=-11.0 - n) for n in range(5)]
    assert "headroom.normalised" not in codes([*alike, *others(5)])
    assert "headroom.normalised" in codes([*alike, *others(4)])


@pytest.mark.parametrize(
    ("levels", "is_cut"),
    [
        ((-10.0, -12.0, -14.0, -18.0, -22.0, -26.0, -30.0, -34.0), False),  # falls throughout
        ((-10.0, -12.0, -14.0, -18.0, -22.0, -21.0, -30.0, -34.0), True),  # rises on the way
        ((-10.0, -12.0, -14.0, -18.0, -22.0, -22.0, -30.0, -34.0), True),  # stands still on the way
        ((-10.0, -12.0, -14.0, -18.0, -18.1, -18.2, -18.3, -18.4), True),  # falls, but hardly
    ],
)
def test_a_fade_falls_throughout(levels: tuple[float, ...], is_cut: bool) -> None:
    assert ends_while_sounding(track(tail_levels_dbfs=levels), DEFAULT_BRIEF) is is_cut


@pytest.mark.parametrize(
    ("one", "other", "is_one"),
    [
        ("1 Voice dry.wav", "2 Voice wet.wav", True),
        ("1 Lead Voice dry.wav", "2 Lead Voice.wav", True),
        ("1 Lead Voice.wav", "2 Low Voice.wav", False),  # a word in common is not enough
        ("1 Bass DI.wav", "2 Bass amp.wav", True),
        ("1 dry.wav", "2 wet.wav", False),  # nothing but words for forms
    ],
)
def test_two_forms_of_one_part_share_all_their_words(one: str, other: str, is_one: bool) -> None:
    assert is_one_part(track(one), track(other)) is is_one
    assert is_one_part(track(other), track(one)) is is_one
