"""A run over the songs that have a rough mix."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest

from deep_tally.compare.matching import Matching
from deep_tally.engine.check_run import CheckRun
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.model.comparison import Comparison, MixOf
from deep_tally.model.files import Entry, Intake, Role
from deep_tally.model.mix_match import MixMatch
from deep_tally.model.phrase import Phrase
from deep_tally.work.crew import Failed, Progress, Returned
from inline import Inline
from sounds import RATE
from tracks import ROUGH_MIX, others, track

MATCH = MixMatch(mix=ROUGH_MIX.path, rate_hz=RATE, offset_frames=0, verdict="complete", null_db=-110.0, worst_db=-90.0)
TRACKS = [*others(3), ROUGH_MIX]
pytestmark = pytest.mark.mix_match


def entry(path: str, role: Role) -> Entry:
    return Entry(path=path, source=Path("/nowhere") / path, role=role, bytes=1, song="Song")


def intake(tracks: list) -> Intake:
    return Intake(source=Path("/nowhere"), name="Song", entries=tuple(entry(t.path, t.role) for t in tracks))


def begun(tracks: list = TRACKS, comparison: Comparison | None = None, **options: object) -> tuple[Matching, Inline]:
    crew = Inline()
    given = {"Song": comparison} if comparison is not None else {}
    return Matching(intake(tracks), {"Song": tracks}, given, crew, **options), crew  # type: ignore[arg-type]


def test_the_mix_is_held_against_the_files() -> None:
    matching, crew = begun()
    ((name, _, arguments),) = crew.jobs
    assert arguments[0].path == ROUGH_MIX.path
    assert [t.path for t in arguments[2]] == [t.path for t in others(3)]
    assert not matching.is_done
    assert matching.take(Progress(name, 6, 12))
    assert matching.share == 0.5
    assert matching.at_work == others(3)[0].path
    assert not matching.take(Returned("comparing Song", None))
    assert matching.take(Returned(name, MATCH))
    assert matching.is_done
    assert (matching.share, matching.at_work) == (1.0, "")
    assert matching.by_song == {"Song": MATCH}
    again, crew = begun(known=matching.found)
    assert again.by_song == {"Song": MATCH}
    assert not crew.jobs


def test_our_own_trouble_is_said_and_asks_nothing() -> None:
    matching, crew = begun()
    problem, remedy = Phrase("write.demo", why="x"), Phrase("ask.as-wav")
    matching.take(Failed(crew.jobs[0][0], problem, remedy))
    assert matching.is_done
    assert matching.by_song == {}
    (incomplete,) = matching.incomplete
    assert (incomplete.what, incomplete.files) == ("matching", (ROUGH_MIX.path,))


@pytest.mark.parametrize("tracks", [others(3), [ROUGH_MIX], []])
def test_without_a_mix_or_without_files_there_is_nothing_to_do(tracks: list) -> None:
    matching, crew = begun(tracks)
    assert not crew.jobs
    assert matching.is_done
    assert matching.share == 1.0


def test_of_several_mixes_the_one_that_holds_most_counts() -> None:
    second = track("Song rough mix 2.wav", role=Role.ROUGH_MIX)
    members = tuple(t.path for t in others(3))
    held = Comparison(
        mixes=(
            MixOf(path=ROUGH_MIX.path, members=members[:1], files=3),
            MixOf(path=second.path, members=members, files=3),
        )
    )
    _, crew = begun([*TRACKS, second], held)
    assert crew.jobs[0][2][0].path == second.path
    copy = replace(
        held, mixes=(replace(held.mixes[0], members=members), replace(held.mixes[1], copy_of=ROUGH_MIX.path))
    )
    _, crew = begun([*TRACKS, second], copy)
    assert crew.jobs[0][2][0].path == ROUGH_MIX.path


def test_cancelling_keeps_what_is_known(small_folder: Path) -> None:
    """The delivery is assessed before its mix is matched, and stays so."""
    with CheckRun([small_folder], DEFAULT_BRIEF, crew=Inline(), is_cached=False, is_fresh=True) as run:
        while run.stage != "matching":
            run.poll()
        assert run.delivery is not None
        assert not run.is_done
        first = run.delivery.findings
        run.cancel()
        list(run)
        assert run.is_done
        assert run.delivery.sets[0].mix_match is None
        assert run.delivery.findings == first
