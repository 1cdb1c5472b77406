"""The rounds as rows: what is open first, which file stands for which, and what changed in words."""

from __future__ import annotations

from deep_tally.model.rounds import Difference, RoundFile, RoundRequest, Rounds, SampleChanges
from deep_tally.views.round_rows import file_words, place_rows, places_to_choose, request_rows, summary_words

SAME = RoundFile(path="03 Bells.wav", was="03 Bells.wav", state="same")
KEPT = RoundFile(path="10 Kept.wav", was="10 Kept.wav", state="kept")
GONE = RoundFile(path="04 Gone.wav", was="04 Gone.wav", state="gone")
NEW = RoundFile(path="40 New.wav", was=None, state="new")
LOUD = RoundFile(
    path="x/01 Drum v2.wav",
    was="01 Drum.wav",
    state="replaced",
    changes={"sample_peak_dbfs": (0.0, -6.0), "rate_hz": (44_100, 48_000), "seconds": (40.0, 42.5)},
    sound=SampleChanges(level_db=-6.02, differences=(Difference(start_s=17.9, stop_s=18.0, db=-20.0),) * 3),
)
ROUNDS = Rounds(
    is_partial=True,
    requests=(
        RoundRequest(code="rate.differs", files=("08 Fiddle.wav",), state="met"),
        RoundRequest(
            code="clipping.baked", files=("01 Drum.wav", "02 Bass.wav"), state="partly", left=("02 Bass.wav",)
        ),
        RoundRequest(code="length.tail-cut", files=("03 Bells.wav",), state="not-met", left=("03 Bells.wav",)),
    ),
    files=(KEPT, LOUD, NEW, SAME, GONE),
    new_findings=(),
)


def test_what_is_open_stands_first_with_the_files_that_are_left() -> None:
    rows = request_rows(ROUNDS)
    assert [row.state for row in rows] == ["not-met", "partly", "met"]
    assert rows[0].files == "03 Bells.wav: sent again unchanged"
    assert rows[1].files == "02 Bass.wav"
    assert rows[2].headline == "Different sample rate"


def test_the_files_stand_under_those_they_stand_for_and_what_came_stands_first() -> None:
    rows = place_rows(ROUNDS)
    assert [row.path for row in rows] == ["01 Drum.wav", "03 Bells.wav", "", "04 Gone.wav", "10 Kept.wav"]
    assert [f.path for f in rows[0].files] == ["x/01 Drum v2.wav"]
    assert places_to_choose(rows) == ("01 Drum.wav", "03 Bells.wav", "04 Gone.wav", "10 Kept.wav")


def test_what_changed_is_said_with_its_units() -> None:
    assert file_words(LOUD) == (
        "peak 0.0 dBFS → −6.0 dBFS; rate 44.1 kHz → 48 kHz; length 0:40.000 → 0:42.500; −6.0 dB throughout;"
        " its sound differs at 0:17.9 and 2 more, by −20.0 dB against its level"
    )
    assert file_words(SAME) == "bit for bit what it was"
    turned = RoundFile(path="a", was="a", state="replaced", sound=SampleChanges(level_db=-6.0, differences=()))
    assert file_words(turned) == "−6.0 dB throughout; otherwise the same sound"
    plain = RoundFile(path="a", was="a", state="replaced", sound=SampleChanges(level_db=0.0, differences=()))
    assert file_words(plain) == "otherwise the same sound"
    assert file_words(RoundFile(path="b", was="a", state="renamed")) == "was a, bit for bit the same"
    hair = RoundFile(path="a", was="a", state="replaced", changes={"first_sound_s": (5.0, 5.0001), "bits": (16, 24)})
    assert file_words(hair) == "bits 16 → 24"  # what reads the same is no news
    unknown = RoundFile(path="a", was="a", state="replaced")
    assert file_words(unknown) == "replaced; where its sound differs is not known"
    silent = RoundFile(path="a", was="a", state="replaced", changes={"rms_dbfs": (None, -12.0), "bits": (16, 24)})
    assert file_words(silent) == "RMS none → −12.0 dBFS; bits 16 → 24"


def test_the_whole_in_one_line() -> None:
    assert summary_words(ROUNDS, 2) == (
        "Round 2: 1 of 3 requests is met, 1 in part. 3 files were sent, 1 is kept from the round before,"
        " 1 file was not sent again."
    )
