"""State files that a crash, a full disk or a text editor left in any shape: never a traceback, never the end."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from deep_tally.check.assess import assess
from deep_tally.intake.walk import take_in
from deep_tally.model.brief import DEFAULT_BRIEF, parse_brief
from deep_tally.model.errors import BriefRefused
from deep_tally.session.brief_library import BriefLibrary
from deep_tally.session.corrections import recall
from deep_tally.session.words import vocabulary_at_hand, words_path
from searching import examples
from sounds import wav_bytes

LONG = "9" * 400
ENDLESS = "9" * 5000  # more digits than Python makes a number of
DEEP = "[" * 100_000
SOURCE = Path("/deliveries/song")

_NUMBERS = ("1e999", "-1e999", "NaN", LONG, ENDLESS, "1e308", "null", '"96"', "[]", "true")
_WHOLE = ("", "{", DEEP, "null", "[]", '"', "\0\0\0", ENDLESS, "1e999", '{"schema": 1e999}', f'{{"schema": {ENDLESS}}}')


def write(path: Path, text: str | bytes) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(text if isinstance(text, bytes) else text.encode())


@pytest.mark.parametrize("number", _NUMBERS)
@pytest.mark.parametrize(
    "key", ["tempos", "places", "parts", "names", "pattern", "order", "in_reply", "roles", "songs"]
)
def test_a_correction_that_makes_no_sense_ends_nothing(number: str, key: str) -> None:
    value = number if key in ("pattern", "order", "in_reply") else f'{{"Song": {number}}}'
    write(recall(SOURCE, {}).record, f'{{"schema": 1, "source": "{SOURCE}", "{key}": {value}}}')
    said = recall(SOURCE, {}).corrections
    assert all(20 <= bpm <= 400 for bpm in said.tempos.values())
    assert all(abs(frames) < 2**53 for frames in said.places.values())


@pytest.mark.parametrize("text", _WHOLE)
def test_a_damaged_file_of_corrections_words_or_briefs_ends_nothing(own_home: Path, text: str) -> None:
    write(recall(SOURCE, {}).record, text)
    write(words_path(), text)
    briefs = own_home / "data" / "deep-tally" / "briefs"
    for name in ("one.json", "unsaved.brief", "default.txt"):
        write(briefs / name, text)
    recall(SOURCE, {})
    vocabulary_at_hand()
    library = BriefLibrary()
    assert library.default == DEFAULT_BRIEF
    assert library.unsaved is None
    assert len(library.names()) == 5
    assert len(library.troubles) == 1


@pytest.mark.parametrize("number", [n for n in _NUMBERS if n not in ("null",)])
@pytest.mark.parametrize(
    "key",
    ["tempo_bpm", "thresholds.clipping.baked.run", "thresholds.headroom.normalised_files", "length.tail_seconds"],
)
def test_a_number_in_a_brief_is_refused_or_can_be_used(tmp_path: Path, number: str, key: str) -> None:
    first, _, rest = key.partition(".")
    text = f'{{"schema": 1, "{first}": {{"{rest}": {number}}}}}' if rest else f'{{"schema": 1, "{first}": {number}}}'
    try:
        brief = parse_brief(text, subject="b.json")
    except BriefRefused:
        return
    (tmp_path / "Kick.wav").write_bytes(wav_bytes())
    assess(take_in([tmp_path]), (), brief)
    json.loads(brief.to_json())


_KEYS = ("schema", "name", "scope", "rates", "bits_min", "tempo_bpm", "meter", "length", "needs", "names", "parts")
_VALUES = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=8),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=6), inner, max_size=3),
    max_leaves=6,
)


@settings(max_examples=examples(150), suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.dictionaries(st.sampled_from((*_KEYS, "thresholds", "printed", "peak_window_dbfs")), _VALUES, max_size=4))
def test_any_document_is_a_brief_or_refused(document: dict[str, object]) -> None:
    text = json.dumps({"schema": 1} | document)
    try:
        brief = parse_brief(text, subject="b.json")
    except BriefRefused:
        return
    assert parse_brief(brief.to_json(), subject="again") == brief


@settings(max_examples=examples(60), deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.binary(max_size=200))
def test_any_bytes_where_state_is_kept_end_nothing(raw: bytes) -> None:
    write(recall(SOURCE, {}).record, raw)
    write(words_path(), raw)
    recall(SOURCE, {})
    vocabulary_at_hand()
