"""Names as engineers read them: invented ones with the parse a reader expects (names.tsv), and the rules behind it."""

from __future__ import annotations

import json
import sys
import unicodedata
from importlib import resources
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deep_tally.model.delivery import SongFacts
from deep_tally.model.errors import WordRefused
from deep_tally.model.names import FAMILIES, ParsedName
from deep_tally.names.parse import NO_CONTEXT, Context, parse
from deep_tally.names.prefix import shared_prefix
from deep_tally.names.read import read_names
from deep_tally.names.vocabulary import LANGUAGES, shipped

CORPUS = [
    line.split("\t")
    for line in Path(__file__).with_name("names.tsv").read_text("utf-8").splitlines()
    if line and not line.startswith("#")
]


def expected(text: str) -> dict[str, str]:
    """ "n=01 v=dry,double" as a mapping; values may hold blanks."""
    found: dict[str, str] = {}
    for word in text.split():
        key, equals, value = word.partition("=")
        if equals:
            found[key] = value
            last = key
        else:
            found[last] += f" {word}"
    return found


def read(name: str, context: Context = NO_CONTEXT) -> ParsedName:
    return parse(name, shipped(), context)


def told(parsed: ParsedName) -> dict[str, str]:
    """A parse in the notation of the corpus."""
    pairs = {
        "n": parsed.first("number"),
        "i": parsed.first("index"),
        "s": parsed.side,
        "v": ",".join(parsed.variants),
        "bpm": parsed.first("tempo"),
        "key": parsed.first("key"),
        "fam": "groups" if parsed.family == "groups" else "",
        "also": ",".join(parsed.parts[1:]),
    }
    return {key: value for key, value in pairs.items() if value}


def test_the_corpus_is_large_and_each_name_stands_in_it_once() -> None:
    assert len(CORPUS) >= 300
    assert len({line[0] for line in CORPUS}) == len(CORPUS)


def test_parts_are_recognised(capsys: pytest.CaptureFixture[str]) -> None:
    right = wrong = missed = 0
    faults = []
    for name, part, *_ in CORPUS:
        wanted = None if part == "-" else part
        got = read(name).part
        right += got == wanted and got is not None
        wrong += got is not None and got != wanted
        missed += wanted is not None and got != wanted
        if got != wanted:
            faults.append(f"{name}: {got}, not {wanted}")
    precision, recall = right / (right + wrong), right / (right + missed)
    with capsys.disabled():
        told_at_once = f"parts of {len(CORPUS)} names: precision {precision:.3f}, recall {recall:.3f}"
        sys.stderr.write("\n  ".join(["", told_at_once, *faults, ""]))
    assert precision >= 0.98
    assert recall >= 0.97


@pytest.mark.parametrize(("name", "part", "rest"), [(n, p, r) for n, p, r in CORPUS])
def test_everything_else_in_a_name_is_understood(name: str, part: str, rest: str) -> None:
    parsed = read(name)
    if parsed.part != (None if part == "-" else part):
        pytest.skip("its part is counted as missed above")
    assert told(parsed) == expected(rest)


# -- in the light of the set ------------------------------------------------------------------


def kinds(parsed: ParsedName) -> list[tuple[str, str]]:
    return [(t.kind, parsed.stem[t.start : t.end]) for t in parsed.tokens]


def test_the_songs_and_the_artists_names_are_known_again() -> None:
    context = Context(title="Glass Harbour", artist="Mira Fell")
    parsed = read("Mira Fell - Glass Harbour - Lead Vox", context)
    assert kinds(parsed) == [("artist", "Mira Fell"), ("song", "Glass Harbour"), ("part", "Lead Vox")]
    assert read("GlassHarbour_Kick", Context(title="Glass Harbour")).part == "kick drum"


def test_a_title_that_is_a_part_is_no_title_where_nothing_else_is_said() -> None:
    assert read("Piano", Context(title="Piano")).part == "piano"
    assert read("Piano Strings", Context(title="Piano")).part == "strings"


def test_a_bare_number_is_the_tempo_where_it_equals_it() -> None:
    assert read("Loop 96", Context(tempo_bpm=96.0)).first("tempo") == "96"
    assert read("Loop 96").first("tempo") is None


def test_what_nearly_all_names_begin_with_is_the_song() -> None:
    stems = ["01_Tidewrack_Kick", "02_Tidewrack_Snare", "03_Tidewrack_Bass", "04_Tidewrack_Vox", "05_Harp"]
    assert shared_prefix(stems) == "tidewrack"
    parsed = read(stems[0], Context(prefix="tidewrack"))
    assert kinds(parsed) == [("number", "01"), ("song", "Tidewrack"), ("part", "Kick")]
    assert shared_prefix(["Drums Kick", "Drums Snare"]) == ""  # two are no set
    drums = read("Drums Kick", Context(prefix="drums"))
    assert drums.values("song") == ()


def test_names_of_a_set_are_read_together() -> None:
    facts = SongFacts(title="Tidewrack", tempo_bpm=120.0)
    names = read_names(["a/Tidewrack Kick 120.wav", "a/Tidewrack Vox L.wav"], facts)
    assert names["a/Tidewrack Kick 120.wav"].first("tempo") == "120"
    assert (names["a/Tidewrack Vox L.wav"].part, names["a/Tidewrack Vox L.wav"].side) == ("voice", "left")


# -- what always holds ------------------------------------------------------------------------

NAMES = st.one_of(st.text(max_size=60), st.lists(st.sampled_from([n for n, *_ in CORPUS]), max_size=3).map(" ".join))


@given(NAMES)
def test_tokens_lie_in_order_inside_the_name_and_never_overlap(name: str) -> None:
    parsed = read(name)
    ends = 0
    for token in parsed.tokens:
        assert ends <= token.start < token.end <= len(name)
        ends = token.end
    assert parsed.family in FAMILIES
    assert (parsed.part is None) == (parsed.confidence == 0)
    assert parsed.part is None or parsed.part in parsed.parts


@pytest.mark.parametrize("name", [n for n, *_ in CORPUS])
def test_separate_accents_are_read_like_composed_ones(name: str) -> None:
    """Unicode normalisation forms after UAX #15, by Python's unicodedata."""
    composed, apart = (read(unicodedata.normalize(form, name)) for form in ("NFC", "NFD"))
    assert (apart.part, apart.side, apart.variants) == (composed.part, composed.side, composed.variants)


@pytest.mark.parametrize("language", LANGUAGES)
def test_every_part_of_the_data_is_understood_by_its_own_name(language: str) -> None:
    data = json.loads(resources.files("deep_tally.names").joinpath(f"words.{language}.json").read_text("utf-8"))
    assert set(data["parts"]) <= set(FAMILIES)
    for family, parts in data["parts"].items():
        for part in parts:
            parsed = read(part)
            assert (parsed.part, parsed.family) == (part, family if language == "en" else parsed.family)


# -- the user's own words ---------------------------------------------------------------------


def test_the_users_words_are_understood_too() -> None:
    own = shipped().with_words({"lead voice": ["ldx"], "theremin": ["thermn", "ghost saw"]})
    assert parse("01 LDX dry", own).part == "lead voice"
    assert (parse("Ghost_Saw 2", own).part, parse("Ghost_Saw 2", own).family) == ("theremin", "other")
    assert read("01 LDX dry").part is None


@pytest.mark.parametrize(
    ("words", "match"),
    [
        ({"organ": ["pno"]}, "it stands for piano already, not for organ"),
        ({"organ": ["xyl"], "piano": ["XYL"]}, "it stands for organ already, not for piano"),
        ({"organ": ["..."]}, "it holds no word"),
        ({"organ": ["a b c d e"]}, "it has 5 words"),
    ],
)
def test_a_word_that_fits_two_parts_or_none_is_refused(words: dict[str, list[str]], match: str) -> None:
    with pytest.raises(WordRefused, match=match):
        shipped().with_words(words)


@pytest.mark.parametrize(("stem", "part"), [("Corner", None), ("Violn", "violin"), ("Guitra", "guitar")])
def test_another_last_letter_makes_another_word(stem: str, part: str | None) -> None:
    assert parse(stem, shipped()).part == part
