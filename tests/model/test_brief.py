"""The brief: defaults, refusals with the key's path, and nothing lost on the way through."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from deep_tally.model.brief import DEFAULT_BRIEF, parse_brief, read_brief
from deep_tally.model.errors import BriefRefused
from deep_tally.model.thresholds import THRESHOLDS


def test_only_the_schema_is_needed_and_the_rest_has_the_default() -> None:
    assert parse_brief('{"schema": 1}', subject="b") == DEFAULT_BRIEF
    assert (DEFAULT_BRIEF.bits_min, DEFAULT_BRIEF.peak_window_dbfs, DEFAULT_BRIEF.rates) == (24, (-30.0, -6.0), None)


@pytest.mark.parametrize(
    ("text", "path"),
    [
        ("{}", "schema: "),
        ('{"schema": "1"}', "schema: "),
        ('{"schema": 1, "rates": [48000, 47000]}', "rates.1: unknown rate 47000 Hz"),
        ('{"schema": 1, "rates": [48000.5]}', "rates.0: "),
        ('{"schema": 1, "rates": []}', "rates: "),
        ('{"schema": 1, "bits_min": 17}', "bits_min: "),
        ('{"schema": 1, "bits_min": "24"}', "bits_min: "),
        ('{"schema": 1, "peak_window_dbfs": [-6, -30]}', "peak_window_dbfs: the lower bound must be under"),
        ('{"schema": 1, "peak_window_dbfs": [-6]}', "peak_window_dbfs.1: "),
        ('{"schema": 1, "needs": {"tempo": "yes"}}', "needs.tempo: "),
        ('{"schema": 1, "length": {"tail_seconds": -1}}', "length.tail_seconds: "),
        ('{"schema": 1, "levels": "loud"}', "levels: "),
        (
            '{"schema": 1, "thresholds": {"clipping.backed.run": 3}}',
            "thresholds: unknown threshold 'clipping.backed.run'",
        ),
        ('{"schema": 1, "thresholds": {"clipping.baked.run": "3"}}', "thresholds.clipping.baked.run: "),
        ('{"schema": 1, "parts": [{"channels": 1}]}', "parts.0.part: "),
    ],
)
def test_a_wrong_value_is_refused_with_its_path(text: str, path: str) -> None:
    with pytest.raises(BriefRefused) as refused:
        parse_brief(text, subject="my.json")
    assert str(refused.value).startswith("my.json: the brief is refused: ")
    assert path in str(refused.value)


def test_every_fault_is_reported_at_once() -> None:
    with pytest.raises(BriefRefused) as refused:
        parse_brief('{"schema": 1, "bits_min": 5, "stereo": "maybe"}', subject="b")
    assert "bits_min" in str(refused.value)
    assert "stereo" in str(refused.value)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("{", "no valid JSON at line 1"),
        ("[1]", "no JSON object"),
        ('{"schema": 2}', "schema 2, newer than this program's 1; update Deep Tally"),
    ],
)
def test_what_is_no_brief(text: str, words: str) -> None:
    with pytest.raises(BriefRefused, match=words.replace(".", r"\.")):
        parse_brief(text, subject="b")


def test_unknown_keys_are_written_back() -> None:
    text = '{"schema": 1, "mood": "dark", "needs": {"cake": true}, "rates": [44100]}'
    saved = json.loads(parse_brief(text, subject="b").to_json())
    assert saved["mood"] == "dark"
    assert saved["needs"]["cake"] is True
    assert saved["rates"] == [44100]
    assert parse_brief(json.dumps(saved), subject="b") == parse_brief(text, subject="b")


def test_thresholds_have_defaults_units_and_sources() -> None:
    changed = parse_brief('{"schema": 1, "thresholds": {"headroom.tolerance_db": 2}}', subject="b")
    assert changed.threshold("headroom.tolerance_db") == 2
    assert changed.threshold("clipping.baked.run") == 3
    assert all(t.unit and t.source for t in THRESHOLDS.values())
    with pytest.raises(KeyError):
        changed.threshold("no.such")


def test_a_file_that_cannot_be_read(tmp_path: Path) -> None:
    with pytest.raises(BriefRefused, match="the brief cannot be read"):
        read_brief(tmp_path / "none.json")
    (tmp_path / "b.json").write_bytes(b"\xff\xfe{}")
    with pytest.raises(BriefRefused, match="is not UTF-8 text"):
        read_brief(tmp_path / "b.json")
