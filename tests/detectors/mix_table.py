"""The table of the mix match: songs of 12 to 24 parts with known places, levels and gaps; what is found of each."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import Executor
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from compare.mixes import matched
from deep_tally.check.rules.in_mix import level_moved
from deep_tally.demo.synth import RATE_HZ
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.model.mix_match import MixMatch
from detectors.mix_songs import (
    EFFECTS,
    MixSong,
    Sent,
    as_mp3,
    as_sides,
    bussed,
    mixed,
    part_in_mix,
    song,
    with_effects,
)
from tracks import song_of, track

SONGS = 12
_SECONDS = 24.0
MODES = {"plain": lambda mix: mix, "MP3 192": as_mp3, "through a bus": bussed}
KINDS = ("as sent", "moved files", "a missing passage", "a missing part", "a moved fader", "effects")
_STRANGERS, _MOVED = 2, 3
_PLACED_T = 12.0
_WITHIN = {"plain": 0, "MP3 192": 2, "through a bus": 2}
_HALF = RATE_HZ // 2
_PASSAGE_S = 8
_MISSING_DB = -15.0


@dataclass
class Figures:
    """What is counted of one song: numbers to be added, and errors to be ranked."""

    counts: Counter[str] = field(default_factory=Counter)
    errors_db: list[float] = field(default_factory=list)

    def add(self, other: Figures) -> None:
        for name, number in other.counts.items():
            self.counts[name] += number
        self.errors_db += other.errors_db


Key = tuple[str, str]
"""Kind and mode."""


def outcomes(seed: int, seconds: float = _SECONDS, kinds: Sequence[str] = KINDS) -> dict[Key, Figures]:
    """One song in all kinds, with its mix in all modes; the song itself takes longest to make."""
    made, strangers = song(seed, seconds=seconds), song(seed + 9000, seconds=seconds, parts=_STRANGERS)
    return {(kind, mode): outcome(made, strangers, seed, kind, mode) for kind in kinds for mode in MODES}


def outcome(made: MixSong, strangers: MixSong, seed: int, kind: str, mode: str) -> Figures:
    """One song of a kind, with its mix in a mode."""
    random = np.random.default_rng((401, seed, KINDS.index(kind)))
    if kind == "a moved fader":
        return _of_faders(made, random, mode)
    if kind == "effects":
        return _of_effects(made, random, list(EFFECTS)[seed % len(EFFECTS)], mode)
    files, unsent, window = dict(made.files), "", None
    if kind in ("as sent", "moved files"):
        for name, sent in strangers.files.items():
            files[f"9{name}"] = replace(sent, gains=(0.0, 0.0))
    if kind == "moved files":
        files |= {name: _later(files[name], random) for name in random.permutation(list(made.files))[:_MOVED].tolist()}
        made = mixed(files, len(made.mix))
        files = dict(made.files)
    if kind.startswith("a missing"):
        unsent, window = _chosen(made, random, whole=kind == "a missing part")
        if kind == "a missing part":
            del files[unsent]
        else:
            silenced = files[unsent].sound.copy()
            silenced[window[0] : window[1]] = 0.0
            files[unsent] = replace(files[unsent], sound=silenced)
    found = matched(files, MODES[mode](made.mix))
    figures = Figures()
    if window is None:
        _places(figures, found, files, _WITHIN[mode], is_moved=kind == "moved files")
        _levels(figures, found, files, is_plain=mode == "plain")
        figures.counts["complete deliveries"] += 1
        figures.counts["stretches in them"] += len(found.spans)
        figures.counts[f"verdict {found.verdict}"] += 1
    else:
        _gaps(figures, found, part_in_mix(made.files[unsent], len(made.mix)), made.mix, window)
    return figures


def _later(sent: Sent, random: np.random.Generator) -> Sent:
    """A file that begins later in the song than the others."""
    first = int(random.integers(RATE_HZ // 2, 6 * RATE_HZ))
    return replace(sent, sound=sent.sound[: len(sent.sound) - first], start=first)


def _chosen(made: MixSong, random: np.random.Generator, *, whole: bool) -> tuple[str, tuple[int, int]]:
    """A part, and a passage in which it is at most 15 dB under the mix."""
    length = len(made.mix) if whole else _PASSAGE_S * RATE_HZ
    starts = [0] if whole else list(range(2 * RATE_HZ, len(made.mix) - length - RATE_HZ, RATE_HZ))
    for name in random.permutation(list(made.files)).tolist():
        own = part_in_mix(made.files[name], len(made.mix))
        for start in random.permutation(starts).tolist():
            inside = slice(start, start + length)
            if _db(own[inside], made.mix[inside]) > _MISSING_DB + (3 if whole else 0):
                return name, (start, start + length)
    raise ValueError("no part of this song is loud enough")


def _db(part: NDArray[np.float64], whole: NDArray[np.float64]) -> float:
    return float(10 * np.log10((np.square(part).sum() + 1e-30) / (np.square(whole).sum() + 1e-30)))


def _places(figures: Figures, found: MixMatch, files: Mapping[str, Sent], within: int, *, is_moved: bool) -> None:
    for file in found.files:
        sent = files[file.path]
        if not sent.is_in_mix:
            figures.counts["strangers"] += 1
            figures.counts["strangers in it"] += file.presence == "in"
            continue
        figures.counts["files"] += 1
        figures.counts["files lost"] += file.presence == "absent"
        is_sure = file.presence == "in" and file.is_sure and abs(file.t) >= _PLACED_T
        off = abs(file.start_frames - sent.start)
        figures.counts["sure"] += is_sure
        figures.counts["sure and wrong"] += is_sure and off > within
        if is_moved and sent.start:
            figures.counts["moved"] += 1
            figures.counts["moved, found"] += is_sure and off <= within


def _levels(figures: Figures, found: MixMatch, files: Mapping[str, Sent], *, is_plain: bool) -> None:
    """Errors of level; where the mix was made louder or softer as a whole, against the usual one."""
    errors = np.array([f.level_db - files[f.path].level_db for f in found.files if f.presence == "in"])
    if len(errors) and found.can_judge:
        figures.errors_db += np.abs(errors - (0.0 if is_plain else np.median(errors))).tolist()


def _gaps(
    figures: Figures, found: MixMatch, own: NDArray[np.float64], mix: NDArray[np.float64], window: tuple[int, int]
) -> None:
    """Half seconds in which the part is missing and heard, and those in which nothing is."""
    figures.counts["judged"] += found.can_judge
    figures.counts["songs with something missing"] += 1
    late = found.offset_frames
    for half in range(len(mix) // _HALF):
        at = slice(half * _HALF, (half + 1) * _HALF)
        middle = (at.start + at.stop) / 2
        is_framed = any(s.start_s <= (middle + late) / RATE_HZ <= s.stop_s for s in found.spans)
        is_inside = window[0] <= middle < window[1] and bool(np.abs(own[at]).max() > 0)
        level = _db(own[at], mix[at])
        if is_inside and level > _MISSING_DB:
            figures.counts["half seconds missing"] += 1
            figures.counts["framed"] += is_framed
        elif not is_inside or level < 2 * _MISSING_DB:
            figures.counts["half seconds whole"] += 1
            figures.counts["framed in vain"] += is_framed


def _of_faders(made: MixSong, random: np.random.Generator, mode: str) -> Figures:
    """All files as they stand in the mix, but one, whose fader was moved by 3 to 6 dB before it was sent."""
    moved = str(random.choice(list(made.files)))
    by_db = float(random.choice([-1, 1]) * random.uniform(3, 6))
    files = {}
    for name, sent in made.files.items():
        factor = 10 ** (by_db / 20) if name == moved else 1.0
        sound = as_sides(sent.sound) * np.array(sent.gains)
        files[name] = Sent(sound * factor, 0, (1 / factor, 1 / factor))
    found = matched(files, MODES[mode](made.mix))
    song_set = replace(song_of([track(name, channels=2) for name in files]), mix_match=found)
    said = [path for finding in level_moved(song_set, DEFAULT_BRIEF) for path in finding.files]
    figures = Figures()
    figures.counts["moved faders"] += 1
    figures.counts["moved faders, noted"] += moved in said
    figures.counts["others noted"] += sum(path != moved for path in said)
    return figures


def _of_effects(made: MixSong, random: np.random.Generator, effect: str, mode: str) -> Figures:
    """All files, and a mix in which each went through something that nobody sent."""
    found = matched(made.files, MODES[mode](with_effects(made, effect, random)))
    figures = Figures()
    figures.counts["stretches beside effects"] += len(found.spans)
    return figures


def _of(figures: Figures, part: str, whole: str) -> str:
    return f"{figures.counts[part]} of {figures.counts[whole]}"


def _share(figures: Figures, part: str, whole: str) -> str:
    return f"{100 * figures.counts[part] / max(1, figures.counts[whole]):.1f} %"


def lines(pool: Executor, seeds: Sequence[int]) -> Iterator[str]:
    """The table, as Markdown."""
    every: dict[Key, Figures] = defaultdict(Figures)
    for of_song in pool.map(outcomes, seeds):
        for key, figures in of_song.items():
            every[key].add(figures)
    yield f"| mix of {len(seeds)} songs | {' | '.join(MODES)} |"
    yield f"|---|{'---|' * len(MODES)}"
    for kind in KINDS:
        cells = [every[kind, mode] for mode in MODES]
        if kind in ("as sent", "moved files"):
            yield _line(f"{kind}: places sure and wrong", [_of(c, "sure and wrong", "sure") for c in cells])
            yield _line(f"{kind}: files lost", [_of(c, "files lost", "files") for c in cells])
            yield _line(f"{kind}: strangers taken for parts", [_of(c, "strangers in it", "strangers") for c in cells])
        if kind == "moved files":
            yield _line("moved files found", [_of(c, "moved, found", "moved") for c in cells])
        if kind == "as sent":
            for name, rank in (("median", 50), ("nine in ten", 90), ("greatest", 100)):
                yield _line(f"level error, {name}", [f"{np.percentile(c.errors_db, rank):.2f} dB" for c in cells])
            yield _line("stretches framed in complete deliveries", [str(c.counts["stretches in them"]) for c in cells])
        if kind.startswith("a missing"):
            yield _line(f"{kind}: half seconds found", [_share(c, "framed", "half seconds missing") for c in cells])
            yield _line(f"{kind}: can judge", [_of(c, "judged", "songs with something missing") for c in cells])
            yield _line(f"{kind}: framed in vain", [_share(c, "framed in vain", "half seconds whole") for c in cells])
        if kind == "a moved fader":
            yield _line("moved by 3 to 6 dB: noted", [_of(c, "moved faders, noted", "moved faders") for c in cells])
            yield _line("others noted", [str(c.counts["others noted"]) for c in cells])
        if kind == "effects":
            named = ", ".join(EFFECTS)
            yield _line(f"{named}: stretches framed", [str(c.counts["stretches beside effects"]) for c in cells])


def _line(name: str, cells: Sequence[str]) -> str:
    return f"| {name} | {' | '.join(cells)} |"
