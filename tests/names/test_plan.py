"""The rename plan: patterns, clashes, and names every system can store."""

from __future__ import annotations

import csv
import io
import string
import unicodedata

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deep_tally.model.delivery import SongFacts
from deep_tally.model.errors import PatternRefused
from deep_tally.model.naming import FIELDS, require_pattern
from deep_tally.names.pattern import BYTES_MOST, REFUSED_NAMES, fill, matching, storable
from deep_tally.names.plan import DEFAULT_PATTERN, Renamed, make_plan, numbered_apart, to_csv
from deep_tally.names.read import read_names

FACTS = SongFacts(title="Tidewrack", artist="Mira Fell", tempo_bpm=96.0, key="D minor")


def plan(files: list[str], facts: SongFacts = FACTS, **options: object) -> tuple[Renamed, ...]:
    return make_plan(files, read_names(files, facts), facts, **options)  # type: ignore[arg-type]


def new_names(files: list[str], **options: object) -> list[str]:
    return [r.new for r in plan(files, **options)]


def test_abbreviations_are_written_out_and_words_of_ones_own_stay() -> None:
    files = ["3 LdVox dbl.WAV", "1 Kik In.wav", "10 Gtr L.wav", "2 Rain stick.flac", "11 Singers.wav", "12 Qanun.wav"]
    assert new_names(files) == [
        "01 Kick In.wav",
        "02 Rain stick.flac",
        "03 Lead voice double.wav",
        "10 Guitar L.wav",
        "11 Singers.wav",
        "12 Qanun.wav",
    ]


@pytest.mark.parametrize(
    ("written", "new"),
    [
        ("Room", "Room"),
        ("Kick In", "Kick In"),
        ("Corner", "Corner"),
        ("Sub", "Sub"),
        ("808", "808"),
        ("Acoustic", "Acoustic"),
        ("Snare Top", "Snare Top"),
        ("Guitar 12", "Guitar 12"),
        ("Shaker 16ths", "Shaker 16ths"),
        ("Mic 2", "Mic 2"),
        ("Top", "Top"),
        ("Rm", "Room"),
        ("Perc", "Percussion"),
        ("HH", "Hi-hat"),
        ("BGV 4", "Backing voices 4"),
        ("leadgtr", "Lead guitar"),
    ],
)
def test_nothing_is_completed_beyond_what_the_client_wrote(written: str, new: str) -> None:
    assert new_names([f"{written}.wav"], pattern="{part} {index} {variant}") == [f"{new}.wav"]


def test_the_clients_numbers_stay_unless_one_is_missing_or_there_twice() -> None:
    assert new_names(["03 Kick.wav", "07 Bass.wav"]) == ["03 Kick.wav", "07 Bass.wav"]
    assert new_names(["03 Kick.wav", "Bass.wav"]) == ["01 Kick.wav", "02 Bass.wav"]
    assert new_names(["03 Kick.wav", "03 Bass.wav"]) == ["01 Bass.wav", "02 Kick.wav"]
    assert new_names(["07 Bass.wav", "03 Voice.wav"], order="family") == ["01 Bass.wav", "02 Voice.wav"]


def test_family_order_lays_the_mix_out() -> None:
    files = ["Vox.wav", "Gtr R.wav", "Gtr L.wav", "Kick.wav", "Bass.wav", "Pno.wav"]
    assert new_names(files, order="family") == [
        "01 Kick.wav",
        "02 Bass.wav",
        "03 Piano.wav",
        "04 Guitar L.wav",
        "05 Guitar R.wav",
        "06 Voice.wav",
    ]


def test_all_fields_can_stand_in_a_pattern() -> None:
    pattern = "_".join(f"{{{field}}}" for field in FIELDS)
    (name,) = new_names(["07 Gtr 2 DI L.wav"], pattern=pattern, longest=255)
    assert name == "07_Guitar_Gtr_2_DI_L_guitars_Tidewrack_Mira Fell_96 BPM_D minor_07 Gtr 2 DI L.wav"


@pytest.mark.parametrize(
    ("pattern", "match"),
    [
        ("", "it is empty"),
        ("   ", "it is empty"),
        ("{part", "is not closed"),
        ("part}", "has no { before it"),
        ("{part{number}}", "one field stands inside another"),  # a pattern in a circle
        ("{prat}", "no field called {prat}"),
        ("{}", "no field called {}"),
        ("{song} {tempo}", "all files would get one name"),
        ("take", "all files would get one name"),
    ],
)
def test_a_pattern_that_makes_no_names_is_refused(pattern: str, match: str) -> None:
    with pytest.raises(PatternRefused, match=match):
        require_pattern(pattern)


def test_empty_fields_leave_no_gaps() -> None:
    assert fill("{number} - {part} ({variant}) - {side}", {"number": "01", "part": "Kick"}) == "01 - Kick"
    assert fill("{part}_{side}_{index}", {"part": "Kick", "index": "2"}) == "Kick_2"


def test_equal_new_names_are_reported_and_can_be_numbered() -> None:
    files = ["a/Vox.wav", "b/vox.wav", "Kick.wav"]
    made = plan(files, pattern="{part}")
    wrong = {r.path: r for r in made if r.trouble}
    assert set(wrong) == {"a/Vox.wav", "b/vox.wav"}
    assert wrong["a/Vox.wav"].trouble == "clash"
    assert wrong["a/Vox.wav"].others == ("b/vox.wav",)
    mended = plan(files, pattern="{part}", own=numbered_apart(made))
    assert [r.new for r in mended] == ["Voice 1.wav", "Voice 2.wav", "Kick.wav"]
    assert not any(r.trouble for r in mended)


@pytest.mark.parametrize(("one", "other"), [("KICK", "kick"), ("Bässe", unicodedata.normalize("NFD", "Bässe"))])
def test_names_that_some_systems_take_for_one_clash(one: str, other: str) -> None:
    made = plan(["1.wav", "2.wav"], own={"1.wav": one, "2.wav": other})
    assert [r.trouble for r in made] == ["clash", "clash"]


def test_two_files_may_swap_their_names() -> None:
    made = plan(["A.wav", "B.wav"], own={"A.wav": "B", "B.wav": "A"})
    assert [(r.old, r.new, r.trouble) for r in made] == [("A.wav", "B.wav", ""), ("B.wav", "A.wav", "")]


def test_names_over_the_briefs_length_or_255_bytes_are_reported() -> None:
    """255 bytes: the limit of common Linux file systems (from memory)."""
    long = "ä" * 126  # two bytes each in UTF-8
    assert plan(["x.wav"], own={"x.wav": long}, longest=255)[0].trouble == "long"
    assert len(f"{long}.wav".encode()) == 256 > BYTES_MOST
    assert plan(["x.wav"], own={"x.wav": "ä" * 125}, longest=255)[0].trouble == ""
    assert plan(["x.wav"], own={"x.wav": "a" * 61}, longest=64)[0].trouble == "long"
    old = "k" * 251 + ".wav"
    assert plan([old])[0].trouble == "long"


@pytest.mark.parametrize("name", sorted(REFUSED_NAMES))
def test_reserved_names_get_a_mark(name: str) -> None:
    """Names Windows file systems reserve (published by their maker; from memory)."""
    assert storable(name.upper()).casefold() not in REFUSED_NAMES


POSIX_PORTABLE = set(string.ascii_letters + string.digits + "._-")
"""The portable filename character set of POSIX.1-2017, 3.282."""


@given(st.text(st.sampled_from(sorted(POSIX_PORTABLE)), min_size=1, max_size=40))
def test_portable_names_are_kept_as_they_are(name: str) -> None:
    kept = storable(name)
    assert kept == name.strip(".") or kept == name.strip(".") + "_"


@given(st.text(max_size=80))
def test_storable_names_hold_nothing_that_a_system_refuses(name: str) -> None:
    kept = storable(name)
    assert not set(kept) & set('<>:"/\\|?*\0')
    assert kept == kept.strip(" .")
    assert unicodedata.normalize("NFC", kept) == kept
    assert storable(kept) == kept


FILES = st.lists(
    st.text(st.characters(blacklist_characters="/", blacklist_categories=("Cs",)), min_size=1, max_size=30),
    min_size=1,
    max_size=12,
    unique=True,
)


@given(FILES, st.sampled_from([DEFAULT_PATTERN, "{part}", "{words} {side}", "{old}"]))
def test_a_plan_names_every_file_once_and_tells_every_clash(files: list[str], pattern: str) -> None:
    made = plan([f"{f}.wav" for f in files], pattern=pattern)
    assert sorted(r.path for r in made) == sorted(f"{f}.wav" for f in files)
    fine = [unicodedata.normalize("NFC", r.new).casefold() for r in made if not r.trouble]
    assert len(set(fine)) == len(fine)
    again = plan([f"{f}.wav" for f in files], pattern=pattern, own=numbered_apart(made))
    assert not any(r.trouble == "clash" for r in again)


def test_right_to_left_and_combining_names_go_through_unharmed() -> None:
    files = ["צליל 2.wav", "صوت.wav", unicodedata.normalize("NFD", "Göngchen.wav"), "🥁 Snare.wav"]
    made = {r.path: r for r in plan(files, pattern="{number} {part}")}
    assert not any(r.trouble for r in made.values())
    assert made["صوت.wav"].new.endswith("صوت.wav")
    assert "Göngchen" in made[files[2]].new


def test_the_plan_as_csv_can_be_read_again() -> None:
    files = ['a, "b".wav', "Kick.wav"]
    rows = list(csv.reader(io.StringIO(to_csv(plan(files)))))
    assert rows[0] == ["old", "new", "trouble"]
    assert {r[0] for r in rows[1:]} == set(files)


@pytest.mark.parametrize(
    ("pattern", "stem", "fits"),
    [
        (DEFAULT_PATTERN, "01 Lead voice", True),
        (DEFAULT_PATTERN, "01_Lead voice_dry_L", True),
        (DEFAULT_PATTERN, "Lead voice", False),
        ("{part} {side}", "Guitar", True),
        ("{number}-{part}", "7-Bass", True),
        ("{tempo} {part}", "96 BPM Bass", True),
    ],
)
def test_names_by_a_pattern_are_known_again(pattern: str, stem: str, fits: bool) -> None:
    assert bool(matching(pattern).fullmatch(stem)) is fits
