"""A run over the songs: what goes to the workers, what is known already, progress, failures, cancelling."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from deep_tally.compare.pairs import correlation_of_levels
from deep_tally.compare.run import Comparing
from deep_tally.model.comparison import Comparison, Contained
from deep_tally.model.delivery import Track
from deep_tally.model.files import Entry, Intake, Role
from deep_tally.model.measures import OverviewLevel
from deep_tally.work.crew import Crew, Failed, Progress, Report, Returned
from tracks import runs, track


class Noted(Crew):
    """A crew without processes that notes what was submitted."""

    def __init__(self) -> None:
        self.jobs: list[tuple[str, tuple[object, ...]]] = []
        self.is_cancelled = False

    def submit(self, job: str, function: object, *arguments: object) -> None:
        self.jobs.append((job, arguments))

    def cancel(self) -> None:
        self.is_cancelled = True


NAMES = ("a.wav", "b.wav", "c.wav")
SONGS = ("One", "Two")


def intake(names: Sequence[str] = NAMES, songs: Sequence[str] = SONGS) -> Intake:
    entries = [
        Entry(path=f"{song}/{name}", source=Path("/x") / song / name, role=Role.TRACKOUT, bytes=9, song=song)
        for song in songs
        for name in names
    ]
    return Intake(source=Path("/x"), name="x", entries=tuple(entries))


def tracks(names: Sequence[str] = NAMES, songs: Sequence[str] = SONGS) -> list[Track]:
    return [track(f"{song}/{name}") for song in songs for name in names]


FOUND = Comparison(contained=(Contained(path="One/a.wav", inner="One/b.wav", gain_db=-3.0),))


def test_every_song_is_a_job_of_its_own_files() -> None:
    crew = Noted()
    comparing = Comparing(intake(), tracks(), crew)
    assert [job for job, _ in crew.jobs] == ["comparing One", "comparing Two"]
    entries, lightened = crew.jobs[1][1]
    assert [e.path for e in entries] == [t.path for t in lightened] == ["Two/a.wav", "Two/b.wav", "Two/c.wav"]  # type: ignore[attr-defined]
    assert (comparing.share, comparing.is_done, comparing.is_whole) == (0.0, False, False)


def test_songs_of_one_file_and_files_that_take_no_part_are_left_out() -> None:
    crew = Noted()
    silent = [track(f"One/{name}", first_sound_frame=None, last_sound_frame=None) for name in NAMES[:2]]
    one = [track("One/c.wav"), *silent, *(track(f"Two/{name}") for name in NAMES[:2])]
    comparing = Comparing(intake(), one, crew)
    assert [job for job, _ in crew.jobs] == ["comparing Two"]
    assert len(crew.jobs[0][1][0]) == 2  # type: ignore[arg-type]
    comparing.take(Returned("comparing Two", Comparison()))
    assert comparing.is_whole


def test_progress_is_the_share_of_the_songs_and_of_the_one_at_work() -> None:
    comparing = Comparing(intake(), tracks(), Noted())
    steps: list[tuple[Report, float]] = [
        (Progress("comparing One", 1, 4), 0.125),
        (Progress("comparing One", 3, 4), 0.375),
        (Returned("comparing One", FOUND), 0.5),
        (Progress("comparing Two", 1, 0), 0.5),
        (Returned("comparing Two", Comparison()), 1.0),
    ]
    for report, share in steps:
        assert comparing.take(report)
        assert comparing.share == pytest.approx(share)
    assert comparing.by_song == {"One": FOUND, "Two": Comparison()}
    assert (comparing.is_done, comparing.is_whole, comparing.incomplete) == (True, True, ())
    assert not comparing.take(Returned("One/a.wav", None))
    assert not comparing.take(Returned("comparing One", FOUND)), "it is done already"
    assert Comparing(intake(songs=()), [], Noted()).share == 1.0


def test_a_song_that_failed_leaves_the_others_and_is_said() -> None:
    comparing = Comparing(intake(), tracks(), Noted())
    comparing.take(Failed("comparing One", "the disk is gone", "plug it in"))
    assert not comparing.is_done
    comparing.take(Returned("comparing Two", Comparison()))
    assert (comparing.is_done, comparing.is_whole, set(comparing.by_song)) == (True, False, {"Two"})
    (trouble,) = comparing.incomplete
    assert (trouble.what, trouble.files, trouble.problem, trouble.remedy) == (
        "comparing",
        ("One/a.wav", "One/b.wav", "One/c.wav"),
        "the disk is gone",
        "plug it in",
    )


def test_what_was_compared_is_kept_when_the_rest_is_cancelled() -> None:
    crew = Noted()
    comparing = Comparing(intake(), tracks(), crew)
    comparing.take(Returned("comparing One", FOUND))
    comparing.cancel()
    assert crew.is_cancelled
    assert (comparing.is_done, comparing.is_whole, set(comparing.by_song)) == (True, False, {"One"})
    assert comparing.incomplete == ()


def test_files_that_were_compared_among_more_are_not_compared_again() -> None:
    first = Comparing(intake(songs=("One",)), tracks(songs=("One",)), Noted())
    first.take(Returned("comparing One", FOUND))
    crew = Noted()
    fewer = Comparing(intake(NAMES[:2], ("One",)), tracks(NAMES[:2], ("One",)), crew, known=first.found)
    assert (crew.jobs, fewer.by_song, fewer.is_whole, fewer.share) == ([], {"One": FOUND}, True, 1.0)
    again = Comparing(
        intake(("a.wav", "z.wav"), ("One",)), tracks(("a.wav", "z.wav"), ("One",)), crew, known=first.found
    )
    assert len(crew.jobs) == 1
    assert again.by_song == {}


def levels(bins: int, seed: int = 1) -> OverviewLevel:
    rms = np.random.default_rng(seed).uniform(0.1, 1.0, (bins, 2)).astype(np.float16)
    return OverviewLevel(bin_frames=48_000 * 40 // bins, low=-rms, high=rms, rms=rms)


@pytest.mark.parametrize(
    ("bins", "kept", "peaks"),
    [
        ((65_536, 16_384, 4096, 1024), 4096, 16_384),
        ((8192, 4096, 1024), 4096, 8192),
        ((4096, 1024), 4096, 4096),
        ((8192,), 8192, 8192),
        ((65_536,), 65_536, 65_536),
    ],
)
def test_a_worker_gets_a_level_of_rms_and_one_of_peaks_of_one_channel(
    bins: tuple[int, ...], kept: int, peaks: int
) -> None:
    crew = Noted()
    heavy = track("One/a.wav", overview=tuple(levels(n) for n in bins), clip_runs=runs(9), overs=runs(3))
    Comparing(intake(NAMES[:2], ("One",)), [heavy, track("One/b.wav")], crew)
    sent = crew.jobs[0][1][1][0].measures  # type: ignore[index]
    level, finer = sent.overview
    source = next(lv for lv in heavy.measures.overview if len(lv.rms) == peaks)  # type: ignore[union-attr]
    assert finer.low.tolist() == source.low.min(axis=1, keepdims=True).tolist()
    assert finer.high.tolist() == source.high.max(axis=1, keepdims=True).tolist()
    assert (finer.bin_frames, len(finer.rms)) == (source.bin_frames, 0)
    source = next(lv for lv in heavy.measures.overview if len(lv.rms) == kept)  # type: ignore[union-attr]
    assert level.rms.tolist() == source.rms.max(axis=1, keepdims=True).tolist()
    assert level.bin_frames == source.bin_frames
    assert not sent.clip_runs.lengths
    assert not sent.overs.lengths
    assert sent.loud_frames == heavy.measures.loud_frames  # type: ignore[union-attr]
    bare = replace(heavy, measures=replace(heavy.measures, overview=()))  # type: ignore[type-var]
    Comparing(intake(NAMES[:2], ("One",)), [bare, track("One/b.wav")], crew)
    assert crew.jobs[1][1][1][0].measures.overview == ()  # type: ignore[index]


def test_of_very_many_files_the_peaks_are_coarser() -> None:
    crew = Noted()
    names = tuple(f"{n}.wav" for n in range(101))
    heavy = track("One/0.wav", overview=tuple(levels(n) for n in (16_384, 4096)))
    rest = [track(f"One/{name}") for name in names[1:]]
    Comparing(intake(names, ("One",)), [heavy, *rest], crew)
    assert len(crew.jobs[0][1][1][0].measures.overview[-1].low) == 4096  # type: ignore[index]


def test_levels_of_unequal_length_do_not_move_together() -> None:
    left, right = (track(f"{n}.wav", overview=(levels(800),)) for n in "lr")
    assert correlation_of_levels(left, right) == pytest.approx(1.0)
    assert correlation_of_levels(left, track("r.wav", overview=(levels(400),))) is None
    assert correlation_of_levels(left, Track(path="r.wav", role=Role.TRACKOUT)) is None
