"""Which file of a second round stands for which of the first."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from deep_tally.check.round_files import successors
from deep_tally.model.delivery import Track
from deep_tally.model.measures import OverviewLevel
from tracks import RATE, track


def matched(first: list[str], second: list[str], **contents: str) -> dict[str, str]:
    """By names alone, and by the contents of files that are named "a" in the first round and "b" in the second."""
    one = {path: contents.get(path, f"1{path}") for path in first}
    two = {path: contents.get(path, f"2{path}") for path in second}
    return successors([track(p) for p in first], [track(p) for p in second], one, two)


@pytest.mark.parametrize(
    "again",
    [
        *("01 Bass.wav", "01 bass.WAV", "sub/01 Bass.wav", "01_Bass.wav", "01 Bass.flac"),
        *("01 Bass (1).wav", "01 Bass copy.wav", "01 Bass v2.wav", "01 Bass_fixed.wav", "01 Bass new.wav"),
        *("Bass.wav", "07 Bass.wav", "01 Bass version 3.wav", "01 Bass (corrected).wav"),
    ],
)
def test_what_clients_do_to_a_name_does_not_hide_the_file(again: str) -> None:
    first = ["01 Bass.wav", "02 Bass amp.wav", "03 Voice.wav"]
    assert matched(first, [again]) == {again: "01 Bass.wav"}


@pytest.mark.parametrize("other", ["04 Cello.wav", "01 Bass 2.wav", "Bas.wav", "Tom 2.wav"])
def test_another_name_is_another_file(other: str) -> None:
    assert matched(["01 Bass.wav", "Tom 1.wav"], [other]) == {}


def test_the_whole_name_counts_before_what_is_like_it() -> None:
    first = ["Bass.wav", "Bass v2.wav"]
    assert matched(first, ["Bass v2.wav", "Bass.wav"]) == {"Bass v2.wav": "Bass v2.wav", "Bass.wav": "Bass.wav"}
    assert matched(first, ["Bass v3.wav"]) == {}  # it could be either


def test_several_files_may_stand_for_one() -> None:
    assert matched(["Bass.wav"], ["Bass.wav", "Bass v2.wav"]) == {"Bass.wav": "Bass.wav", "Bass v2.wav": "Bass.wav"}


def test_the_same_content_under_any_name_is_the_same_file() -> None:
    assert matched(["x.wav", "y.wav"], ["Quite another.wav"], **{"x.wav": "c", "Quite another.wav": "c"}) == {
        "Quite another.wav": "x.wav"
    }
    twice = {"x.wav": "c", "y.wav": "c", "Quite another.wav": "c"}
    assert matched(["x.wav", "y.wav"], ["Quite another.wav"], **twice) == {}


def test_a_name_counts_before_the_content_and_the_content_before_what_a_name_is_like() -> None:
    swapped = {"Voice.wav": "c", "Bass.wav": "c"}
    assert matched(["Voice.wav", "Bass v1.wav"], ["Bass.wav"], **swapped) == {"Bass.wav": "Voice.wav"}
    first = [track("Voice.wav"), track("Bass.wav")]
    by_name = successors(first, [track("Bass.wav")], {"Voice.wav": "c", "Bass.wav": "b"}, {"Bass.wav": "c"})
    assert by_name == {"Bass.wav": "Bass.wav"}


def sounding(path: str, seed: int, *, delay_bins: int = 0, gain: float = 1.0, share: float = 1.0) -> Track:
    """Levels that rise and fall at random, ten in a second; a share of them from the beginning."""
    levels = np.repeat(np.random.default_rng(seed).random(300)[: round(300 * share)] ** 2, 10)
    rms = np.concatenate([np.zeros(delay_bins), gain * levels])[:, None].astype(np.float16)
    made = track(path, first_sound_frame=delay_bins * RATE // 100)
    assert made.measures is not None
    level = OverviewLevel(bin_frames=RATE // 100, low=-rms, high=rms, rms=rms)
    return replace(made, measures=replace(made.measures, overview=(level,)))


def test_a_file_of_another_name_is_known_by_its_sound_wherever_it_begins_and_however_loud_it_is() -> None:
    first = [sounding(f"{name}.wav", n) for n, name in enumerate(("Aa", "Bb", "Cc"))]
    again = sounding("Zz.wav", 1, delay_bins=200, gain=0.3)
    assert successors(first, [again], {}, {}) == {"Zz.wav": "Bb.wav"}
    assert successors(first, [sounding("Zz.wav", 9)], {}, {}) == {}


def test_two_files_that_sound_alike_settle_nothing() -> None:
    first = [sounding("Aa.wav", 1), sounding("Bb.wav", 1, gain=0.5)]
    assert successors(first, [sounding("Zz.wav", 1)], {}, {}) == {}


def test_what_is_like_nothing_is_new_and_so_is_a_piece_of_a_file_or_a_copy_of_one_that_was_sent_again() -> None:
    first = [sounding("Aa.wav", 1)]
    assert successors(first, [sounding("Zz.wav", 9)], {}, {}) == {}
    assert successors(first, [sounding("Zz.wav", 1, share=0.6)], {}, {}) == {"Zz.wav": "Aa.wav"}
    assert successors(first, [sounding("Zz.wav", 1, share=0.4)], {}, {}) == {}
    assert successors(first, [sounding("Aa.wav", 1), sounding("Zz.wav", 1)], {}, {}) == {"Aa.wav": "Aa.wav"}
    silent = [sounding("Aa.wav", 1, gain=0.0), sounding("Bb.wav", 2, gain=0.0)]
    assert successors(silent, [sounding("Zz.wav", 1, gain=0.0)], {}, {}) == {}
