"""The session sheet: facts, files in working order with their notes; as HTML, PDF and CSV, by other libraries."""

from __future__ import annotations

import csv
import io
from dataclasses import replace
from pathlib import Path

import html5lib
import pypdfium2
import pytest

from deep_tally.model.decisions import Decided, Decision
from deep_tally.model.delivery import Delivery
from deep_tally.model.files import Role
from deep_tally.model.findings import Action, Finding
from deep_tally.model.placement import Placement
from deep_tally.model.statements import Statement
from deep_tally.reply.formats.session_sheet import sheet_to_csv, sheet_to_html, sheet_to_pdf
from deep_tally.reply.session_sheet import COLUMNS, SongSheet, session_sheets
from tracks import song_of, track


def test_the_demos_sheet(demo: Delivery) -> None:
    (sheet,) = session_sheets(demo)
    facts = dict(sheet.facts)
    assert sheet.title == "Lantern Over Brackwater"
    assert facts["Tempo"] == "96 BPM"
    assert facts["Key"] == "D minor"
    assert facts["Rate"] == "48 kHz"
    assert facts["Length"] == "0:40.000, 16.0 bars"
    rows = {row.file: row for row in sheet.rows}
    assert len(rows) == len(demo.tracks)
    order = [row.file for row in sheet.rows]
    # Drums before bass before guitars before voices before groups (common practice), what is no part at the end.
    known = ["01 Frame drum.wav", "04 Upright bass.wav", "31 Mandola.wav", "14 Choir.wav", "39 Strings bus.wav"]
    assert sorted(known, key=order.index) == known
    assert order[-1] == "Lantern Over Brackwater rough mix.wav"
    assert rows["01 Frame drum.wav"].peak == "0.0"
    assert rows["01 Frame drum.wav"].notes == "clipped (asked)"
    assert rows["17 Spoons.wav"].peak == "silent"
    assert rows["28 Room left.wav"].sides == "mono, left"
    assert "join them into one stereo file" in rows["28 Room left.wav"].notes
    assert rows["33 Drone.wav"].notes == "DC offset: remove the offset"
    assert "client: “At 0:22 a long delay on the lead voice, please.”" in rows["11 Voice lead dry.wav"].notes
    assert rows["05 Harmonium.wav"].starts == "1.1"


def sheets_of(*, files: int = 3, name: str = "01 Bass.wav") -> tuple[SongSheet, ...]:
    tracks = [track(name), *(track(f"{n:02d} Part {n}.wav") for n in range(2, files + 1))]
    song = song_of(tracks)
    return session_sheets(Delivery(source=Path("/x"), name="x", sets=(song,)))


def test_what_was_decided_said_and_placed_stands_in_the_notes() -> None:
    bass = track("01 Bass.wav")
    song = replace(
        song_of([bass, track("02 Drum.wav", role=Role.TRACKOUT)]),
        placements={"01 Bass.wav": Placement(frames=48_000, by="hand")},
        statements=(Statement(note="n.txt", words="the bass is a double bass", files=("01 Bass.wav",)),),
    )
    cut = Finding(code="length.tail-cut", action=Action.ASK, kind="request", files=("01 Bass.wav",), song=song.name)
    decided = Decided(finding=cut, decision=Decision(code=cut.code, kind="answered", note="so it is"))
    lost = Finding(code="content.no-rough-mix", action=Action.ASK, kind="request", song=song.name)
    delivery = Delivery(source=Path("/x"), name="x", sets=(song,), findings=(lost,), decided=(decided,))
    (sheet,) = session_sheets(delivery)
    notes = next(row.notes for row in sheet.rows if row.file == "01 Bass.wav")
    assert notes == (
        "belongs 0:01.000 later; cut off while still sounding (answered: “so it is”);"
        " client: “the bass is a double bass”"
    )
    assert len(sheet.open) == 1


def test_the_table_is_one_that_a_table_program_reads() -> None:
    rows = list(csv.reader(io.StringIO(sheet_to_csv(sheets_of(name="=cmd.wav")))))
    assert rows[0] == ["Song", *COLUMNS]
    assert len(rows) == 5  # with its rough mix
    assert "'=cmd.wav" in [row[1] for row in rows]


def test_the_page_is_valid_and_foreign_words_are_no_markup() -> None:
    page = sheet_to_html(sheets_of(name="<b>Bass</b>.wav"))
    html5lib.HTMLParser(strict=True).parse(page)
    assert "<b>" not in page
    assert "<script" not in page


@pytest.mark.parametrize(("files", "pages"), [(3, 1), (45, 1), (200, None)])
def test_the_pdf_is_one_page_for_the_usual_song_and_loses_nothing(files: int, pages: int | None) -> None:
    document = pypdfium2.PdfDocument(sheet_to_pdf(sheets_of(files=files), "A4"))
    assert pages is None or len(document) == pages
    text = " ".join(page.get_textpage().get_text_range() for page in document)
    assert all(f"Part {n}.wav" in text for n in range(2, files + 1))
    width, height = document[0].get_size()
    assert width > height


def test_two_songs_have_a_page_each() -> None:
    songs = tuple(replace(song_of([track("01 Bass.wav")]), name=name) for name in ("One", "Two"))
    sheets = session_sheets(Delivery(source=Path("/x"), name="x", sets=songs))
    assert len(pypdfium2.PdfDocument(sheet_to_pdf(sheets, "Letter"))) == 2
