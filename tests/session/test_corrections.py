"""What the user said of a delivery: kept with it, read value by value, never written over unread."""

from __future__ import annotations

import json
import math
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from deep_tally.intake.corrected import with_corrections
from deep_tally.intake.fingerprint import fingerprint, fingerprints
from deep_tally.model.corrections import NO_CORRECTIONS, Corrections
from deep_tally.model.errors import CannotWrite
from deep_tally.model.files import Entry, Intake, Role
from deep_tally.session.corrections import home, keep, recall

HERE = Path("/music/Lantern")
FILES = {"01 Drum.wav": "aa", "02 Bass.wav": "bb", "Mix.wav": "cc"}
SAID = Corrections(
    roles={"01 Drum.wav": Role.GROUP},
    songs={"02 Bass.wav": "Second"},
    rough_mixes=("Mix.wav",),
    parts={"01 Drum.wav": ("kick drum", "snare drum"), "02 Bass.wav": ()},
    places={"02 Bass.wav": -480},
    levels={"02 Bass.wav": (0.5, -0.25)},
    tempos={"Lantern": 97.5},
    names={"01 Drum.wav": "Twang\udcff"},
    pattern="{part}",
    order="family",
    in_reply=True,
)


@pytest.fixture(autouse=True)
def data_home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    return tmp_path


def say(corrections: Corrections, source: Path = HERE, files: dict[str, str] = FILES) -> Path:
    record = recall(source, files).record
    keep(record, source, files, corrections)
    return record


def change(record: Path, **values: Any) -> None:
    record.write_text(json.dumps({**json.loads(record.read_text("utf-8")), **values}), "utf-8")


# -- found again ------------------------------------------------------------------------------


def test_all_that_was_said_is_there_again() -> None:
    say(SAID)
    assert recall(HERE, FILES).corrections == SAID
    assert recall(HERE, FILES).trouble == ""


def test_a_delivery_of_which_nothing_was_said_leaves_no_record() -> None:
    record = say(NO_CORRECTIONS)
    assert not record.exists()
    say(SAID)
    say(NO_CORRECTIONS)
    assert recall(HERE, FILES).corrections == NO_CORRECTIONS


def test_a_moved_delivery_keeps_what_was_said_of_it() -> None:
    say(SAID)
    assert recall(Path("/elsewhere/Lantern copy"), FILES).corrections == SAID


def test_what_is_said_after_a_move_goes_into_the_same_record() -> None:
    first = say(SAID)
    moved = Path("/elsewhere")
    assert say(replace(SAID, pattern=None), moved) == first
    assert recall(HERE, FILES).corrections.pattern is None
    assert len(list(home().iterdir())) == 1


def test_a_renamed_file_keeps_what_was_said_of_it() -> None:
    say(SAID)
    said = recall(HERE, {"drums/1.wav": "aa", "02 Bass.wav": "bb", "x/Mix.wav": "cc"}).corrections
    assert said.roles == {"drums/1.wav": Role.GROUP}
    assert said.parts == {"drums/1.wav": ("kick drum", "snare drum"), "02 Bass.wav": ()}
    assert said.names == {"drums/1.wav": "Twang\udcff"}
    assert said.rough_mixes == ("x/Mix.wav",)
    assert (said.songs, said.places) == (SAID.songs, SAID.places)


def test_files_sent_again_under_their_names_at_their_place_keep_it_elsewhere_they_do_not() -> None:
    say(SAID)
    again = dict.fromkeys(FILES, "other content")
    assert recall(HERE, again).corrections == SAID
    assert recall(Path("/music/Another client"), again).corrections == NO_CORRECTIONS


def test_another_delivery_at_the_same_place_starts_afresh_and_each_keeps_its_own() -> None:
    first = say(SAID)
    other = {"Kick.wav": "dd", "Snare.wav": "ee", "Keys.wav": "ff", "Mix.wav": "gg"}
    assert recall(HERE, other).corrections == NO_CORRECTIONS
    second = say(replace(NO_CORRECTIONS, tempos={"Lantern": 140.0}), files=other)
    assert first != second
    assert recall(HERE, other).corrections.tempos == {"Lantern": 140.0}
    assert recall(HERE, FILES).corrections == SAID


@pytest.mark.parametrize(("here", "is_it"), [(2, True), (1, False)])
def test_half_of_the_files_make_it_the_same_delivery(here: int, is_it: bool) -> None:
    files = {f"{n}.wav": f"{n:02x}" for n in range(4)}
    say(SAID, files=files)
    some = dict(list(files.items())[:here]) | {"new.wav": "zz"}
    assert (recall(Path("/elsewhere"), some).corrections == SAID) is is_it


def test_of_two_records_that_could_be_meant_the_one_of_this_place_counts() -> None:
    keep(home() / "a.json", Path("/copy"), FILES, replace(SAID, pattern="{old}"))
    keep(home() / "b.json", HERE, FILES, SAID)
    assert recall(HERE, FILES).corrections.pattern == "{part}"
    assert recall(Path("/copy"), FILES).corrections.pattern == "{old}"


# -- damaged, older, newer --------------------------------------------------------------------


def test_a_record_of_the_first_schema_is_still_understood_at_its_place() -> None:
    record = say(SAID)
    old = {"schema": 1, "source": str(HERE), "parts": {"01 Drum.wav": ["kick drum"]}, "places": {"02 Bass.wav": 9}}
    record.write_text(json.dumps(old), "utf-8")
    said = recall(HERE, FILES).corrections
    assert said == Corrections(parts={"01 Drum.wav": ("kick drum",)}, places={"02 Bass.wav": 9})
    assert recall(Path("/elsewhere"), FILES).corrections == NO_CORRECTIONS


@pytest.mark.parametrize(
    ("name", "value"),
    [
        ("roles", {"01 Drum.wav": "conductor"}),
        ("songs", {"02 Bass.wav": 7}),
        ("rough_mixes", [1]),
        ("parts", {"01 Drum.wav": "kick drum"}),
        ("places", {"02 Bass.wav": 2**60}),
        ("places", {"02 Bass.wav": 1.5}),
        ("places", {"02 Bass.wav": True}),
        ("places", []),
        ("levels", {"02 Bass.wav": [0.5]}),
        ("levels", {"02 Bass.wav": [0.5, float("nan")]}),
        ("levels", {"02 Bass.wav": [0.5, 1e5]}),
        ("levels", {"02 Bass.wav": ["0.5", 1.0]}),
        ("tempos", {"Lantern": 1e9}),
        ("tempos", {"Lantern": "97"}),
        ("tempos", {"Lantern": math.nan}),
        ("names", {"01 Drum.wav": None}),
        ("pattern", 3),
        ("order", "size"),
        ("in_reply", "yes"),
    ],
)
def test_one_bad_value_costs_that_value_alone_and_is_said(name: str, value: object) -> None:
    record = say(SAID)
    change(record, **{name: value})
    recalled = recall(HERE, FILES)
    assert recalled.corrections == replace(SAID, **{name: getattr(NO_CORRECTIONS, name)})
    assert name in recalled.trouble


def test_a_number_of_thousands_of_digits_costs_itself_alone() -> None:
    record = say(SAID)
    record.write_text(record.read_text("utf-8").replace("-480", "9" * 5000), "utf-8")
    assert recall(HERE, FILES).corrections == replace(SAID, places={})


@pytest.mark.parametrize("content", ["{", "[]", "null", '{"schema": true}', '{"schema": 0}', "[" * 100_000, "\x00"])
def test_a_damaged_record_is_said_kept_and_not_written_over(content: str) -> None:
    record = say(SAID)
    record.write_text(content, "utf-8")
    recalled = recall(HERE, FILES)
    assert recalled.corrections == NO_CORRECTIONS
    assert "damaged" in recalled.trouble
    assert str(record) in recalled.trouble
    keep(recalled.record, HERE, FILES, SAID)
    assert recall(HERE, FILES).corrections == SAID
    assert record.with_suffix(".kept-1").read_text("utf-8") == content


def test_a_newer_record_is_said_and_kept_beside() -> None:
    record = say(SAID)
    change(record, schema=3)
    newer = record.read_bytes()
    recalled = recall(HERE, FILES)
    assert recalled.corrections == NO_CORRECTIONS
    assert "newer version" in recalled.trouble
    keep(recalled.record, HERE, FILES, replace(SAID, pattern="{old}"))
    assert newer in [path.read_bytes() for path in home().iterdir()]
    assert recall(HERE, FILES).corrections.pattern == "{old}"


def test_a_record_with_bad_values_is_kept_beside_before_it_is_written_and_so_is_the_next() -> None:
    record = say(SAID)
    for number in (1, 2):
        change(record, pattern=number)
        keep(record, HERE, FILES, SAID)
        assert json.loads(record.with_suffix(f".kept-{number}").read_text("utf-8"))["pattern"] == number
    assert json.loads(record.read_text("utf-8"))["pattern"] == "{part}"


def test_a_folder_that_cannot_be_made_is_one_sentence(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "file").write_text("")
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "file"))
    record = recall(HERE, FILES).record
    with pytest.raises(CannotWrite):
        keep(record, HERE, FILES, SAID)


# -- fingerprints -----------------------------------------------------------------------------


def test_a_fingerprint_is_of_the_content_and_not_of_the_place(tmp_path: Path) -> None:
    content = bytes(range(256)) * 4096
    (tmp_path / "a").write_bytes(content)
    (tmp_path / "b").write_bytes(content)
    assert fingerprint(tmp_path / "a") == fingerprint(tmp_path / "b")
    for at in (0, len(content) // 2, len(content) - 1):
        changed = bytearray(content)
        changed[at] ^= 1
        (tmp_path / "b").write_bytes(changed)
        assert fingerprint(tmp_path / "a") != fingerprint(tmp_path / "b"), at
    (tmp_path / "b").write_bytes(content + content[:100])
    assert fingerprint(tmp_path / "a") != fingerprint(tmp_path / "b")
    assert fingerprint(tmp_path / "none") is None
    entries = [Entry(path=n, source=tmp_path / n, role=Role.TRACKOUT, bytes=1) for n in ("a", "none")]
    assert list(fingerprints(entries)) == ["a"]


# -- laid over what was found -----------------------------------------------------------------


def entry(path: str, role: Role = Role.TRACKOUT, song: str = "One") -> Entry:
    return Entry(path=path, source=HERE / path, role=role, bytes=1, song=song)


FOUND = Intake(
    source=HERE,
    name="Lantern",
    entries=(
        entry("1.wav"),
        entry("2.wav"),
        entry("Mix.wav", Role.ROUGH_MIX),
        entry("Note.txt", Role.DOCUMENT, ""),
        entry("3.wav", song="Two"),
    ),
)


def sorted_by(**said: Any) -> dict[str, tuple[Role, str]]:
    return {e.path: (e.role, e.song) for e in with_corrections(FOUND, Corrections(**said)).entries}


def test_roles_and_songs_are_as_they_were_said_and_the_rest_as_found() -> None:
    assert with_corrections(FOUND, NO_CORRECTIONS) is FOUND
    now = sorted_by(roles={"1.wav": Role.GROUP, "gone.wav": Role.CLICK}, songs={"2.wav": "Two"})
    as_found = {e.path: (e.role, e.song) for e in FOUND.entries}
    assert now == as_found | {"1.wav": (Role.GROUP, "One"), "2.wav": (Role.TRACKOUT, "Two")}


def test_what_only_looks_like_the_rough_mix_is_a_reference_in_its_song_alone() -> None:
    now = sorted_by(rough_mixes=("2.wav", "3.wav"))
    assert [now[p][0] for p in ("2.wav", "Mix.wav", "3.wav")] == [Role.ROUGH_MIX, Role.REFERENCE, Role.ROUGH_MIX]
    assert sorted_by(rough_mixes=("3.wav",))["Mix.wav"][0] is Role.ROUGH_MIX


def test_a_note_said_to_be_sound_joins_the_first_song() -> None:
    assert sorted_by(roles={"Note.txt": Role.TRACKOUT})["Note.txt"] == (Role.TRACKOUT, "One")
    assert sorted_by(roles={"1.wav": Role.GROUP})["Note.txt"] == (Role.DOCUMENT, "")


def test_a_delivery_cannot_be_said_to_hold_no_sound() -> None:
    nothing = {e.path: Role.DOCUMENT for e in FOUND.entries}
    assert with_corrections(FOUND, Corrections(roles=nothing)).entries == FOUND.entries


def test_saying_one_thing_takes_back_the_other() -> None:
    said = NO_CORRECTIONS.with_rough_mix("a", instead_of=()).with_rough_mix("b", instead_of=("a",))
    assert said.rough_mixes == ("b",)
    said = said.with_role(["b", "c"], Role.TRACKOUT)
    assert (said.rough_mixes, said.roles) == ((), {"b": Role.TRACKOUT, "c": Role.TRACKOUT})
    assert said.with_rough_mix("b", instead_of=()).roles == {"c": Role.TRACKOUT}
