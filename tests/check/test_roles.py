"""What files are for: the user before the sound, the sound before a name."""

from __future__ import annotations

from dataclasses import replace

import pytest

from check.found import ASK, NOTE, of
from deep_tally.check.assess import assess
from deep_tally.check.roles import settled_roles
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.model.comparison import Comparison, MixOf, SumOf
from deep_tally.model.delivery import Delivery, Track
from deep_tally.model.files import BY_USER, NO_BASIS, Role, RoleBasis
from tracks import brief, intake_of, others, track

FILE = "Silver Bounce.wav"
NAMED, SUGGESTED = RoleBasis("name"), RoleBasis("name", 0.7)


def heard_as(kind: str) -> Comparison:
    members = tuple(t.path for t in others(8))
    if kind == "mix":
        return Comparison(mixes=(MixOf(path=FILE, members=members, files=8),))
    if kind == "mix of few":
        return Comparison(mixes=(MixOf(path=FILE, members=members[:3], files=3),))
    parts = tuple((path, -3.0) for path in members[:2])
    is_exact = kind == "exact group"
    return Comparison(sums=(SumOf(path=FILE, parts=parts, residual_db=-9, is_exact=is_exact),))


@pytest.mark.parametrize(
    ("kind", "role", "basis", "expected", "source", "is_likely"),
    [
        ("mix", Role.TRACKOUT, NO_BASIS, Role.ROUGH_MIX, "sound", False),
        ("mix of few", Role.TRACKOUT, NO_BASIS, Role.ROUGH_MIX, "sound", True),
        ("exact group", Role.TRACKOUT, NO_BASIS, Role.GROUP, "sound", False),
        ("processed group", Role.TRACKOUT, NO_BASIS, Role.GROUP, "sound", True),
        # What the user set stands.
        ("mix", Role.TRACKOUT, BY_USER, Role.TRACKOUT, "user", False),
        ("exact group", Role.EFFECT_RETURN, BY_USER, Role.EFFECT_RETURN, "user", False),
        # A word that suggests a mix is made sure by the sound; a word that says it needs no sound.
        ("mix", Role.ROUGH_MIX, SUGGESTED, Role.ROUGH_MIX, "sound", False),
        ("mix of few", Role.ROUGH_MIX, SUGGESTED, Role.ROUGH_MIX, "name", True),
        ("mix of few", Role.ROUGH_MIX, NAMED, Role.ROUGH_MIX, "name", False),
        # A group that says so may hold most of a small set, not of a large one.
        ("mix of few", Role.GROUP, NAMED, Role.GROUP, "name", False),
        ("mix", Role.GROUP, NAMED, Role.ROUGH_MIX, "sound", False),
        ("mix of few", Role.GROUP, SUGGESTED, Role.ROUGH_MIX, "sound", True),
        ("mix", Role.REFERENCE, NAMED, Role.ROUGH_MIX, "sound", False),
        ("exact group", Role.ROUGH_MIX, NAMED, Role.ROUGH_MIX, "name", False),
        ("exact group", Role.REFERENCE, NAMED, Role.REFERENCE, "name", False),
        ("mix", Role.CLICK, NAMED, Role.CLICK, "name", False),
        ("mix", Role.TRIGGER, NAMED, Role.TRIGGER, "name", False),
    ],
)
def test_what_counts(kind: str, role: Role, basis: RoleBasis, expected: Role, source: str, is_likely: bool) -> None:
    file = replace(track(FILE, role=role), basis=basis)
    settled = settled_roles([file, *others(8)], heard_as(kind), DEFAULT_BRIEF)[0]
    assert (settled.role, settled.basis.source, settled.basis.is_likely) == (expected, source, is_likely)


def test_a_mix_to_be_worked_on_is_known_by_its_sound_too() -> None:
    settled = settled_roles([track(FILE), *others(8)], heard_as("mix"), brief(scope="mix"))
    assert [t.path for t in settled if t.role is Role.MIX] == [FILE]


def assessed(files: list[Track], comparison: Comparison) -> Delivery:
    return assess(intake_of(files), files, DEFAULT_BRIEF, comparisons={"x": comparison})


def test_a_mix_that_only_its_sound_shows_is_not_asked_as_a_track_nor_missed_as_a_mix() -> None:
    loud = track(FILE, sample_peak_by_channel_dbfs=(0.0,), bits=16, bits_in_use=16)
    before = {f.code for f in assessed([loud, *others(8)], Comparison()).findings}
    after = assessed([loud, *others(8)], heard_as("mix"))
    assert {"content.no-rough-mix", "headroom.hot"} <= before
    assert [f for f in after.findings if FILE in f.files] == []
    assert "content.no-rough-mix" not in {f.code for f in after.findings}


COPIED = "Silver Bounce loud.wav"


@pytest.mark.parametrize(
    ("second", "expected"),
    [
        ({"copy_of": FILE, "members": 8}, [("content.mix-copy", NOTE)]),
        ({"copy_of": None, "members": 6}, []),  # an instrumental
        ({"copy_of": None, "members": 8}, [("content.several-mixes", ASK)]),
    ],
)
def test_copies_and_instrumentals_are_no_other_mixes(second: dict, expected: list) -> None:
    members = tuple(t.path for t in others(8))
    mixes = (
        MixOf(path=FILE, members=members, files=8),
        MixOf(path=COPIED, members=members[: second["members"]], files=8, copy_of=second["copy_of"]),
    )
    found = assessed([track(FILE), track(COPIED), *others(8)], Comparison(mixes=mixes)).findings
    named = [f for f in found if f.code in ("content.mix-copy", "content.several-mixes")]
    assert [(f.code, f.action) for f in named] == expected
    for finding in of("content.mix-copy", found):
        assert (finding.files, finding.evidence["partner"]) == ((COPIED,), FILE)
