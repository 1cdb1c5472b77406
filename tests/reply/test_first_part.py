"""The letter's first part: short, plain, complete, and nothing in it that the client cannot act on."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest
import textstat
from hypothesis import given
from hypothesis import strategies as st

from deep_tally.check.registry import CHECKS
from deep_tally.model.brief import with_value
from deep_tally.model.delivery import Delivery
from deep_tally.model.files import Incomplete
from deep_tally.model.findings import Action, Finding
from deep_tally.model.letter_edits import LetterEdits
from deep_tally.model.phrase import Phrase
from deep_tally.model.rounds import RoundFile, RoundRequest, Rounds
from deep_tally.reply.formats.text import to_text
from deep_tally.reply.letter import write_letter
from deep_tally.reply.letter_options import TONES, LetterOptions
from deep_tally.reply.reasons import QUESTIONS, REASONS, WORDS_MOST
from deep_tally.reply.tasks import TASKS
from tracks import brief, findings, others, song_of, track

SHORT = LetterOptions(length="short")


def delivery_of(*tracks: object, found: tuple[Finding, ...] | None = None, mix: bool = True) -> Delivery:
    song = song_of(tracks, mix=mix)  # type: ignore[arg-type]
    asked = tuple(findings(tracks, mix=mix)) if found is None else found  # type: ignore[arg-type]
    return Delivery(source=Path("/x"), name="x", sets=(song,), findings=asked)


def asking(code: str, *paths: str, kind: str = "request", **evidence: object) -> Finding:
    return Finding(code=code, action=Action.ASK, kind=kind, files=paths, song="Song", evidence=evidence)  # type: ignore[arg-type]


def short(delivery: Delivery, options: LetterOptions = SHORT) -> str:
    return to_text(write_letter(delivery, options))


def test_the_demos_first_part_reads_in_the_order_of_what_the_client_does(demo: Delivery) -> None:
    text = short(demo, LetterOptions(length="short", engineer="Ada", edits=LetterEdits(client="Marit")))
    order = [
        "Hello Marit, thank you for the files.",
        "Please export these 6 files again, in one go.",
        "Each one from the song's start to after the last sound. WAV, 24 bit, 48 kHz, nothing on the main output.",
        "   - 01 Frame drum: distorts, it was too loud",
        "   - 03 Hand bells: stops while it still sounds",
        "   - 06 Nylon guitar left: starts at its first sound",
        "   - 08 Fiddle: 44.1 kHz, the others are at 48 kHz",
        "   - 23 Rain stick: was probably an MP3 before",
        "   - 24 Melodica: has gaps in the sound",
        "8 questions, a word each will do:",
        "1. Was 22 Brushes made at a lower sample rate?",
        "5. 15 Viola and 25 Viola double are identical. Is that on purpose?",
        "6. Is 10 Audio 7 meant to play in 26 Glockenspiel, too?",
        "8. At which bar does 37 Bowed saw begin?",
        "13 of your 38 files are fine as they are. I'll fix",
        "Please send only these, under the same names.",
        "Best wishes, Ada",
    ]
    places = [text.find(words) for words in order]
    assert -1 not in places, order[places.index(-1)]
    assert places == sorted(places)
    assert len(text.split()) <= 250


@pytest.mark.parametrize("again", [0, 1, 3, 30])
@pytest.mark.parametrize("questions", [0, 1, 40])
@pytest.mark.parametrize("tone", TONES)
def test_no_delivery_takes_more_words_than_allowed(again: int, questions: int, tone: str) -> None:
    """120, and 20 for each file to be exported again, whatever the files are called."""
    long = "a very long name of a file that somebody gave to it in a hurry at night"
    files = [track(f"{n:03d} {long} {n}.wav") for n in range(again + questions)]
    paths = [t.path for t in files]
    found = [asking("clipping.baked", path) for path in paths[:again]]
    found += [asking("length.tail-cut", path) for path in paths[:again]]
    asked = [(task.codes[0], task.kind) for task in TASKS if task.place == "answer" and task.kind == "question"]
    for number, path in enumerate(paths[again:]):
        code, kind = asked[number % len(asked)]
        found.append(asking(code, path, kind=kind, start_s=61.0, missing=("tempo",)))
    found.append(asking("content.no-rough-mix"))
    options = LetterOptions(length="short", tone=tone, engineer="Ada Lark")  # type: ignore[arg-type]
    text = short(delivery_of(*files, *others(), found=tuple(found)), options)
    assert len(text.split()) <= 120 + 20 * again
    assert text.count("\n   - ") == again
    assert ("I'll ask the rest once these are answered." in text) == (questions == 40 and again < 30)


def test_the_most_urgent_questions_come_first_where_there_is_no_room_for_all() -> None:
    asked = [task for task in TASKS if task.kind == "question" and task.key != "is-unsent"]
    files = [track(f"{n:02d} Part.wav") for n in range(len(asked))]
    found = tuple(asking(task.codes[0], t.path, kind="question") for task, t in zip(asked, files, strict=True))
    text = short(delivery_of(*files, found=found))
    assert "questions first, a word each will do:" in text
    assert "1. Is 00 Part a group of several tracks?" in text


def test_who_is_asked_about_one_file_reads_of_one_file() -> None:
    clipped = track("01 Bass.wav")
    text = short(delivery_of(clipped, *others(), found=(asking("clipping.baked", clipped.path),)))
    assert "Please export this file again." in text
    assert "From the song's start to after the last sound." in text
    assert "Please send only this one, under the same name." in text
    assert "these" not in text


def test_what_is_the_matter_with_every_file_is_said_once() -> None:
    files = others()
    found = (asking("length.set-short-of-mix"), asking("clipping.baked", files[0].path))
    text = short(delivery_of(*files, found=found))
    assert "Please export all 4 files again, in one go." in text
    assert text.count("ends before the rough mix does") == 1
    assert "   - Every file: ends before the rough mix does\n   - 02 Drum: distorts" in text
    assert "Please keep the file names." in text
    assert "fine" not in text


def test_a_file_has_as_many_reasons_as_eight_words_hold() -> None:
    codes = ("start.at-sound", "content.lossy-origin", "clipping.baked", "content.dropout")
    text = short(delivery_of(*others(), found=tuple(asking(code, "02 Drum.wav") for code in codes)))
    (line,) = [line for line in text.splitlines() if line.startswith("   - ")]
    assert line == "   - 02 Drum: starts at its first sound"
    text = short(delivery_of(*others(), found=tuple(asking(code, "02 Drum.wav") for code in codes[2:])))
    assert "   - 02 Drum: distorts, it was too loud\n" in text  # with the gaps it would be ten words


def test_settings_follow_the_brief_and_the_songs_rate() -> None:
    found = (asking("clipping.baked", "02 Drum.wav"),)
    delivery = delivery_of(*others(), found=found)
    floats = with_value(brief(), "sample_formats", ["float"])
    either = with_value(brief(), "printed.main_output_chain", "either")
    assert "WAV, 32 bit float, 48 kHz" in to_text(write_letter(delivery, SHORT, floats))
    assert "main output" not in to_text(write_letter(delivery, SHORT, either))
    unknown = (*found, asking("rate.differs", "03 Viola.wav", kind="question"))
    assert "at the song's own sample rate" in short(delivery_of(*others(), found=unknown))
    bars = (asking("length.loop-not-bars", "02 Drum.wav"),)
    assert "As a whole number of bars." in short(delivery_of(*others(), found=bars))


def test_a_file_that_is_left_out_is_not_counted_nor_explained() -> None:
    files = [track(f"0{n} {name}.wav", rate_hz=44_100) for n, name in ((8, "Drum"), (9, "Viola"))]
    found = tuple(asking("rate.differs", t.path, rate=44_100, common_rate=48_000) for t in files)
    options = LetterOptions(edits=LetterEdits(left_out=("again:08 Drum.wav",)))
    text = to_text(write_letter(delivery_of(*files, *others(), found=found), options))
    assert "Please export this file again." in text
    assert "08 Drum" not in text.partition("What was fine")[0]
    assert "09 Viola: 44.1 kHz, the others are at 48 kHz" in text


def test_nothing_asked_says_that_the_mix_can_begin() -> None:
    text = short(delivery_of(*others()))
    assert "I have all I need and can start mixing." in text
    assert "All 4 files are fine as they are." in text
    assert "again" not in text
    assert "?" not in text


def test_what_helps_where_it_exists_is_asked_so() -> None:
    found = (asking("content.no-rough-mix"), asking("content.companion-missing", missing=("a click",)))
    text = short(delivery_of(*others(), found=found, mix=False))
    assert "If you have it, please send your rough mix (an MP3 will do) and a click." in text
    parts = (asking("content.part-missing", missing=("Cello", "Oboe")),)
    assert "Please also send: Cello and Oboe." in short(delivery_of(*others(), found=parts))


def test_every_code_and_task_has_words_and_no_reason_is_long() -> None:
    again = {code for task in TASKS if task.place == "again" for code in task.codes}
    assert again == set(REASONS)
    assert {task.key for task in TASKS if task.place == "answer"} == set(QUESTIONS)
    assert again <= {check.code for check in CHECKS}
    for reason in REASONS.values():
        if isinstance(reason, str):
            assert len(reason.split()) <= WORDS_MOST, reason


def test_it_reads_easily(demo: Delivery) -> None:
    """Flesch 1948 (textstat), names of files replaced by a word of one syllable; 70 is plain English by his table."""
    names = sorted((t.stem for t in demo.tracks), key=len, reverse=True)
    for tone in TONES:
        page = write_letter(demo, LetterOptions(length="short", tone=tone))
        sentences = []
        for block in page.blocks[1:]:
            text = block.text
            for name in names:
                text = text.replace(name, "Bass")
            sentences.append(text if text[-1] in ".?!" else f"{text}.")
        assert max(len(part.split()) for text in sentences for part in text.replace("?", ".").split(". ")) <= 20
        assert textstat.flesch_reading_ease(" ".join(sentences)) > 70


@pytest.mark.parametrize("word", ["header", "dBFS", "flat top", "RMS", "NaN", "codec", "polarity"])
def test_no_engineers_word_stands_in_it(word: str) -> None:
    for reason in REASONS.values():
        assert not isinstance(reason, str) or word.casefold() not in reason.casefold()
    for question in QUESTIONS.values():
        assert word.casefold() not in " ".join(question).casefold()


@given(st.text(max_size=40), st.text(max_size=40), st.text(max_size=40))
def test_whatever_names_hold_stands_in_one_line(client: str, engineer: str, upload: str) -> None:
    options = LetterOptions(length="short", engineer=engineer, edits=LetterEdits(client=client, upload=upload))
    page = write_letter(delivery_of(*others()), options)
    assert all(block.text == block.text.replace("\n", "").replace("\r", "") for block in page.blocks)


def test_one_reason_of_two_findings_is_said_once() -> None:
    codes = ("length.not-bars", "length.loop-not-bars")
    text = short(delivery_of(*others(), found=tuple(asking(code, "02 Drum.wav") for code in codes)))
    assert "02 Drum: is not a whole number of bars\n" in text


def test_a_delivery_of_one_file_is_no_set() -> None:
    alone = track("01 Bass.wav")
    text = short(delivery_of(alone, found=(asking("clipping.baked", alone.path),)))
    assert "Please export this file again." in text
    assert "   - 01 Bass: distorts" in text


def test_only_what_was_measured_and_neither_asked_nor_answered_for_is_fine() -> None:
    files = [*others(), replace(track("09 Gone.wav"), measures=None)]
    answered = Finding(
        code="content.empty",
        action=Action.NOTE,
        files=("02 Drum.wav",),
        evidence={"client_says": "drums follow"},
        song="Song",
    )
    text = short(delivery_of(*files, found=(answered, asking("clipping.baked", "03 Viola.wav"))))
    assert "2 of your 5 files are fine as they are." in text


def test_what_could_not_be_checked_here_is_still_to_be_looked_at_but_not_what_was_not_compared() -> None:
    def left(what: str) -> str:
        why = Phrase("do.other-folder")
        undone = Incomplete(what=what, files=("02 Drum.wav",), problem=why, remedy=why)  # type: ignore[arg-type]
        return short(replace(delivery_of(*others()), incomplete=(undone,)))

    assert "I still have to look at one of the files." in left("measuring")
    assert "look at" not in left("comparing")
    assert "look at" not in left("matching")


def test_songs_of_two_rates_are_each_exported_at_their_own_and_the_briefs_bits_count() -> None:
    one, two = song_of(others(), mix=False), song_of([track("1 Horn.wav", rate_hz=44_100)], mix=False)
    found = (asking("clipping.baked", "02 Drum.wav"), asking("clipping.baked", "1 Horn.wav"))
    both = Delivery(source=Path("/x"), name="x", sets=(replace(one, name="A"), replace(two, name="B")), findings=found)
    assert "at the song's own sample rate" in short(both)
    assert "A / 02 Drum: distorts" in short(both)
    assert "WAV, 32 bit, " in to_text(write_letter(both, SHORT, with_value(brief(), "bits_min", 32)))


@pytest.mark.parametrize(
    ("scope", "words"),
    [("every-track", "Please export every track on its own."), ("groups", "Please send groups, not single tracks.")],
)
def test_tracks_or_groups_are_asked_for_without_the_details(scope: str, words: str) -> None:
    text = short(delivery_of(*others(), found=(asking("content.scope", scope=scope),)))
    assert words in text
    assert "below" not in text


def test_a_second_letter_thanks_repeats_only_what_is_open_and_names_what_is_new() -> None:
    files = [track(path) for path in ("01 Drum.wav", "02 Bass v2.wav", "03 Horn.wav", "04 Harp.wav")]
    drum = asking("clipping.baked", "01 Drum.wav")
    harp = asking("length.tail-cut", "04 Harp.wav", end_dbfs=-20.0)
    rounds = Rounds(
        is_partial=False,
        requests=(
            RoundRequest(
                code="clipping.baked", files=("01 Drum.wav", "02 Bass.wav"), state="partly", left=("01 Drum.wav",)
            ),
            RoundRequest(code="rate.differs", files=("04 Harp.wav", "05 Gone.wav"), state="met"),
        ),
        files=(
            RoundFile(path="01 Drum.wav", was="01 Drum.wav", state="replaced"),
            RoundFile(path="02 Bass v2.wav", was="02 Bass.wav", state="replaced"),
            RoundFile(path="04 Harp.wav", was="04 Harp.wav", state="replaced"),
            RoundFile(path="05 Gone.wav", was="05 Gone.wav", state="gone"),
        ),
        new_findings=(harp,),
    )
    for tone in TONES:
        options = LetterOptions(length="short", tone=tone, rounds=rounds)
        text = short(delivery_of(*files, found=(drum, harp)), options)
        assert "the new files" in text
        assert "\n02 Bass v2 is fine now.\n" in text  # not the harp: it is asked for again, for another reason
        assert "- 01 Drum, still: distorts" in text
        assert "- 04 Harp, new: stops while" in text
    assert "new" not in short(delivery_of(*files, found=(drum, harp)))


def test_a_second_letter_to_whom_all_came_right_says_so() -> None:
    files = [track("01 Drum.wav"), track("02 Bass.wav")]
    rounds = Rounds(
        is_partial=False,
        requests=(RoundRequest(code="clipping.baked", files=("01 Drum.wav", "02 Bass.wav"), state="met"),),
        files=tuple(RoundFile(path=t.path, was=t.path, state="replaced") for t in files),
        new_findings=(),
    )
    text = short(delivery_of(*files, found=()), LetterOptions(length="short", rounds=rounds))
    assert "01 Drum and 02 Bass are fine now." in text
    assert "I have all I need" in text
