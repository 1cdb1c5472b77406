"""The brief as one page for the client, in every form."""

from __future__ import annotations

import re
from pathlib import Path

import pypdfium2
import pytest

from deep_tally.check.coverage import Coverage
from deep_tally.model.brief import DEFAULT_BRIEF, Brief, Printed
from deep_tally.reply.brief_page import write_brief_page
from deep_tally.reply.brief_words import (
    LINES,
    coverage_words,
    example_name,
    is_assessed,
    part_words,
    printed_sentences,
    value_of,
)
from deep_tally.reply.formats.html import to_html
from deep_tally.reply.formats.pdf import to_pdf
from deep_tally.reply.formats.text import to_text
from deep_tally.reply.page import Block, Page
from deep_tally.reply.save import save_reply
from deep_tally.session.brief_library import part_lists, shipped_briefs
from tracks import brief


def text_of(pdf: bytes) -> str:
    """What a reader of the PDF sees, by another library."""
    document = pypdfium2.PdfDocument(pdf)
    words = " ".join(page.get_textpage().get_text_range() for page in document)
    return re.sub(r"\s+", " ", words)


def pages_of(pdf: bytes) -> int:
    return len(pypdfium2.PdfDocument(pdf))


@pytest.mark.parametrize("asked", shipped_briefs(), ids=lambda b: b.name)
@pytest.mark.parametrize("parts", [(), dict(part_lists())["Band"]], ids=["no list", "band"])
def test_every_shipped_brief_is_one_page_with_or_without_parts(asked: Brief, parts: tuple[object, ...]) -> None:
    page = write_brief_page(asked.model_copy(update={"parts": parts}), engineer="Kim Tarn")
    pdf = to_pdf(page)
    assert pages_of(pdf) == 1
    seen = text_of(pdf)
    for block in page.blocks:
        assert block.text in seen
    assert to_html(page).count("<h2 ") == to_text(page).count("\n---")


def test_the_page_says_what_the_brief_asks() -> None:
    asked = brief(
        rates=[44_100, 48_000],
        bits_min=24,
        sample_formats=["int"],
        containers=["wav", "aiff"],
        stereo="two-monos",
        peak_window_dbfs=[-24.0, -9.0],
        length={"tail_seconds": 3.0},
        printed={"insert_processing": "out", "effect_returns": "separate", "main_output_chain": "out"},
        needs={"rough_mix": True, "tempo": True, "key": True, "midi": True},
        names={"pattern": "{number} {part} {side}", "longest": 40},
    )
    text = to_text(write_brief_page(asked))
    for words in (
        "Sample rate: 44.1 kHz or 48 kHz.",
        "Depth: 24 bit.",
        "File type: WAV or AIFF.",
        "two mono files each, with L and R in their names",
        "at −9 dBFS or lower. Quiet parts may stay quiet.",
        "End at least 3 s after the last sound",
        "Effects on the tracks themselves (compressor, equaliser, tuning): turn off; I cannot undo what is printed.",
        "or as files of their own, so I can balance them",
        "Nothing on the main output",
        "Your rough mix, as you listen to it now",
        "The MIDI of programmed parts.",
        "the tempo in BPM and the key",
        "Like this: 01 Lead voice L.wav",
        "40 characters at most",
    ):
        assert words in text, words
    assert "24 dBFS" not in text, "the lower bound is the engineer's: a client who reads it boosts whispers"


def test_what_nearly_all_engineers_ask_stands_on_every_page_but_a_mixs() -> None:
    for shipped in shipped_briefs():
        text = to_text(write_brief_page(shipped))
        for words in ("Nothing soloed, and nothing muted by mistake", "Freeze or print", "Name the tracks before"):
            assert (words in text) is (shipped.scope != "mix")
        assert "main output" in text
    default = to_text(write_brief_page(DEFAULT_BRIEF))
    assert "turn off, unless they are the sound itself" in default
    assert "End 4 to 5 s after the last sound" in default


@pytest.mark.parametrize("value", ["unless-sound", "out", "in"])
def test_where_engineers_disagree_the_page_says_what_the_brief_chose_and_why(value: str) -> None:
    (words,) = printed_sentences(
        Printed.model_validate(
            {"insert_processing": value}
            | dict.fromkeys(("effect_returns", "fader_and_pan_moves", "main_output_chain"), "either")
        )
    )
    assert words.startswith("Effects on the tracks themselves")
    assert any(reason in words for reason in ("take none out", "cannot undo", "part of the sound"))


def test_what_may_be_either_way_is_not_mentioned() -> None:
    either = dict.fromkeys(Printed.model_fields, "either")
    assert printed_sentences(Printed.model_validate(either)) == []
    plain = to_text(write_brief_page(brief(printed=either)))
    assert not [words for words in ("switch off", "leave out", "sent to") if words in plain]


def test_a_mix_for_mastering_has_a_page_of_its_own() -> None:
    text = to_text(write_brief_page(next(b for b in shipped_briefs() if b.scope == "mix")))
    assert "The finished mix as one stereo file." in text
    assert "mono files" not in text
    assert "the artist" in text


def test_a_part_says_its_own_wishes() -> None:
    voice = next(p for p in dict(part_lists())["Band"] if p.part == "lead voice")
    assert part_words(voice) == (
        "lead voice (mono; dry and wet; without its effects; reverb and delay as separate files)"
    )


def test_example_names_follow_the_pattern() -> None:
    assert example_name("{number}_{part}_{variant}_{side}") == "01_Lead voice_dry_L"


@pytest.mark.parametrize("line", LINES, ids=lambda line: line.key)
def test_every_line_is_a_key_of_the_brief(line: object) -> None:
    asked = brief()
    value_of(asked, line.key)  # type: ignore[attr-defined]
    assert isinstance(is_assessed(asked, line.key), bool)  # type: ignore[attr-defined]


@pytest.mark.parametrize(
    ("came", "words"),
    [
        (Coverage(33, 33), "all 33"),
        (Coverage(31, 33), "31 of 33"),
        (Coverage(0, 1), "0 of 1"),
        (Coverage(1, 1, "song"), "received"),
        (Coverage(0, 1, "song"), "missing"),
        (Coverage(1, 2, "song"), "1 of 2"),
    ],
)
def test_what_came_in_words(came: Coverage, words: str) -> None:
    assert coverage_words(came) == words


def test_a_long_page_goes_on_and_loses_no_word(tmp_path: Path) -> None:
    blocks = [Block("title", "Long"), *(Block("item", f"line number {n} is here") for n in range(120))]
    pdf = to_pdf(Page(tuple(blocks)))
    assert pages_of(pdf) > 1
    assert all(f"line number {n} is here" in text_of(pdf) for n in (0, 60, 119))


def test_characters_the_typeface_lacks_are_reported_by_their_numbers(tmp_path: Path) -> None:
    path = tmp_path / "page.PDF"
    save_reply(Page((Block("title", "鼓.wav"), Block("text", "Bässe & Größe – “ok”"))), path)
    seen = text_of(path.read_bytes())
    assert "[U+9F13].wav" in seen
    assert "Bässe & Größe – “ok”" in seen
