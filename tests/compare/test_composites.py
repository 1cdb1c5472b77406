"""Mixes and groups by their sound, on songs of synthesis: played and programmed, twenty parts each.

The limits are those of METHODS measured on recordings; here both halves of the catalogue of clean deliveries.
"""

from __future__ import annotations

from functools import cache

import numpy as np
import pytest

from deep_tally.compare.composites import find_composites
from deep_tally.compare.sampled import SPAN, Sampled
from deep_tally.demo.synth import RATE_HZ
from deep_tally.model.comparison import MixOf, SumOf
from detectors.clean import PLAYED, PROGRAMMED, Song
from processed import Sound, compressed, limited, panned, reverberation, shelf

SECONDS = 14


@cache
def parts(seed: int) -> dict[str, Sound]:
    song = Song(seed, SECONDS)
    made = {}
    for name, make in (PROGRAMMED if seed % 2 else PLAYED).items():
        sound = make(song).reshape(song.frames, -1)
        made[name] = sound / np.abs(sound).max() * 10 ** (song.noise.uniform(-20, -7) / 20)
    return made


def summed(seed: int, names: list[str] | None = None, *, spread_db: float = 6.0) -> Sound:
    noise = np.random.default_rng((8, seed))
    total = np.zeros((SECONDS * RATE_HZ, 2))
    for name, sound in parts(seed).items():
        gain, pan = 10 ** (noise.uniform(-spread_db, spread_db) / 20), noise.uniform(-0.7, 0.7)
        if names is None or name in names:
            total += gain * panned(sound, pan)
    return total


def found(seed: int, **more: Sound) -> tuple[list[MixOf], list[SumOf]]:
    """What is found among a song's parts and more files, at moments at which the parts are loud."""
    files = {**parts(seed), **more}
    noise = np.random.default_rng((9, seed))
    moments = SECONDS * RATE_HZ // SPAN
    chosen = set(np.linspace(0, moments - 1, 32).astype(int).tolist())
    for sound in parts(seed).values():
        energy = (sound[: moments * SPAN] ** 2).sum(axis=1).reshape(moments, SPAN).sum(axis=1)
        chosen |= set(noise.choice(np.argsort(energy)[-80:], 7, replace=False).tolist())
    places = np.array(sorted(chosen)) * SPAN
    rows = (places[:, None] + np.arange(SPAN)).ravel()
    columns = [sound[rows].astype(np.float32) for sound in files.values()]
    owners = np.repeat(np.arange(len(files)), [c.shape[1] for c in columns])
    sampled = Sampled(tuple(files), owners, places, np.concatenate(columns, axis=1))
    return find_composites(sampled, sampled.gram())


@cache
def processed_mix(seed: int) -> Sound:
    return shelf(shelf(compressed(summed(seed)), 120, 4, is_high=False), 8000, -4, is_high=True)


MIXES = {
    "plain": lambda seed: summed(seed, spread_db=0),
    "other levels": summed,
    "compressed and equalised": processed_mix,
    "limited": lambda seed: limited(summed(seed), 10),
    "with a reverberation on all": lambda seed: (
        summed(seed) + 0.25 * reverberation(np.random.default_rng(1), summed(seed))
    ),
    "all of it": lambda seed: limited(
        processed_mix(seed) + 0.2 * reverberation(np.random.default_rng(1), processed_mix(seed))
    ),
    "without the voices": lambda seed: summed(seed, [n for n in parts(seed) if "oice" not in n]),
    "of three parts in four": lambda seed: summed(seed, list(parts(seed))[:15]),
}


@pytest.mark.parametrize("seed", [0, 1])
@pytest.mark.parametrize("kind", MIXES)
def test_a_mix_is_known_by_who_is_inside(seed: int, kind: str) -> None:
    mixes, groups = found(seed, Bounce=MIXES[kind](seed))
    assert [m.path for m in mixes] == ["Bounce"]
    assert (mixes[0].files, groups) == (20, [])
    assert 0.7 <= mixes[0].share <= 1
    if kind in ("plain", "other levels"):
        assert mixes[0].members == tuple(parts(seed))
    if kind == "of three parts in four":
        assert mixes[0].members == tuple(parts(seed))[:15]


GROUPS = {"plain": lambda x: x, "compressed": compressed, "equalised": lambda x: shelf(x, 200, 5, is_high=False)}


@pytest.mark.parametrize(
    ("seed", "names"),
    [
        (0, ("Kick", "Organ")),
        (1, ("Kick", "Organ")),
        (0, ("Bass", "Piano", "Strings")),
        (1, ("Hat", "Clap", "Saws", "Sub")),
    ],
)
@pytest.mark.parametrize("kind", GROUPS)
def test_a_group_is_known_with_its_members(seed: int, kind: str, names: tuple[str, ...]) -> None:
    mixes, groups = found(seed, Keys2=GROUPS[kind](summed(seed, list(names), spread_db=3)))
    assert (mixes, [(g.path, g.is_exact) for g in groups]) == ([], [("Keys2", False)])
    assert {path for path, _ in groups[0].parts} == set(names)


@pytest.mark.parametrize("seed", [0, 1])
def test_what_only_sounds_like_others_is_neither(seed: int) -> None:
    noise = np.random.default_rng(5)
    controls = {
        "Room of all": compressed(reverberation(noise, summed(seed), 0.8)),
        "Return": reverberation(noise, parts(seed)["Organ"]),
        "Parallel": compressed(parts(seed)["Organ"], 15),
        "Driven": np.tanh(8 * parts(seed)["Organ"]),
        "Another song": summed(seed + 2),
    }
    for name, sound in controls.items():
        mixes, groups = found(seed, **{name: sound})
        assert name not in {m.path for m in mixes} | {g.path for g in groups}


@pytest.mark.parametrize("seed", [0, 1])
def test_copies_of_a_mix_do_not_hide_it(seed: int) -> None:
    """A copy in the set explains a mix away: it is left out when members are counted."""
    group = compressed(summed(seed, list(parts(seed))[:3], spread_db=3))
    mixes, groups = found(seed, A=summed(seed), B=limited(summed(seed)), C=0.4 * summed(seed), Bus=group)
    assert [(m.path, m.copy_of) for m in mixes] == [("A", None), ("B", "A"), ("C", "A")]
    assert all(m.share > 0.7 for m in mixes)
    assert [g.path for g in groups] == ["Bus"]


def test_two_mixes_of_other_levels_are_no_copies() -> None:
    louder = summed(0) + 3 * panned(parts(0)["Voice"]) + 3 * panned(parts(0)["Kick"]) - 0.9 * panned(parts(0)["Bass"])
    mixes, _ = found(0, A=summed(0), B=louder)
    assert [(m.path, m.copy_of) for m in mixes] == [("A", None), ("B", None)]


def test_too_few_files_are_no_song() -> None:
    two = {name: parts(0)[name] for name in ("Kick", "Bass")}
    both = np.concatenate([*two.values(), two["Kick"] + two["Bass"]], axis=1)
    columns = both[: 300 * SPAN].astype(np.float32)
    sampled = Sampled(("Kick", "Bass", "Sum"), np.arange(3), np.arange(300) * SPAN, columns)
    mixes, groups = find_composites(sampled, sampled.gram())
    assert (mixes, [g.path for g in groups]) == ([], ["Sum"])
