"""What is done here about each file of a finding, with its figures."""

from __future__ import annotations

import pickle
from dataclasses import replace
from typing import Any

import pytest

from check.found import FIX, all_of, named, one
from deep_tally.check.mends import with_mends
from deep_tally.check.registry import CODES
from deep_tally.model.files import Role
from deep_tally.model.findings import Action, Finding
from deep_tally.model.measures import DcOffsetStep
from deep_tally.model.mend import Mend
from deep_tally.reply.wording.mends import mend_words
from tracks import RATE, SECONDS, others, runs, song_of, stereo, track

BASS = "01 Bass.wav"
FIXED_HERE = {
    "start.at-sound": "put it where it was placed by hand",
    "start.offset": "put it where it was placed by hand",
    "start.stamp-differs": "place it by its time stamp",
    "length.short": "add silence to the common end",
    "length.ends-differ": "add silence up to the end of the longest one",
    "length.long": "end it with the others",
    "clipping.over": "turn it down together with the others, so that the balance stays",
    "headroom.hot": "turn it down together with the others, so that the balance stays",
    "headroom.dc": "remove the offset",
    "channels.same": "make it mono",
    "channels.panned-mono": "make it mono and keep its pan",
    "channels.one-side": "make it mono",
    "channels.split-pair": "join them into one stereo file",
    "channels.to-split": "split it into two mono files",
    "content.container": "save it as the requested type, without loss",
}
"""What is done about findings that name no new name, as the reply says it."""


@pytest.mark.parametrize(
    ("code", "tracks", "options", "mend"),
    [
        (
            "length.short",
            [track(frames=30 * RATE), *others()],
            {},
            Mend("pad", {"to_s": float(SECONDS), "until": "common"}),
        ),
        ("length.long", [track(frames=50 * RATE), *others()], {}, Mend("trim", {"to_s": float(SECONDS)})),
        (
            "clipping.over",
            [
                track(sample_format="float", bits=32, overs=runs(3), sample_peak_by_channel_dbfs=(2.5,)),
                track("09 Gong.wav", sample_format="float", bits=32, overs=runs(2), sample_peak_by_channel_dbfs=(4.0,)),
                *others(),
            ],
            {},
            Mend("turn-down", {"db": 4.0}),  # as much as the loudest of the set needs
        ),
        (
            "headroom.hot",
            [track(sample_peak_by_channel_dbfs=(-1.0,)), *others()],
            {},
            Mend("turn-down", {"db": pytest.approx(5.0)}),
        ),
        ("headroom.dc", [track(dc_offset=(0.01,)), *others()], {}, Mend("remove-offset", {"share": 0.01})),
        (
            "headroom.dc",
            [track(dc_offset_step=DcOffsetStep(frame=700, channel=0, before=0.0, after=0.1)), *others()],
            {},
            Mend("remove-offset", {"share": 0.1, "share_before": 0.0, "from_frame": 700}),
        ),
    ],
)
def test_a_mend_has_the_figures_it_is_done_with(code: str, tracks: Any, options: Any, mend: Mend) -> None:
    found = [f for f in all_of(tracks, **options) if f.code == code and BASS in f.files]
    assert [f.mends[BASS] for f in found] == [mend]
    assert pickle.loads(pickle.dumps(found[0])).mends == found[0].mends


def test_files_of_two_lengths_are_padded_to_the_longest() -> None:
    longer_mix = track("Song rough mix.wav", role=Role.ROUGH_MIX, frames=60 * RATE)  # it is none of the files
    files = [track("a.wav"), track("b.wav", frames=SECONDS * RATE + 96_000), longer_mix]
    found = one("length.ends-differ", files, mix=False)
    assert set(found.mends) == {"a.wav", "b.wav"}
    assert {m.params["to_s"] for m in found.mends.values()} == {SECONDS + 2.0}


class _Counted(tuple):  # type: ignore[type-arg]
    """Tracks that count how often they are gone through."""

    times = 0

    def __iter__(self):  # type: ignore[no-untyped-def]
        _Counted.times += 1
        return super().__iter__()


def test_the_longest_of_a_thousand_files_is_looked_for_once() -> None:
    song = replace(song_of([track("a.wav"), track("b.wav")]), tracks=_Counted((track("a.wav"), track("b.wav"))))
    paths = ("a.wav", "b.wav", *(f"{n}.wav" for n in range(998)))
    _Counted.times = 0
    found = with_mends(Finding(code="length.ends-differ", action=FIX, files=paths), song)
    assert len(found.mends) == 1000
    assert _Counted.times == 1


def test_a_file_is_put_where_its_stamp_or_the_user_says() -> None:
    stamped = [track("a.wav", time_reference=0), track("b.wav", time_reference=480, frames=SECONDS * RATE - 480)]
    found = one("start.stamp-differs", [*stamped, *others(time_reference=0)])
    assert found.mends == {"b.wav": Mend("place", {"frames": 480.0, "by": "stamp"})}
    placed = one("start.offset", [track(), *others()], places={BASS: -960})
    assert placed.mends == {BASS: Mend("place", {"frames": -960.0, "by": "hand"})}


def test_mono_keeps_its_pan_or_its_only_side() -> None:
    panned = stereo(levels=(-20.0, -26.0), residual_db=-130.0, correlation=1.0)
    found = one("channels.panned-mono", [panned, *others()])
    assert found.mends[panned.path] == Mend("to-mono", {"gain_db": -6.0})
    one_side = one("channels.one-side", [stereo(levels=(-20.0, -120.0)), *others()])
    assert one_side.mends["01 Pad.wav"] == Mend("to-mono", {"side": "left"})


def test_each_file_of_many_that_share_a_finding_keeps_its_own_mend() -> None:
    hot = [track(f"{n} Part.wav", sample_peak_by_channel_dbfs=(-4.0 + n,)) for n in range(4)]
    (found,) = [f for f in all_of(hot) if f.code == "headroom.hot"]
    assert [found.mends[t.path].params["db"] for t in hot] == pytest.approx([2.0, 3.0, 4.0, 5.0])


def test_what_the_client_must_mend_is_not_mended_here() -> None:
    for finding in all_of([track("Audio 1.wav", bits=16, bits_in_use=16), *others()]):
        assert bool(finding.mends) is (finding.action is Action.FIX)


@pytest.mark.parametrize("because", ["characters", "clash", "long", "copy-mark", "number-twice", "pattern"])
def test_a_new_name_says_what_was_wrong_with_the_old_one(because: str) -> None:
    song = song_of(named("a.wav", "b.wav"))
    found = with_mends(Finding(code=f"name.{because}", action=FIX, files=("a.wav", "b.wav")), song)
    assert found.mends == dict.fromkeys(("a.wav", "b.wav"), Mend("rename", {"because": because}))
    assert mend_words(found.mends["a.wav"])


def test_every_mend_has_words_and_no_finding_that_is_fixed_lacks_one() -> None:
    song = song_of([track("a.wav"), track("b.wav")])
    assert FIXED_HERE.keys() <= set(CODES)
    for code, words in FIXED_HERE.items():
        found = with_mends(Finding(code=code, action=FIX, files=("a.wav", "b.wav")), song)
        assert {mend_words(m) for m in found.mends.values()} == {words}
        noted = Finding(code=code, action=Action.NOTE, files=("a.wav", "b.wav"))
        assert with_mends(noted, song) is noted
