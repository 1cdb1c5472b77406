"""A check as a table, read by Python's own reader (RFC 4180)."""

from __future__ import annotations

import csv
import io
from pathlib import Path

import pytest

from deep_tally.model.delivery import Delivery
from deep_tally.reply.formats.csv import COLUMNS, plain, to_csv
from tracks import findings, others, song_of, track


def rows(*tracks: object, mix: bool = True) -> list[dict[str, str]]:
    song = song_of(tracks, mix=mix)  # type: ignore[arg-type]
    found = tuple(findings(tracks, mix=mix))  # type: ignore[arg-type]
    text = to_csv(Delivery(source=Path("/x"), name="x", sets=(song,), findings=found))
    assert text.count("\n") == text.count("\r\n")
    read = list(csv.DictReader(io.StringIO(text, newline=""), strict=True))
    assert all(tuple(row) == COLUMNS and None not in row.values() for row in read)
    return read


def test_every_file_has_a_row_and_every_finding_of_it_another() -> None:
    silent = track("01 Bass.wav", first_sound_frame=None, last_sound_frame=None, rms_dbfs=-float("inf"))
    found = rows(silent, *others())
    assert [row["path"] for row in found if row["code"] == "content.empty"] == ["01 Bass.wav"]
    assert {row["path"] for row in found} >= {"01 Bass.wav", "02 Drum.wav", "Song rough mix.wav"}
    (bass,) = [row for row in found if row["code"] == "content.empty"]
    assert (bass["action"], bass["kind"], bass["rate_hz"], bass["bits"]) == ("ask", "question", "48000", "24")
    assert (bass["seconds"], bass["rms_dbfs"]) == ("40.0", "-inf")
    clean = next(row for row in found if row["path"] == "02 Drum.wav")
    assert (clean["action"], clean["code"], clean["sample_peak_dbfs"]) == ("", "", "-8.5")


def test_what_is_about_no_file_comes_last_without_a_path() -> None:
    found = rows(*others(), mix=False)
    assert (found[-1]["path"], found[-1]["code"]) == ("", "content.no-rough-mix")


@pytest.mark.parametrize("name", ["=1+1.wav", "+a.wav", "-a.wav", "@a.wav"])
def test_a_name_is_never_a_formula(name: str) -> None:
    assert next(row["path"] for row in rows(track(name), *others()) if name in row["path"]) == f"'{name}"


def test_commas_quotes_and_line_breaks_stay_in_their_cell() -> None:
    assert rows(track('a, "b".wav'), *others())[0]["path"] == 'a, "b".wav'
    assert plain("a\nb") == "a\N{REPLACEMENT CHARACTER}b"
