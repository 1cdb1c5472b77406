"""Briefs on the shelf, what was told of a delivery, and the user's own words: kept, found again, never in the way."""

from __future__ import annotations

import json
from pathlib import Path

import jsonschema
import pytest

from deep_tally.model.brief import DEFAULT_BRIEF, Brief, brief_schema, with_value
from deep_tally.model.errors import BriefRefused, CannotWrite, WordRefused
from deep_tally.names.parse import parse
from deep_tally.session.brief_library import BriefLibrary, named_brief, part_lists, shipped_briefs
from deep_tally.session.words import add_word, own_words, vocabulary_at_hand, words_path


def test_the_shipped_briefs_are_named_by_their_use_and_fulfil_the_schema() -> None:
    briefs = shipped_briefs()
    assert [b.scope for b in briefs] == ["every-track", "every-track", "groups", "mix", "every-track"]
    assert len({b.name for b in briefs}) == len(briefs) == 5
    for brief in briefs:
        jsonschema.validate(json.loads(brief.to_json()), brief_schema())
    archive = briefs[-1]
    assert archive.needs.stamps
    assert "AESTD1002" in archive.to_json()  # an unknown key is kept


def test_a_brief_is_saved_found_replaced_and_taken_away() -> None:
    library = BriefLibrary()
    mine = with_value(DEFAULT_BRIEF, "name", "Mine / yours")
    path = library.save(mine)
    assert library.find("Mine / yours") == mine
    assert "Mine / yours" in library.names()
    assert library.save(with_value(mine, "bits_min", 16)) == path
    assert BriefLibrary().find("Mine / yours").bits_min == 16
    library.delete("Mine / yours")
    with pytest.raises(BriefRefused, match="there is no brief of this name"):
        library.find("Mine / yours")


def test_two_names_that_make_one_file_name_are_two_briefs() -> None:
    library = BriefLibrary()
    for name in ("A+B", "A-B"):
        library.save(with_value(DEFAULT_BRIEF, "name", name))
    assert {"A+B", "A-B"} <= set(library.names())


def test_ones_own_brief_stands_for_a_shipped_one_until_it_is_taken_away() -> None:
    library = BriefLibrary()
    shipped = library.find("Strict archive")
    library.save(with_value(shipped, "bits_min", 16))
    assert library.find("Strict archive").bits_min == 16
    library.delete("Strict archive")
    assert library.find("strict ARCHIVE") == shipped
    library.delete("Strict archive")  # a shipped one stays


def test_the_default_is_picked_and_survives_its_loss() -> None:
    library = BriefLibrary()
    assert library.default == DEFAULT_BRIEF == library.find("Multitrack mix")
    library.save(with_value(DEFAULT_BRIEF, "name", "Mine"))
    library.pick_default("Mine")
    assert BriefLibrary().default.name == "Mine"
    library.delete("Mine")
    assert BriefLibrary().default == DEFAULT_BRIEF
    with pytest.raises(BriefRefused):
        library.pick_default("No such")


def test_a_broken_or_newer_brief_is_reported_and_left_where_it_is(own_home: Path) -> None:
    folder = own_home / "data" / "deep-tally" / "briefs"
    folder.mkdir(parents=True)
    (folder / "newer.json").write_text('{"schema": 2, "name": "From tomorrow"}')
    (folder / "broken.json").write_text("{")
    library = BriefLibrary()
    assert len(library.names()) == 5
    assert len(library.troubles) == 2
    assert "newer than this program's 1; update Deep Tally." in library.troubles[1]
    assert (folder / "broken.json").read_text() == "{"


def test_changes_that_were_not_saved_are_kept_until_they_are_put_away() -> None:
    changed = with_value(DEFAULT_BRIEF, "bits_min", 16)
    library = BriefLibrary()
    assert library.unsaved is None
    library.keep_unsaved(changed)
    assert BriefLibrary().unsaved == changed
    assert len(BriefLibrary().names()) == 5
    library.keep_unsaved(None)
    assert BriefLibrary().unsaved is None


def test_a_shelf_that_cannot_be_written_says_so_in_every_way(tmp_path: Path) -> None:
    (tmp_path / "data").write_text("a file where the folder should be")
    library = BriefLibrary(tmp_path / "data" / "briefs")
    for write in (
        lambda: library.save(DEFAULT_BRIEF),
        lambda: library.pick_default("Strict archive"),
        lambda: library.keep_unsaved(DEFAULT_BRIEF),
    ):
        with pytest.raises(CannotWrite, match="it cannot be made"):
            write()
    assert library.default == DEFAULT_BRIEF
    library.keep_unsaved(None)


def test_unsaved_changes_of_a_newer_version_are_left_to_it(tmp_path: Path) -> None:
    (tmp_path / "unsaved.brief").write_text('{"schema": 2}')
    library = BriefLibrary(tmp_path)
    assert library.unsaved is None
    library.keep_unsaved(None)
    assert (tmp_path / "unsaved.brief").read_text() == '{"schema": 2}'


def test_the_command_line_means_a_file_or_a_name(tmp_path: Path) -> None:
    path = tmp_path / "b.json"
    path.write_text('{"schema": 1, "name": "In a file"}')
    assert named_brief(str(path)).name == "In a file"
    assert named_brief("submix groups only").scope == "groups"
    with pytest.raises(BriefRefused, match="cannot be read"):
        named_brief(str(tmp_path / "none.json"))


def test_example_lists_hold_parts_with_their_own_wishes() -> None:
    lists = dict(part_lists())
    assert len(lists) >= 4
    voice = next(p for p in lists["Band"] if p.part == "lead voice")
    assert voice.variants == ("dry", "wet")
    assert voice.printed is not None
    assert voice.printed.insert_processing == "out"


# -- words of one's own --------------------------------------------------------------------


def test_words_of_ones_own_are_kept_and_understood() -> None:
    add_word("lead voice", "ldx")
    add_word("lead voice", "gsg")
    assert own_words() == {"lead voice": ("ldx", "gsg")}
    vocabulary, trouble = vocabulary_at_hand()
    assert trouble == ""
    assert parse("LDX 2", vocabulary).part == "lead voice"
    with pytest.raises(WordRefused, match="stands for lead voice already"):
        add_word("organ", "ldx")
    assert own_words() == {"lead voice": ("ldx", "gsg")}


def test_a_word_that_a_later_version_knows_otherwise_is_reported_and_the_rest_works(own_home: Path) -> None:
    path = own_home / "data" / "deep-tally" / "words.json"
    path.parent.mkdir(parents=True)
    path.write_text(json.dumps({"schema": 1, "parts": {"organ": ["piano"]}}))
    vocabulary, trouble = vocabulary_at_hand()
    assert "stands for piano already, not for organ" in trouble
    assert parse("Piano", vocabulary).part == "piano"


def test_a_changed_line_is_checked_like_a_file() -> None:
    assert with_value(DEFAULT_BRIEF, "length.whole_bars", True).length.whole_bars
    raised = with_value(DEFAULT_BRIEF, "thresholds.headroom.tolerance_db", 2.0)
    assert raised.threshold("headroom.tolerance_db") == 2.0
    assert with_value(raised, "thresholds.headroom.tolerance_db", None) == DEFAULT_BRIEF
    for key, value in (("bits_min", 3), ("peak_window_dbfs", [0.0, -6.0]), ("thresholds.nothing", 1.0)):
        with pytest.raises(BriefRefused, match=key.partition(".")[0]):
            with_value(DEFAULT_BRIEF, key, value)


def test_the_published_schema_is_the_programs() -> None:
    published = json.loads((Path(__file__).parents[2] / "docs" / "brief.schema.json").read_text("utf-8"))
    assert published == json.loads(json.dumps(brief_schema()))
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate({"schema": 1, "bits_min": "many"}, published)
    jsonschema.validate(json.loads(Brief.model_validate({"schema": 1}).to_json()), published)


@pytest.mark.parametrize(
    ("text", "where"),
    [
        ('{"schema": 1, "parts": {"lead voice": ["ldx"],}}', "line 1, column 4"),
        ("", "line 1, column 1 is not JSON"),
        ("[]", "lists no words for parts"),
        ('{"parts": {"lead voice": 3}}', "lists no words for parts"),
        ("[" * 9999, "lists no words for parts"),
    ],
)
def test_a_slip_in_the_file_of_words_is_said_with_its_place_and_nothing_is_written_over(text: str, where: str) -> None:
    words_path().parent.mkdir(parents=True, exist_ok=True)
    words_path().write_text(text, "utf-8")
    _, trouble = vocabulary_at_hand()
    assert where in trouble
    assert str(words_path()) in trouble
    with pytest.raises(WordRefused, match=where):
        add_word("lead voice", "gsg")
    assert words_path().read_text("utf-8") == text
