"""What notes say of files: sentences as clients write them (made up), and what a reader would take from each."""

from __future__ import annotations

import pytest

from deep_tally.model.delivery import SongFacts
from deep_tally.model.statements import Statement
from deep_tally.names.read import read_names
from deep_tally.names.statements import read_statements

FILES = [
    f"{name}.wav"
    for name in (
        "Kick In",
        "Kick Out",
        "OH L",
        "OH R",
        "Gtr 1",
        "Gtr 2",
        "Lead Vox",
        "BGV 1",
        "BGV 2",
        "Bass DI",
        "Tambourine",
        "Warm Cloud",
    )
]
NAMES = read_names(FILES, SongFacts())


def said(text: str, *, has_mix: bool = False, **written_s: float) -> tuple[Statement, ...]:
    written = {{"note": "notes.txt", "oh_r": "OH R.wav"}[key]: s for key, s in written_s.items()}
    return read_statements({"notes.txt": text}, NAMES, written_s=written, has_mix=has_mix)


def only(text: str, **options: float) -> Statement:
    (statement,) = said(text, **options)
    return statement


@pytest.mark.parametrize(
    ("sentence", "files"),
    [
        ("OH right is corrupted.", ["OH R.wav"]),
        ("Guitar 2 is distorted on purpose.", ["Gtr 2.wav"]),
        ("The backing vocals are mono", ["BGV 1.wav", "BGV 2.wav"]),
        ("Warm Cloud.wav starts at bar 17.", ["Warm Cloud.wav"]),
        ("warm cloud is a pad", ["Warm Cloud.wav"]),
        ("kick in has bleed", ["Kick In.wav"]),
        ("Both kicks are loud", ["Kick In.wav", "Kick Out.wav"]),
        ("Tamburin ist zu leise", ["Tambourine.wav"]),
        ("Gitarre 1 ist übersteuert", ["Gtr 1.wav"]),
    ],
)
def test_a_sentence_is_about_the_files_it_names(sentence: str, files: list[str]) -> None:
    assert only(sentence).files == tuple(files)
    assert only(sentence).words == sentence


@pytest.mark.parametrize(
    "sentence",
    [
        "Thanks for taking this on!",
        "Tempo is 112, key of F# minor.",
        "Please make it big.",
        "Call me at 16:9 or later.",
    ],
)
def test_a_sentence_about_no_file_says_nothing(sentence: str) -> None:
    assert said(sentence) == ()


@pytest.mark.parametrize(
    ("sentence", "awaited"),
    [
        ("OH right is corrupted, will resend.", ("OH right",)),
        ("The cello will follow tomorrow.", ("cello",)),
        ("Rough mix to follow", ("rough mix",)),
        ("I'll send the cello and the oboe next week", ("cello", "oboe")),
        ("Das Cello folgt", ("Cello",)),
        ("Cello reiche ich nach", ("Cello",)),
        ("The tambourine is still missing", ()),  # it came
        ("The cello won't follow", None),
        ("Follow the guitar 2", ()),
        ("OH right follows the left one", ()),
    ],
)
def test_what_is_announced_is_awaited(sentence: str, awaited: tuple[str, ...] | None) -> None:
    found = said(sentence)
    assert (found[0].awaited if found else None) == awaited


def test_what_came_since_is_awaited_no_longer() -> None:
    text = "OH right is corrupted, will resend."
    assert only(text, note=1000.0, oh_r=1060.0).awaited == ("OH right",)  # written with the note
    assert only(text, note=1000.0, oh_r=1061.0).awaited == ()
    assert only(text, oh_r=5000.0).awaited == ("OH right",)  # nobody knows when the note was written
    assert said("Rough mix to follow", has_mix=True) == ()


@pytest.mark.parametrize(
    ("sentence", "code"),
    [
        ("OH right is corrupted", "content.damaged"),
        ("Guitar 2 is distorted on purpose", "clipping."),
        ("The bass DI is mono", "channels.half-pair"),
        ("Lead vox was recorded in 16 bit", "depth."),
        ("Warm Cloud starts at bar 17", "start."),
        ("The tambourine is empty", "content.empty"),
        ("Guitar 1 is the same as guitar 2", "content.twin"),
        ("The lead vox was chopped", "content.dropout"),
        ("Warm cloud fades out early", "length."),
        ("Gitarre 1 hört plötzlich auf", "length."),
        ("Tambourine is very quiet", "headroom.quiet"),
    ],
)
def test_a_sentence_answers_what_it_is_about(sentence: str, code: str) -> None:
    assert code in only(sentence).answers


@pytest.mark.parametrize(
    "sentence",
    [
        "Is the lead vox clipping?",
        "Please make the lead vox mono",
        "The bass DI should be mono",
        "I don't know why the bass DI clips",
        "Lead vox is not clipped",
        "Maybe the lead vox is distorted",
        "Ist Gitarre 1 übersteuert?",
        "Gitarre 1 ist nicht übersteuert",
        "Guitar 1 ends on a big chord",
        "Lead vox is 24 bit",
    ],
)
def test_a_question_a_wish_a_doubt_and_a_denial_answer_nothing(sentence: str) -> None:
    assert only(sentence).answers == frozenset()


@pytest.mark.parametrize(
    ("sentence", "again", "awaited"),
    [
        ("OH right is corrupted, will resend", ("OH R.wav",), ("OH right",)),
        ("OH right and the cello are broken, we will resend", ("OH R.wav",), ("OH right", "cello")),
        ("OH right is loud, the cello will follow", (), ("cello",)),
    ],
)
def test_only_what_is_sent_again_is_awaited_again(
    sentence: str, again: tuple[str, ...], awaited: tuple[str, ...]
) -> None:
    assert (only(sentence).sent_again, only(sentence).awaited) == (again, awaited)


@pytest.mark.parametrize("sentence", ["I will send the money for the mix tomorrow", "We'll send notes on your mix"])
def test_a_mix_that_is_only_spoken_of_is_not_announced(sentence: str) -> None:
    assert said(sentence) == ()


def test_a_rest_is_no_empty_file() -> None:
    assert "content.empty" not in only("The tambourine is silent until 0:30").answers


@pytest.mark.parametrize(
    ("sentence", "at_s"),
    [
        ("1:02 pan left", 62.0),
        ("At 12:30.5 a delay throw", 750.5),
        ("1:2 is a ratio", None),
        ("meet at 10:30:15", None),
        ("1:75 is no time", None),
    ],
)
def test_times_in_the_song(sentence: str, at_s: float | None) -> None:
    found = said(sentence)
    assert (found[0].at_s if found else None) == at_s


def test_every_line_of_a_list_is_a_sentence_and_a_long_text_is_none() -> None:
    assert [s.words for s in said("- OH right is loud\n* guitar 2 too; tambourine not. 24.5 dB of bass DI")] == [
        "OH right is loud",
        "guitar 2 too;",
        "tambourine not.",
        "24.5 dB of bass DI",
    ]
    assert said("OH right " + "and so on " * 30) == ()
