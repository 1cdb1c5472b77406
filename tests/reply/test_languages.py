"""A letter in another language: no word of it is left in English, and nothing else changes."""

from __future__ import annotations

import gettext
import re
from collections.abc import Iterator, Mapping
from datetime import UTC, datetime

import pytest
import textstat

from deep_tally.model import language
from deep_tally.model.delivery import Delivery
from deep_tally.model.findings import Action, EvidenceValue, Finding
from deep_tally.model.language import in_language, languages, name_of_language
from deep_tally.model.letter_edits import LetterEdits, Reworded
from deep_tally.model.phrase import Phrase
from deep_tally.reply.formats.eml import to_eml
from deep_tally.reply.formats.html import to_html
from deep_tally.reply.formats.text import to_text
from deep_tally.reply.letter import write_letter
from deep_tally.reply.letter_options import TONES, LetterOptions
from deep_tally.reply.numbers import clock, decibels, depth, duration, kilohertz, level, listed
from deep_tally.reply.reasons import REASONS, WORDS_MOST, reason_words
from deep_tally.reply.wording.speaker import NOTE_WORDINGS, WORDINGS, Speaker
from reply.test_first_part import asking, delivery_of
from tracks import others, track

_NAME, _UNITS = (
    "ÆÆ",
    {"dB", "dBFS", "dBTP", "kHz", "Hz", "ms", "RMS", "LUFS", "BPM", "min", "MB", "WAV", "FLAC", "MP", "wav", "loops"},
)
"""What stands in a letter in no language: names, and the units of numbers."""


class Unreadable(gettext.NullTranslations):
    """A language in which every message is there, and none of its words is English."""

    def gettext(self, message: str) -> str:
        return "".join(part if part.startswith("{") else re.sub(r"\w", "ø", part) for part in _parts(message))

    def ngettext(self, msgid1: str, msgid2: str, n: int) -> str:
        return self.gettext(msgid1 if n == 1 else msgid2)

    def pgettext(self, context: str, message: str) -> str:
        return "," if context == "decimal sign" else self.gettext(message)


def _parts(message: str) -> list[str]:
    return re.split(r"(\{[^}]*\})", message)


@pytest.fixture
def unreadable(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(language, "_catalogue", lambda spoken, _: Unreadable() if spoken == "xx" else english)


english = gettext.NullTranslations()


def words_left(text: str) -> set[str]:
    return set(re.findall(r"[A-Za-z]{2,}", text)) - _UNITS


@pytest.mark.usefixtures("unreadable")
@pytest.mark.parametrize("tone", TONES)
def test_no_word_of_the_demos_letter_is_unmarked(demo: Delivery, tone: str) -> None:
    options = LetterOptions(length="full", language="xx", tone=tone, renamed={_NAME: _NAME})  # type: ignore[arg-type]
    text = to_text(write_letter(demo, options))
    pictures = [b.picture.words for b in write_letter(demo, options).blocks if b.picture]
    assert len(pictures) > 5
    for words in sorted(
        {word for t in demo.tracks for word in re.findall(r"[A-Za-z]+", t.path)}, key=len, reverse=True
    ):
        text, pictures = re.sub(rf"\b{words}\b", "", text), [re.sub(rf"\b{words}\b", "", p) for p in pictures]
    assert words_left(text) <= {"Lantern", "Over", "Brackwater", "Bandoneon"}
    assert words_left(" ".join(pictures)) == set()


_WORDS: Mapping[str, list[dict[str, EvidenceValue]]] = {
    "channels.near-mono": [{}, {"frames": None}],
    "channels.one-side": [{"side": "left"}, {"side": "right"}],
    "channels.half-pair": [{"side": "left"}, {"side": "right"}],
    "channels.role": [{"came": "mono", "wanted": "stereo", "part": "lead voice"}],
    "channels.opposed": [{}, {"band_low_hz": None}, {"db": None}, {"band_low_hz": None, "db": None}],
    "content.damaged": [{"problem": Phrase("sound.ends-early")}],
    "content.dropout": [{"gap": gap, "runs": runs} for gap in ("zeros", "held", "repeated") for runs in (1, 3)],
    "content.twin": [{"twin": how, "db": -90.0} for how in ("exact", "scaled", "inverted", "shifted")],
    "content.sum-of": [{"parts": (_NAME, _NAME)}, {"parts": (_NAME,), "exact": 0}],
    "content.clips": [{"part": _NAME}, {"part": _NAME, "overlaps": 0}],
    "content.two-exports": [{"by": ("format", "length", "writer", "prefix", "time")}],
    "content.lossy": [{"container": "mp3", "ending": "wav"}],
    "content.container": [{"container": "flac", "wanted": "wav"}],
    "content.unreadable-kind": [{"sound_kind": _NAME}],
    "content.empty": [{"frames": 0}, {}, {"clicks_ms": None}, {"clicks_ms": None, "dbfs": None}],
    "content.scope": [{"scope": "every-track"}, {"scope": "groups"}],
    "content.import-tags": [{"tags": (Phrase("tag.tempo", bpm=96.5), Phrase("tag.loops", count=2))}],
    "content.not-in-mix": [{}, {"partner": None}],
    "content.part-missing": [
        {"missing": (Phrase("part.name", part="lead voice"), Phrase("part.any", part="tom", forms=("dry",)))}
    ],
    "content.companion-missing": [{"missing": (Phrase("companion.click"),)}],
    "content.level-moved": [{}, {"db": -2.0}],
    "depth.differs": [{}],
    "depth.padded": [{}, {"gain_db": -3.0}, {"gain_db": None}],
    "depth.off-brief": [{"sample_format": "int", "wanted": "float"}],
    "headroom.hot": [{}, {"by": "rms"}],
    "headroom.normalised": [{"by": by} for by in ("peak", "rms", "loudness")],
    "headroom.dc": [{}, {"share_before": None}],
    "length.not-bars": [{"meter": "4/4", "tempo_from": Phrase("source.midi")}, {"changes": 0, "tempo_bpm": None}],
    "length.loop-not-bars": [{"meter": "4/4", "tempo_from": None}],
    "length.tail-cut": [{"faded": True}, {"faded": False}],
    "name.generic": [{"word": _NAME}, {"word": None}],
    "name.characters": [{"characters": ("?",)}, {"characters": (Phrase("characters.accents"),)}, {"characters": ()}],
    "name.contradicts": [
        {"by": "sound", "part": "tom"},
        {"by": "channels", "channels": 1},
        {"by": "channels"},
        {"by": "length"},
    ],
    "name.copy-mark": [{"partner": None}, {}],
    "name.number-gap": [{"missing": ("3", "4")}],
    "name.facts-missing": [{"missing": ("song", "tempo", "key", "artist")}],
    "name.facts-differ": [
        {"stated": (Phrase("stated.tempo", bpm=96.0, source=Phrase("source.midi")),)},
        {"ms": -3.0, "stated": ()},
    ],
    "name.prefix": [{"prefix": _NAME}],
    "name.pattern": [{"pattern": _NAME}],
    "rate.off-brief": [{"wanted": ("48000",)}],
    "rate.upsampled": [{}, {"edge": "mirrored"}],
    "rate.wrong-speed": [{}, {"meant_rate": None}, {"meant_rate": None, "late_ms": -3.0}],
    "rate.differs": [{}, {"common_rate": None}],
    "start.at-sound": [{"by": "mix"}, {"by": "hand"}, {"offset_frames": None}],
    "start.offset": [{"by": "mix"}, {"by": "hand", "offset_frames": -9}],
    "start.click-off-bar": [{}, {"off_ms": 0.0}, {"ms": -4.0}],
    "start.cut-in": [{}, {"db": None}],
}
"""What evidence holds besides numbers, as often as its words differ; None takes a key out."""

_KEYS = (
    *("frames", "ms", "db", "level_correlation", "correlation", "band_low_hz", "band_high_hz", "gain_db", "count"),
    *(
        "channels",
        "runs",
        "longest_run",
        "longest_at",
        "at_once",
        "at_once_frame",
        "share",
        "dbfs",
        "flat_tops",
        "set_db",
    ),
    *(
        "files",
        "overlaps",
        "clicks_ms",
        "start_s",
        "stop_s",
        "low_hz",
        "high_hz",
        "under_mix_db",
        "spans",
        "jumps",
        "hz",
    ),
    *("bits", "common_bits", "wanted_bits", "floor_dbfs", "share_before", "bars", "tempo_bpm", "changes", "over_s"),
    *("characters_count", "most", "number", "source_rate", "edge_hz", "rate", "meant_rate", "late_ms", "common_rate"),
    *("offset_frames", "off_ms", "beats", "claimed_frames", "client_says", "partner"),
)


def evidences(code: str) -> Iterator[dict[str, EvidenceValue]]:
    numbers: dict[str, EvidenceValue] = dict.fromkeys(_KEYS, 3.0)
    numbers |= {"client_says": _NAME, "partner": _NAME}
    for own in _WORDS.get(code, [{}]):
        found = numbers | own
        yield {key: value for key, value in found.items() if value is not None}
    yield numbers | _WORDS.get(code, [{}])[0] | {"files": 1, "runs": 1, "spans": 1, "jumps": 1, "count": 1, "beats": 1}


@pytest.mark.usefixtures("unreadable")
@pytest.mark.parametrize("code", sorted(WORDINGS))
@pytest.mark.parametrize("action", [Action.ASK, Action.NOTE])
def test_no_word_about_a_finding_is_unmarked(code: str, action: Action) -> None:
    delivery = delivery_of(track(_NAME))
    for evidence in evidences(code):
        finding = Finding(code=code, action=action, kind=None, files=(_NAME,), song="", evidence=evidence)
        if action is Action.NOTE and code not in NOTE_WORDINGS:
            continue
        with in_language("xx"):
            speaker = Speaker(delivery)
            said = [speaker.headline(finding), speaker.evidence(finding), speaker.matter(finding)]
            said.append(speaker.summary(finding))
            if code in REASONS:
                said.append(reason_words(speaker.facts(finding)))
        assert words_left(" ".join(said)) == set(), said
        assert "{" not in " ".join(said)


def test_german_is_german(demo: Delivery) -> None:
    options = LetterOptions(length="full", language="de", engineer="Ada", edits=LetterEdits(client="Marit"))
    text = to_text(write_letter(demo, options))
    for line in (
        "Hallo Marit, vielen Dank für die Dateien.",
        "Bitte exportiere diese 6 Dateien noch einmal, in einem Rutsch.",
        "   - 08 Fiddle: 44,1 kHz, die anderen haben 48 kHz",
        "Viele Grüße, Ada",
        "Einzelheiten\n------------",
    ):
        assert line in text
    assert "0:39,9" in text
    assert "Schlagzeug" in text or "Percussion" in text


def test_a_formal_german_letter_says_sie_and_no_other_does(demo: Delivery) -> None:
    said = {tone: to_text(write_letter(demo, LetterOptions(language="de", tone=tone))) for tone in TONES}
    assert "Bitte exportieren Sie diese 6 Dateien" in said["formal"]
    assert not re.search(r"\b([Dd]eine?n?|[Dd]u|schick|exportiere)\b", said["formal"])
    assert "Bitte exportiere diese" in said["brief"]
    assert not re.search(r"\bSie\b", re.sub(r"(^|[.:;] )Sie", "", said["brief"]))


@pytest.mark.parametrize("tag", [tag for tag in languages() if tag != "en"])
@pytest.mark.parametrize("again", [0, 1, 30])
@pytest.mark.parametrize("tone", TONES)
def test_no_language_takes_more_words_than_allowed(tag: str, again: int, tone: str) -> None:
    files = tuple(track(f"{n:02d} Part.wav") for n in range(max(2, again)))
    found = [asking("clipping.baked", *(t.path for t in files[:again]))] if again else []
    found += [asking("content.empty", files[0].path, kind="question"), asking("name.facts-missing", missing=("tempo",))]
    options = LetterOptions(length="short", language=tag, tone=tone)  # type: ignore[arg-type]
    text = to_text(write_letter(delivery_of(*files, found=tuple(found)), options))
    assert len(text.split()) <= 120 + 20 * again


@pytest.mark.parametrize("tag", [tag for tag in languages() if tag != "en"])
def test_no_reason_is_long_in_any_language(tag: str) -> None:
    delivery = delivery_of(track("1.wav"))
    with in_language(tag):
        for code in REASONS:
            for evidence in evidences(code):
                finding = Finding(
                    code=code, action=Action.ASK, kind="request", files=("1.wav",), song="", evidence=evidence
                )
                assert len(reason_words(Speaker(delivery).facts(finding)).split()) <= WORDS_MOST


def test_german_reads_easily(demo: Delivery) -> None:
    """Flesch for German (Amstad 1978, by textstat); 60 and more is plain by his table."""
    textstat.set_lang("de_DE")
    try:
        names = sorted((t.stem for t in demo.tracks), key=len, reverse=True)
        page = write_letter(demo, LetterOptions(length="short", language="de"))
        sentences = []
        for block in page.blocks[1:]:
            text = block.text
            for name in names:
                text = text.replace(name, "Bass")
            sentences.append(text if text[-1] in ".?!" else f"{text}.")
        assert textstat.flesch_reading_ease(" ".join(sentences)) > 60
        assert max(len(part.split()) for text in sentences for part in text.replace("?", ".").split(". ")) <= 20
    finally:
        textstat.set_lang("en_US")


def test_every_form_says_which_language_it_is_in(demo: Delivery) -> None:
    page = write_letter(demo, LetterOptions(length="short", language="de"))
    assert '<html lang="de">' in to_html(page)
    assert b"Content-Language: de\r\n" in to_eml(page, now=datetime(2026, 1, 1, tzinfo=UTC))
    assert '<html lang="en">' in to_html(write_letter(demo))


def test_only_what_is_inside_is_said_in_the_language() -> None:
    with in_language("de"):
        with in_language("en"):
            assert kilohertz(44_100) == "44.1 kHz"
        assert kilohertz(44_100) == "44,1 kHz"
    assert kilohertz(44_100) == "44.1 kHz"
    assert languages()[0] == "en"
    assert [name_of_language(tag) for tag in ("en", "de")] == ["English", "Deutsch"]


def test_numbers_have_a_decimal_comma() -> None:
    with in_language("de"):
        said = [decibels(-6.25, digits=2), level(0.04), level(2.3), clock(4.1), duration(1500), depth(24, "int")]
        assert said == ["−6,25 dB", "0,0 dBFS", "+2,3 dBFS", "0:04,1", "1,5 s", "24 Bit"]
        assert listed(["A", "B", "C"]) == "A, B und C"
        assert listed(["A", "B", "C", "D"], most=3) == "A, B und 2 weitere"


def test_a_language_without_a_catalogue_is_english() -> None:
    with in_language("tlh", is_formal=True):
        assert kilohertz(44_100) == "44.1 kHz"


def test_parts_of_a_list_are_named_in_the_language_and_others_as_they_are() -> None:
    parts = tuple(Phrase("part.name", part=part) for part in ("lead voice", "Lead Vox 3"))
    delivery = delivery_of(*others(), found=(asking("content.part-missing", missing=parts),))
    text = to_text(write_letter(delivery, LetterOptions(length="short", language="de")))
    assert "Bitte schick auch: Leadstimme und Lead Vox 3." in text


def test_the_users_own_words_stay_and_are_offered_the_new_ones_when_the_language_changes(demo: Delivery) -> None:
    said = write_letter(demo, LetterOptions(length="short"))
    again = next(b for b in said.blocks if b.key == "again")
    edits = LetterEdits(reworded={"again": Reworded("All six once more, please.", again.text)})
    page = write_letter(demo, LetterOptions(length="short", language="de", edits=edits))
    block = next(b for b in page.blocks if b.key == "again")
    assert block.text == "All six once more, please."
    assert block.newer.startswith("Bitte exportiere diese 6")
    assert [b.key for b in page.blocks] == [b.key for b in said.blocks]
