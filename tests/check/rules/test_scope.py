"""Tracks or groups: families in the names, and several sources in the sound."""

from __future__ import annotations

import pytest

from check.found import ASK, of
from deep_tally.model.delivery import Track
from deep_tally.model.findings import Action
from deep_tally.model.measures import BandSides
from tracks import brief, findings, stereo, track

FAMILIES = ("Drums", "Bass", "Music", "Vocals")
EVERY, GROUPS = brief(), brief(scope="groups")


def bands(low: float, high: float, share_db: float = -6.0) -> tuple[BandSides, ...]:
    made = (20.0, 200.0, low, -3.0), (2000.0, 16000.0, high, share_db)
    return tuple(BandSides(low_hz=a, high_hz=b, correlation=c, mono_loss_db=-0.5, share_db=s) for a, b, c, s in made)


def several(*names: str) -> list[Track]:
    """Files in which low and high lie differently between the sides."""
    return [stereo(f"{n}.wav", bands=bands(0.99, 0.78)) for n in names]


def single(*names: str) -> list[Track]:
    return [stereo(f"{n}.wav", bands=bands(0.99, 0.8)) for n in names]


def asked(files: list[Track], wanted: object) -> list[tuple[Action, str | None, int]]:
    return [(f.action, f.kind, len(f.files)) for f in of("content.scope", findings(files, brief=wanted))]


def test_families_are_groups_to_a_brief_for_groups() -> None:
    assert asked(single(*FAMILIES), GROUPS) == []
    assert asked(single("Bass DI", "Snare top", "Guitar L", "Guitar R"), GROUPS) == [(ASK, "request", 4)]


def test_families_are_asked_about_once_where_every_track_is_wanted_and_they_sound_like_it() -> None:
    assert asked(several(*FAMILIES), EVERY) == [(ASK, "question", 2)]  # the drums may be a loop


@pytest.mark.parametrize(
    "names", [FAMILIES[:3], (*FAMILIES, "Keys", "Strings", "FX", "Percussion", "Choirs", "Synths")]
)
def test_too_few_and_too_many_files_are_no_families(names: tuple[str, ...]) -> None:
    assert asked(several(*names), EVERY) == []


@pytest.mark.parametrize("odd", ["Guitar 2", "Bass DI", "Vocals left", "Snare", "Warm Cloud"])
def test_one_single_source_makes_all_of_them_tracks(odd: str) -> None:
    assert asked(several(*FAMILIES, odd), EVERY) == []


def test_a_songwriters_single_tracks_are_not_asked_about() -> None:
    assert asked([track("Drums.wav"), track("Bass.wav"), track("Guitar.wav"), track("Vocals.wav")], EVERY) == []
    assert asked(single(*FAMILIES), EVERY) == []
    # Two of four beside the drums are no majority, three are; one voice and one guitar are single whatever they sound.
    assert asked([*several("Drums", "Music", "Vocals"), *single("Bass", "Keys")], EVERY) == []
    assert asked([*several("Drums", "Music", "Vocals", "Keys"), *single("Bass")], EVERY) == [(ASK, "question", 3)]
    assert asked(several("Drums", "Bass", "Guitar", "Vocal"), EVERY) == []


def test_a_band_with_next_to_no_energy_shows_nothing() -> None:
    quiet = [stereo(f"{n}.wav", bands=bands(0.99, 0.78, share_db=-26.0)) for n in FAMILIES]
    assert asked(quiet, EVERY) == []


def test_families_in_other_words() -> None:
    assert asked(single("Schlagzeug", "Bass", "Musik", "Gesang"), GROUPS) == []
    assert asked(several("Drums", "Lead vocals", "Backing vocals", "Keys"), EVERY) == [(ASK, "question", 3)]
