"""Two exports in one delivery."""

from __future__ import annotations

import pytest

from check.found import all_of, of, two_sets
from deep_tally.check.rules.exports import by_time
from tracks import (
    codes,
    findings,
    others,
    track,
)


def test_files_written_within_an_hour_are_one_group() -> None:
    groups = by_time({"a": 0.0, "b": 3600.0, "c": 7201.0, "d": 7202.0}, 3600.0)
    assert groups["a"] == groups["b"] != groups["c"] == groups["d"]


@pytest.mark.parametrize(("first", "second", "found"), [(3, 3, True), (4, 3, True), (4, 2, False), (2, 3, False)])
def test_two_exports_of_three_files_each(first: int, second: int, found: bool) -> None:
    exports = [f for f in all_of(two_sets(first, second)) if f.code == "content.two-exports"]
    assert bool(exports) is found
    if found:
        assert exports[0].evidence == {"by": ("format", "prefix"), "files": 3}
    assert "content.two-exports" not in codes(two_sets(first, second, alike=False))


def test_two_rates_alone_are_no_two_exports_though_their_frames_differ() -> None:
    half = [
        track(
            f"2{n} Late.wav",
            rate_hz=44_100,
            frames=40 * 44_100,
            rms_dbfs=-31.0 - n,
            loudness_lufs=-32.0 - n,
            sample_peak_by_channel_dbfs=(-12.3 - n,),
        )
        for n in range(4)
    ]
    assert of("content.two-exports", findings([*others(4), *half])) == []


def test_the_first_group_of_files_is_number_one_and_the_smaller_export_is_named() -> None:
    assert by_time({"a": 0.0, "b": 10_000.0}, 3600.0) == {"a": 1, "b": 2}
    found = [f for f in all_of(two_sets(4, 3)) if f.code == "content.two-exports"]
    assert {path[0] for path in found[0].files} == {"B"}
