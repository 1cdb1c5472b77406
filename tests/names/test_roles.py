"""Roles and facts from names. Notations are common practice."""

from __future__ import annotations

import pytest

from deep_tally.model.delivery import SongFacts
from deep_tally.model.files import Role
from deep_tally.names.facts import key_in, read_facts, tempo_in, title_of
from deep_tally.names.read import read_names
from deep_tally.names.roles import read_role
from deep_tally.names.vocabulary import shipped

SONG = "Lantern Over Brackwater 96 BPM D minor"


@pytest.mark.parametrize(
    ("path", "role"),
    [
        ("01 Frame drum.wav", Role.TRACKOUT),
        ("Lantern Over Brackwater rough mix.wav", Role.ROUGH_MIX),
        ("Lantern Over Brackwater Mix v3.wav", Role.ROUGH_MIX),
        ("MIX.mp3", Role.ROUGH_MIX),
        ("Rough Mix/Lantern.wav", Role.ROUGH_MIX),
        ("roughmix.flac", Role.ROUGH_MIX),
        ("Drum mix.wav", Role.TRACKOUT),
        ("Mixed choir.wav", Role.TRACKOUT),
        ("Mix/01 Kick.wav", Role.TRACKOUT),
        ("Bass stem.wav", Role.TRACKOUT),
        ("Remix strings.wav", Role.TRACKOUT),
        ("Reference 1.mp3", Role.REFERENCE),
        ("refs/Another song.mp3", Role.REFERENCE),
        ("Click.wav", Role.CLICK),
        ("Click beetle sample loop.wav", Role.TRACKOUT),
        ("Drums group.wav", Role.GROUP),
        ("Groups/Strings.wav", Role.GROUP),
        ("Reverb.wav", Role.EFFECT_RETURN),
        ("Plate return.wav", Role.EFFECT_RETURN),
        ("Guitar delay.wav", Role.EFFECT_RETURN),
        ("Channel buoy bell.wav", Role.TRACKOUT),
    ],
)
def test_roles(path: str, role: Role) -> None:
    assert read_role(path, SONG).role is role


@pytest.mark.parametrize(
    ("path", "role", "source", "is_likely"),
    [
        ("Master Keys.wav", Role.TRACKOUT, None, False),
        ("Master.wav", Role.ROUGH_MIX, "name", True),
        ("main out.wav", Role.ROUGH_MIX, "name", True),
        ("Stereo Out.wav", Role.ROUGH_MIX, "name", True),
        ("demo.mp3", Role.ROUGH_MIX, "name", True),
        ("full song.wav", Role.ROUGH_MIX, "name", True),
        ("preview.mp3", Role.ROUGH_MIX, "name", True),
        ("Lantern Over Brackwater bounce.wav", Role.ROUGH_MIX, "name", True),
        ("Bounce 3.wav", Role.TRACKOUT, None, False),
        ("LanternOverBrackwater_RoughMix.wav", Role.ROUGH_MIX, "name", False),
        ("Lantern (rough mix) no vox.wav", Role.ROUGH_MIX, "name", False),
        ("Rohmix.wav", Role.ROUGH_MIX, "name", False),
        ("Rough Guitar.wav", Role.TRACKOUT, None, False),
        ("Full Kit.wav", Role.TRACKOUT, None, False),
        ("Demo Vox.wav", Role.TRACKOUT, None, False),
        ("reference tracks/Another song.wav", Role.REFERENCE, "folder", False),
        ("Drum Bus.wav", Role.GROUP, "name", False),
        ("A-Reverb.wav", Role.EFFECT_RETURN, "name", False),
        ("FX Bus.wav", Role.EFFECT_RETURN, "name", False),
        ("Vocal Verb.wav", Role.EFFECT_RETURN, "name", True),
        ("Delay 1_4.wav", Role.EFFECT_RETURN, "name", False),
        ("Guitar FX.wav", Role.TRACKOUT, None, False),
        ("Hall Piano.wav", Role.TRACKOUT, None, False),
        ("aux 1.wav", Role.TRACKOUT, None, False),
        ("send 2.wav", Role.TRACKOUT, None, False),
        ("Sidechain.wav", Role.TRIGGER, "name", False),
        ("Kick side-chain.wav", Role.TRIGGER, "name", False),
        ("Kick Trigger.wav", Role.TRIGGER, "name", True),
        ("Ghost Kick.wav", Role.TRIGGER, "name", True),
        ("Ghost.wav", Role.TRACKOUT, None, False),
        ("Bass sidechained.wav", Role.TRACKOUT, None, False),
        ("Bass sidechain.wav", Role.TRACKOUT, None, False),
    ],
)
def test_a_role_says_what_it_rests_on_and_whether_it_is_sure(
    path: str, role: Role, source: str | None, is_likely: bool
) -> None:
    reading = read_role(path, SONG)
    assert (reading.role, reading.basis.source, reading.basis.is_likely) == (role, source, is_likely)


def test_a_group_to_the_reader_of_names_is_a_group() -> None:
    for stem in ("Drum Bus", "Strings submix", "Vox grp", "Gtr sum"):
        assert read_names([f"{stem}.wav"], SongFacts())[f"{stem}.wav"].family == "groups"
        assert read_role(f"{stem}.wav", SONG).role is Role.GROUP


def test_a_word_of_the_users_own_says_what_plays_and_so_no_mix() -> None:
    own = shipped().with_words({"lead synth": ["main"]})
    assert read_role("main 2.wav", SONG, own).role is Role.TRACKOUT


@pytest.mark.parametrize(
    ("text", "tempo"),
    [
        ("Song 96 BPM", 96.0),
        ("song_128bpm_Am", 128.0),
        ("BPM 92.5 song", 92.5),
        ("Song (92,5 bpm)", 92.5),
        ("bpm_140", 140.0),
        ("Song 9 BPM", None),
        ("Song 999 bpm", None),
        ("Song 24 bit 96", None),
        ("Take 120", None),
    ],
)
def test_tempo(text: str, tempo: float | None) -> None:
    assert tempo_in(text) == tempo


@pytest.mark.parametrize(
    ("text", "key"),
    [
        ("Song D minor", "D minor"),
        ("Song F# maj", "F# major"),
        ("song_Bbm_120", "Bb minor"),
        ("Lied a-moll", "A minor"),
        ("Song Es dur", None),
        ("C# minor", "C# minor"),
        ("Song in E flat major", "Eb major"),
        ("I am here", None),
        ("Am Fluss", None),
        ("A major decision", "A major"),
        ("Big mix", None),
        ("Drum", None),
    ],
)
def test_key(text: str, key: str | None) -> None:
    assert key_in(text) == key


@pytest.mark.parametrize(
    ("name", "title"),
    [
        (SONG, "Lantern Over Brackwater"),
        ("Paper_Lighthouse_Trackouts_48k_24bit", "Paper Lighthouse"),
        ("The House of Salt (Stems) 120bpm", "The House of Salt"),
        ("trackouts 24 bit 48 kHz", None),
        ("New Folder", None),
        ("Downloads", None),
        ("Song files for mixing 2026-03-03", None),
        ("Für die Mischung - Nordwind", "Für die Mischung Nordwind"),
    ],
)
def test_title(name: str, title: str | None) -> None:
    assert title_of(name) == title


def test_the_deliverys_name_counts_before_its_files() -> None:
    facts = read_facts("Paper Lighthouse 120 BPM", ["Loop 90 bpm.wav", "Shaker 90bpm.wav"], ["in A minor"])
    assert (facts.title, facts.tempo_bpm, facts.key) == ("Paper Lighthouse", 120.0, "A minor")


def test_without_it_most_files_decide() -> None:
    assert read_facts("files", ["a 90 bpm.wav", "b 120bpm.wav", "c 120 BPM.wav"], []).tempo_bpm == 120.0
