"""The reply: what it says, what it leaves out, and how it becomes text, Markdown and HTML."""

from __future__ import annotations

import html.parser
from dataclasses import replace
from pathlib import Path
from xml.etree import ElementTree

import html5lib
import numpy as np
import pytest

from deep_tally.check.registry import tally
from deep_tally.model.delivery import Delivery, SongFacts, Track
from deep_tally.model.findings import Action, Finding, Place
from deep_tally.model.letter_edits import LetterEdits
from deep_tally.model.measures import OverviewLevel
from deep_tally.reply.action_words import readable
from deep_tally.reply.formats.html import to_html
from deep_tally.reply.formats.markdown import to_markdown
from deep_tally.reply.formats.text import to_text
from deep_tally.reply.letter import write_letter
from deep_tally.reply.letter_options import LetterOptions
from deep_tally.reply.page import Block, Page
from deep_tally.reply.picture import WIDTH, Picture, picture_of
from deep_tally.reply.requests import group_requests
from deep_tally.reply.wording.speaker import Speaker
from tracks import brief, findings, found_in, others, song_of, track


def delivery_of(*tracks: object, mix: bool = True) -> Delivery:
    song = song_of(tracks, mix=mix)  # type: ignore[arg-type]
    return Delivery(source=Path("/x"), name="x", sets=(song,), findings=findings(tracks, mix=mix))  # type: ignore[arg-type]


def details_of(delivery: Delivery) -> str:
    """The second part, from its heading on."""
    return to_text(write_letter(delivery)).partition("\nDetails\n-------\n")[2]


def test_the_demos_details_hold_evidence_in_the_order_it_blocks_the_mix(demo: Delivery) -> None:
    text = details_of(demo)
    order = [
        "Arrived: 38 tracks and the rough mix; WAV and FLAC",
        "Please export 06 Nylon guitar left.wav again from the very start of the song",
        "Please let 03 Hand bells.wav ring out",
        "Please export 08 Fiddle.wav again at the song's sample rate",
        "44.1 kHz; the other files are 48 kHz",
        "Please turn 01 Frame drum.wav down before exporting; it clips",
        "places at full scale",
        "Please export 24 Melodica.wav again; it has gaps",
        "Please export 23 Rain stick.wav again from the original project",
        "Was 22 Brushes.wav made at a lower sample rate?",
        "Is the clipping in 21 Jaw harp.wav intended?",
        "Is 14 Choir.wav meant to disappear in mono?",
        "What plays in these 2 files?",
        "Should these 2 files contain the same sound?",
        "Should 26 Glockenspiel.wav contain another part as well?",
        "10 Audio 7.wav is in it at −4.0 dB",
        "Should there be sound in 17 Spoons.wav?",
        "Where in the song does 37 Bowed saw.wav begin?",
        "What I'm waiting for",
        "Bandoneon",
        "What I'll fix on my side (nothing for you to do)",
        "05 Harmonium.wav: both sides are the same; I'll make it mono.",
        "What was fine",
        "04 Upright bass",
    ]
    places = [text.find(words) for words in order]
    assert -1 not in places, order[places.index(-1)]
    assert places == sorted(places)


def test_only_what_is_asked_stands_among_the_requests(demo: Delivery) -> None:
    requests = group_requests(demo.findings)
    assert {f.action for r in requests for f in r.findings} == {Action.ASK}
    text = to_text(write_letter(demo)).partition("What I'll fix on my side")[0]
    assert "Mandola" not in text
    assert "Tin whistle" not in text


def test_a_request_left_out_is_not_asked_and_the_rest_is_counted_without_it(demo: Delivery) -> None:
    edits = LetterEdits(left_out=("from-start", "is-name"))
    text = to_text(write_letter(demo, LetterOptions(edits=edits)))
    assert "Nylon guitar left.wav again" not in text
    assert "What plays" not in text
    assert "Please export these 5 files again, in one go." in text
    assert "7 questions, a word each will do:" in text


def test_whole_bars_are_asked_for_in_their_own_words() -> None:
    song = song_of(
        others(), brief=brief(length={"whole_bars": True}), facts=SongFacts(title="Song", tempo_bpm=97.0, key="D")
    )
    (request,) = group_requests(tally(song, brief(length={"whole_bars": True})))
    assert request.task.key == "whole-bars"
    assert request.heading == "Please export these 4 files again to a whole number of bars"


def test_files_with_one_answer_are_asked_together() -> None:
    odd = [track(f"{n} {part}.wav", rate_hz=44_100, frames=40 * 44_100) for n, part in ((7, "Horn"), (8, "Harp"))]
    (request,) = group_requests(findings([*odd, *others()]))
    assert request.heading == "Please export these 2 files again at the song's sample rate"
    text = to_text(write_letter(delivery_of(*odd, *others())))
    assert text.count("Please export these 2 files again") == 2
    assert "   - 7 Horn.wav: 44.1 kHz; the other files are 48 kHz\n   - 8 Harp.wav: " in text


def test_a_clean_delivery_says_so() -> None:
    text = to_text(write_letter(delivery_of(*others())))
    assert "I have all I need and can start mixing." in text
    assert "question" not in text
    assert "4 files of 4 can go into the mix as they are" in text


def test_missing_things_are_asked_for_without_a_file() -> None:
    text = to_text(write_letter(delivery_of(*others(), mix=False)))
    assert "Please send your rough mix too" in text


def test_a_picture_for_every_audio_finding_and_none_for_names(demo: Delivery) -> None:
    page = write_letter(demo)
    pictures = [b.picture.words for b in page.blocks if b.picture is not None]
    assert [p.partition(":")[0] for p in pictures] == [
        "06 Nylon guitar left.wav",
        "03 Hand bells.wav",
        "01 Frame drum.wav",
        "24 Melodica.wav",
        "23 Rain stick.wav",
        "22 Brushes.wav",
        "21 Jaw harp.wav",
        "14 Choir.wav",
        "15 Viola.wav above, 25 Viola double.wav below, on one time axis",
        "26 Glockenspiel.wav",
        "37 Bowed saw.wav",
        "11 Voice lead dry.wav",
    ]
    clipped = next(t for t in demo.tracks if t.path == "01 Frame drum.wav")
    finding = next(f for f in found_in(demo, clipped.path) if f.code == "clipping.baked")
    picture = picture_of(finding, clipped)
    assert picture is not None
    # The longest run of the evidence is drawn flat, as sent and turned down.
    for line in picture.svg.split('polyline points="')[1:]:
        heights = [float(p.partition(",")[2]) for p in line.partition('"')[0].split()]
        flat = max(heights.count(min(heights)), heights.count(max(heights)))
        assert flat >= int(finding.evidence["longest_run"] or 0)  # type: ignore[call-overload]


def with_overview(frames: int) -> Track:
    made = track("Bass.wav", frames=frames)
    assert made.measures is not None
    bins = np.full((frames // 240, 1), 0.5, np.float16)
    level = OverviewLevel(bin_frames=240, low=-bins, high=bins, rms=bins)
    return replace(made, measures=replace(made.measures, overview=(level,)))


def words_of(picture: Picture | None) -> list[str]:
    """The words on a picture's axis."""
    assert picture is not None
    ElementTree.fromstring(picture.svg)
    return [piece.partition("<")[0].rpartition(">")[2] for piece in picture.svg.split("<text")[1:]]


def test_pictures_name_their_axis_and_explain_their_marks() -> None:
    long = with_overview(96_000)
    gap = Finding(
        code="content.dropout",
        action=Action.ASK,
        files=("Bass.wav",),
        places=(Place(path="Bass.wav", frame=48_000, frames=96),),
    )
    picture = picture_of(gap, long)
    assert words_of(picture) == ["0:00.0", "0:00.5", "0:01.0", "0:01.5", "0:02.0"]
    assert picture is not None
    assert picture.words == "Bass.wav: the whole file as sent; the upright line marks the place"
    mark = next(line for line in picture.svg.split("<line") if 'stroke-width="2"' in line)
    assert f'x1="{WIDTH / 2:.1f}"' in mark  # a second into two seconds


def test_a_file_that_ends_early_is_shown_against_its_song() -> None:
    short = with_overview(96_000)
    cut = Finding(code="length.short", action=Action.ASK, files=("Bass.wav",))
    picture = picture_of(cut, short, song_s=8.0)
    assert words_of(picture)[-1] == "0:08.0"
    assert picture is not None
    assert picture.words == "Bass.wav: the file as sent, which ends at 0:02.0 of the song's 0:08.0"
    assert f'<rect x="{WIDTH / 4:.1f}"' in picture.svg


def test_levels_are_shown_against_the_window_that_is_asked_for() -> None:
    hot = track("Bass.wav")
    finding = Finding(code="headroom.normalised", action=Action.ASK, files=("Bass.wav",))
    picture = picture_of(finding, hot, window_dbfs=(-24.0, -6.0))
    assert words_of(picture) == ["−48", "−36", "−24", "−12", "0 dBFS"]
    assert picture is not None
    assert "the shaded window is where peaks are wanted, −24 dB to −6 dBFS" in picture.words


def test_a_float_files_tops_come_back_in_its_picture(demo: Delivery) -> None:
    over = next(t for t in demo.tracks if t.path == "11 Voice lead dry.wav")
    finding = next(f for f in found_in(demo, over.path) if f.code == "clipping.over")
    picture = picture_of(finding, over)
    assert picture is not None
    assert "its tops come back whole" in picture.words
    as_played, lower = (line.partition('"')[0].split() for line in picture.svg.split('polyline points="')[1:])
    highest = [min(float(p.partition(",")[2]) for p in line) for line in (as_played, lower)]
    lowest = [max(float(p.partition(",")[2]) for p in line) for line in (as_played, lower)]
    at_top = [
        sum(float(p.partition(",")[2]) in (h, w) for p in line)
        for line, h, w in zip((as_played, lower), highest, lowest, strict=True)
    ]
    assert at_top[0] > at_top[1], "what is cut off as it plays is whole when it is turned down"


class _Outline(html.parser.HTMLParser):
    """Checks that tags close in order, and collects text and addresses."""

    def __init__(self) -> None:
        super().__init__()
        self.open: list[str] = []
        self.text = ""
        self.addresses: list[str] = []
        self.seen: list[str] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.seen.append(tag)
        self.addresses += [v or "" for k, v in attrs if k in ("src", "href")]
        if tag not in ("meta", "line", "polygon", "polyline", "rect"):
            self.open.append(tag)

    def handle_startendtag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.seen.append(tag)

    def handle_endtag(self, tag: str) -> None:
        assert self.open.pop() == tag

    def handle_data(self, data: str) -> None:
        self.text += data


def test_the_html_is_whole_self_contained_and_escaped() -> None:
    evil = track("<script>alert(1)<script>&.wav", rate_hz=44_100, frames=40 * 44_100)
    outline = _Outline()
    outline.feed(to_html(write_letter(delivery_of(evil, *others()))))
    assert outline.open == []
    assert outline.addresses == []
    assert "script" not in outline.seen
    assert "<script>alert(1)<script>&.wav" in outline.text


@pytest.mark.parametrize("is_drawn", [True, False])
def test_the_html_is_valid_by_the_standards_own_parser(demo: Delivery, is_drawn: bool) -> None:
    """html5lib, strict: the parsing rules of the HTML standard, every parse error an exception."""
    html5lib.HTMLParser(strict=True).parse(to_html(write_letter(demo), is_drawn=is_drawn))


def test_the_demos_html_holds_its_pictures(demo: Delivery) -> None:
    outline = _Outline()
    outline.feed(to_html(write_letter(demo)))
    assert outline.seen.count("svg") == outline.seen.count("figure") == 12
    assert outline.addresses == []


def test_markdown_escapes_names_and_keeps_the_outline() -> None:
    page = Page(
        (
            Block("title", "Your files"),
            Block("heading", "Please export 01_Bass*.wav"),
            Block("item", "01_Bass*.wav: [x]"),
            Block("item", "second"),
            Block("hint", "see"),
        )
    )
    assert to_markdown(page) == (
        "# Your files\n\n## Please export 01\\_Bass\\*.wav\n\n- 01\\_Bass\\*.wav: \\[x\\]\n- second\n\n*see*\n"
    )


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"frames": 0, "rms_dbfs": -float("inf")}, "it contains no samples"),
        ({"rms_dbfs": -float("inf")}, "every sample is zero"),
        ({"rms_dbfs": -84.26}, "only noise at −84.3 dBFS RMS"),
    ],
)
def test_an_empty_file_is_reported_by_what_is_in_it(changes: dict[str, float], words: str) -> None:
    empty = track("1 Horn.wav", first_sound_frame=None, last_sound_frame=None, **changes)
    (found,) = (f for f in findings([empty, *others()]) if f.code == "content.empty")
    summary = Speaker(delivery_of(empty, *others())).summary(found)
    assert summary == f"There is no sound in 1 Horn.wav: {words}."


def test_control_characters_of_names_never_reach_a_line() -> None:
    assert readable("a\nb\x1b[2Jc\udcff.wav") == "a\N{REPLACEMENT CHARACTER}b\N{REPLACEMENT CHARACTER}[2Jc�.wav"


@pytest.mark.parametrize("write", [to_text, to_markdown, to_html])
def test_an_empty_page_is_no_trouble(write: object) -> None:
    assert isinstance(write(Page(())), str)  # type: ignore[operator]


def test_new_names_are_listed_where_they_are_wanted() -> None:
    delivery = delivery_of(*others())
    assert "my copies are called" not in to_text(write_letter(delivery))
    text = to_text(write_letter(delivery, LetterOptions(renamed={"1 Kik.wav": "01 Kick drum.wav"})))
    assert "Your files keep their names" in text
    assert "   - 1 Kik.wav → 01 Kick drum.wav" in text


def test_several_files_in_one_finding_get_a_sentence_made_for_several() -> None:
    short = [track(f"{n} Part{'ab'[n]}.wav", frames=30 * 48_000, last_sound_frame=20 * 48_000) for n in range(2)]
    delivery = delivery_of(*short, *others())
    speaker = Speaker(delivery)
    (found,) = [f for f in delivery.findings if f.code == "length.short"]
    assert speaker.summary(found) == (
        "Ends before the others: 0 Parta.wav and 1 Partb.wav (10 s shorter than the common length)."
    )
    (alone,) = [f for f in delivery_of(short[0], *others()).findings if f.code == "length.short"]
    assert speaker.summary(alone) == "0 Parta.wav ends before the others: 10 s shorter than the common length."
