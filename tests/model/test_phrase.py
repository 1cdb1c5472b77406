"""Words as data: what is kept of them, how figures are put, and that the catalogue is used."""

from __future__ import annotations

import ast
import copy
import pickle
from pathlib import Path
from string import Formatter

import pytest

import deep_tally
from deep_tally.model.english import WORDS
from deep_tally.model.phrase import Phrase


def test_a_phrase_is_its_words_and_keeps_what_they_are_made_of() -> None:
    said = Phrase("sound.stops-early", there_s=59.96, claimed_s=125.0)
    assert said == "it stops at 0:59.9 of the 2:05.0 its header claims"
    assert (said.key, dict(said.params)) == ("sound.stops-early", {"there_s": 59.96, "claimed_s": 125.0})
    for again in (pickle.loads(pickle.dumps(said)), copy.deepcopy(said)):
        assert isinstance(again, Phrase)
        assert (again, again.key, dict(again.params)) == (said, said.key, dict(said.params))


@pytest.mark.parametrize(
    ("said", "words"),
    [
        (Phrase("header.size", claimed=12, there=4_100_000), "its header claims 12 bytes, the file has 4.1 MB"),
        (Phrase("header.begins-late", bytes=9_999), "9999 bytes of something else stand before its header"),
        (Phrase("header.begins-late", bytes=10_000), "0.0 MB of something else stand before its header"),
        (
            Phrase("header.frame-bytes", claimed=3, channels=1, bits=16, there=2),
            "its header claims 3 bytes a frame, 1 channel of 16 bits take 2",
        ),
        (
            Phrase("header.frame-bytes", claimed=3, channels=2, bits=16, there=4),
            "its header claims 3 bytes a frame, 2 channels of 16 bits take 4",
        ),
        (
            Phrase("sound.damaged", places=3, first_s=61.9),
            "its stream is damaged in 3 places, first at about 1:01; it is measured up to there",
        ),
        (Phrase("part.any", part="bass", forms=("DI", "amp")), "bass (DI or amp)"),
        (Phrase("part.all", part="bass", forms=("DI", "amp")), "bass (DI and amp)"),
        (Phrase("clauses", parts=("one", "two")), "one; two"),
        (Phrase("pattern.unknown", field="oops"), "it has no field called {oops}"),
        (Phrase("brief.start-from"), 'start from {"schema": 1}'),
        (
            Phrase("here.disk-space", needed=12_345_600_000, free=1_000_000),
            "decoding it takes 12,346 MB of disk space, and 1 MB are free",
        ),
    ],
)
def test_figures_are_put_as_a_reader_expects_them(said: Phrase, words: str) -> None:
    assert said == words


def test_a_phrase_within_a_phrase_is_kept_whole() -> None:
    said = Phrase("stated.tempo", bpm=96.0, source=Phrase("source.folder"))
    assert said == "96 BPM in the folder's name"
    assert said.params["source"].key == "source.folder"


def test_an_unknown_key_or_a_missing_name_is_no_phrase() -> None:
    with pytest.raises(KeyError):
        Phrase("no.such-key")
    with pytest.raises(KeyError):
        Phrase("stated.tempo", bpm=96.0)


def _said_in_the_source() -> dict[str, list[set[str] | None]]:
    """Each key that a phrase is made of, with the names it is given; None where the key is worked out."""
    found: dict[str, list[set[str] | None]] = {}
    for path in Path(deep_tally.__file__).parent.rglob("*.py"):
        tree = ast.parse(path.read_text("utf-8"))
        for node in ast.walk(tree):
            if isinstance(node, ast.Call) and ast.unparse(node.func) == "Phrase":
                names = {k.arg for k in node.keywords if k.arg is not None}
                if isinstance(node.args[0], ast.Constant):
                    found.setdefault(node.args[0].value, []).append(names)
            elif isinstance(node, ast.Constant) and isinstance(node.value, str) and node.value in WORDS:
                found.setdefault(node.value, [])
    return found


def test_every_phrase_has_words_and_all_words_are_said() -> None:
    said = _said_in_the_source()
    assert len(said) > 100
    worked_out = {key for key in WORDS if key.startswith("role.") or key.endswith(".short")}
    assert set(said) - WORDS.keys() == set()
    assert WORDS.keys() - said.keys() - worked_out == set()
    for key, calls in said.items():
        needed = {name for _, name, _, _ in Formatter().parse(WORDS[key]) if name}
        assert all(names is None or needed <= names for names in calls), key


def test_words_are_clauses_without_a_full_stop_and_remedies_say_what_to_do() -> None:
    for key, words in WORDS.items():
        assert words == words.strip()
        assert words.endswith(".") is key.startswith(("play.", "corrections.", "sentence")), key
        assert "  " not in words
