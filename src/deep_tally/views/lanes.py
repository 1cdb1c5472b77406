"""The line-up without widgets: the lanes of one song, where each stands on the shared axis, how they are ordered."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from types import MappingProxyType
from typing import Literal

from deep_tally.model.delivery import Delivery, SongSet, Track
from deep_tally.model.files import Role
from deep_tally.model.findings import Action, Finding, Place
from deep_tally.model.names import FAMILIES, ParsedName
from deep_tally.model.placement import Placement
from deep_tally.names.words import natural_key
from deep_tally.reply.action_words import readable
from deep_tally.reply.numbers import clock, count, duration
from deep_tally.reply.role_words import role_words
from deep_tally.reply.wording.speaker import Speaker
from deep_tally.views.titles import bare_title, number_of

LaneOrder = Literal["delivered", "name", "family", "length", "first sound"]
ORDERS: Mapping[LaneOrder, str] = {
    "delivered": "as delivered",
    "name": "by name",
    "family": "by family",
    "length": "by length",
    "first sound": "by first sound",
}
_BY: Mapping[str, str] = {"stamp": "by its time stamp", "mix": "by the rough mix", "hand": "by hand"}
NUDGE = "Nudge "
"""How the words of a change begin that moves a file by a hair."""

_UNPLACED, _CLIPS = "start.unplaced", "content.clips"
_CLIP_GAP_S = 0.25
_BEFORE = "\0before/"
_ABOUT_PLACE = ("start.", "length.")


@dataclass(frozen=True, slots=True)
class LaneMark:
    """A finding's place on the shared axis."""

    start_s: float
    stop_s: float
    finding: Finding
    place: Place


@dataclass(frozen=True, slots=True)
class Lane:
    """One file on the shared time axis; times are seconds after the song's start.

    Attributes
    ----------
    start_s, stop_s : float
        Where it belongs: at its placement, else at the song's start.
    placement : Placement or None
    end_frames : int or None
        Frames of its own rate that it ends after (negative: before) the common end; None without one.
    says : str
        The second line beside it; empty where nothing is to be said.
    action : Action or None
        Its gravest.
    plays_twice : bool
        Whether other files play what it holds: it is only heard where it is chosen.
    is_unplaced : bool
        Whether nothing says where it belongs. Clips of one part that are so stand one after another.
    clips : tuple of Lane
        For the row of a part that came in pieces: each of them; empty for every other lane.
    before : Lane or None
        The file of the round before that this one stands for, where it lay then.
    """

    track: Track
    number: str
    title: str
    family: str
    start_s: float
    stop_s: float
    placement: Placement | None
    end_frames: int | None
    says: str
    action: Action | None
    marks: tuple[LaneMark, ...]
    plays_twice: bool = False
    is_unplaced: bool = False
    clips: tuple[Lane, ...] = ()
    before: Lane | None = None

    @property
    def files(self) -> tuple[Lane, ...]:
        """The lanes that share this row."""
        return self.clips or (self,)

    @property
    def path(self) -> str:
        """The file's."""
        return self.track.path

    @property
    def rate_hz(self) -> int:
        """The file's; 48 kHz for one that could not be read."""
        return self.track.format.rate_hz if self.track.format is not None else 48_000

    @property
    def seconds(self) -> float:
        """Its length."""
        return self.stop_s - self.start_s

    @property
    def is_moved(self) -> bool:
        """Whether it belongs elsewhere than at its own start."""
        return self.placement is not None and self.placement.frames != 0

    @property
    def sound_s(self) -> tuple[float, float] | None:
        """From where to where it sounds; None without sound."""
        edges = self.track.measures.extent if self.track.measures is not None else None
        if edges is None or edges.first_sound_frame is None or edges.last_sound_frame is None:
            return None
        at, rate = self.start_s, self.rate_hz
        return at + edges.first_sound_frame / rate, at + (edges.last_sound_frame + 1) / rate


@dataclass(frozen=True, slots=True)
class Slot:
    """A lane with its place among the lanes, in pixels from the top of all of them."""

    lane: Lane
    top: int
    height: int


@dataclass(frozen=True, slots=True)
class Head:
    """A line over a group of lanes."""

    words: str


def make_lanes(
    song: SongSet, delivery: Delivery, before: Mapping[str, Track] = MappingProxyType({})
) -> tuple[Lane, ...]:
    """The lanes of a song, in the order of the delivery; `before` are the files of the round before they stand for."""
    speaker = Speaker(delivery)
    found: dict[str, list[Finding]] = {t.path: [] for t in song.tracks}
    for finding in delivery.findings:
        for path in finding.files:
            if path in found:
                found[path].append(finding)
    lanes = tuple(
        replace(_lane(t, song, found[t.path], speaker), before=_before(before.get(t.path), song, speaker))
        for t in song.tracks
    )
    parts = [f for f in delivery.findings if f.code == _CLIPS and set(f.files) <= set(found)]
    spread = {lane.path: lane for part in parts for lane in _one_after_another(lanes, part.files)}
    return tuple(spread.get(lane.path, lane) for lane in lanes)


def _before(track: Track | None, song: SongSet, speaker: Speaker) -> Lane | None:
    """A file as it came in the round before; its name is its own, for both rounds may use the same."""
    return _lane(replace(track, path=f"{_BEFORE}{track.path}"), song, (), speaker) if track is not None else None


def _one_after_another(lanes: Sequence[Lane], paths: Sequence[str]) -> Iterator[Lane]:
    """The clips of a part: those that nothing places stand behind each other, in the order of their names."""
    at_s = 0.0
    for lane in sorted((ln for ln in lanes if ln.path in paths), key=lambda ln: natural_key(ln.path)):
        if not lane.is_unplaced or lane.placement is not None:
            yield lane
            continue
        marks = tuple(
            replace(m, start_s=m.start_s + at_s - lane.start_s, stop_s=m.stop_s + at_s - lane.start_s)
            for m in lane.marks
        )
        yield replace(lane, start_s=at_s, stop_s=at_s + lane.seconds, marks=marks)
        at_s += lane.seconds + _CLIP_GAP_S


def as_rows(lanes: Sequence[Lane], findings: Iterable[Finding]) -> tuple[Lane, ...]:
    """The lanes as rows: the clips of one part share one, in the place of the first."""
    by_path = {lane.path: lane for lane in lanes}
    place = {path: number for number, path in enumerate(by_path)}
    rows = dict(by_path)
    for part in (f for f in findings if f.code == _CLIPS and set(f.files) <= set(by_path)):
        clips = tuple(sorted((by_path[p] for p in part.files), key=lambda ln: (ln.start_s, natural_key(ln.path))))
        first = min(part.files, key=lambda path: place[path])
        name = readable(str(part.evidence.get("part", ""))) or clips[0].title
        says = "places not known" if all(c.is_unplaced for c in clips) else by_path[first].says
        title = f"{name} ({len(clips)} clips)"
        for clip in clips:
            rows.pop(clip.path)
        gravest = max((c.action for c in clips if c.action is not None), key=lambda a: a.gravity, default=None)
        rows[first] = replace(by_path[first], title=title, says=says, action=gravest, clips=clips)
    return tuple(sorted(rows.values(), key=lambda lane: place[lane.path]))


def _lane(track: Track, song: SongSet, findings: Sequence[Finding], speaker: Speaker) -> Lane:
    sound = track.format
    rate = sound.rate_hz if sound is not None else 48_000
    frames = sound.frames if sound is not None else 0
    placement = song.placements.get(track.path)
    offset = placement.frames if placement is not None else 0
    name = song.names.get(track.path)
    end = _end_frames(track, song, offset)
    everything = [*findings, *(a for f in findings for a in f.consequences)]
    return Lane(
        track=track,
        number=number_of(track),
        title=readable(bare_title(track.path)),
        family=_family(track, name),
        start_s=offset / rate,
        stop_s=(offset + frames) / rate,
        placement=placement,
        end_frames=end,
        says=_says(track, song, placement, findings, speaker),
        action=max((f.action for f in findings), key=lambda a: a.gravity, default=None),
        marks=tuple(
            sorted(
                (
                    LaneMark((offset + p.frame) / rate, (offset + p.frame + p.frames) / rate, f, p)
                    for f in everything
                    for p in f.places
                    if p.path == track.path
                ),
                key=lambda m: m.start_s,
            )
        ),
        plays_twice=track.path in song.played_by_others,
        is_unplaced=any(f.code == _UNPLACED for f in findings),
    )


def _family(track: Track, name: ParsedName | None) -> str:
    return (name.family if name is not None else "other") if track.role.is_assessed else role_words(track.role)


def _end_frames(track: Track, song: SongSet, offset: int) -> int | None:
    if track.format is None or song.common.frames is None or not song.common.rate_hz:
        return None
    # Whole frames of one rate are compared as such: seconds would lose them.
    if track.format.rate_hz == song.common.rate_hz:
        return offset + track.format.frames - song.common.frames
    if song.common.seconds is None:
        return None
    return round((offset + track.format.frames) - song.common.seconds * track.format.rate_hz)


def _says(
    track: Track, song: SongSet, placement: Placement | None, findings: Sequence[Finding], speaker: Speaker
) -> str:
    if track.unchecked is not None:
        return "could not be checked here"
    if track.damage is not None and track.format is None:
        return "cannot be read"
    if placement is not None and placement.frames:
        return placed_words(placement, track, song)
    about_place = [f for f in findings if f.code.startswith(_ABOUT_PLACE) and len(f.files) == 1]
    text = sorted(about_place or findings, key=lambda f: -f.action.gravity)
    if not text:
        return ""
    words = speaker.headline(text[0])
    return readable(f"{words[:1].lower()}{words[1:]}")


def placed_words(placement: Placement, track: Track, song: SongSet) -> str:
    """ "placed at bar 5 by hand", "placed at 5.2 + 17 ms by its time stamp", "placed at 0:10.000 by hand"."""
    seconds = placement.frames / (track.format.rate_hz if track.format is not None else 48_000)
    by = _BY[placement.by] if placement.by != "mix" or track.role is not Role.ROUGH_MIX else "by its files"
    timeline = song.facts.timeline
    if timeline is not None and seconds >= 0 and abs(timeline.off_the_bar_s(seconds)) < 0.0005:
        return f"placed at bar {timeline.place_at(seconds + 0.0005).bar} {by}"
    if timeline is not None and seconds >= 0:
        when, place = timeline.beat_before(seconds)
        return f"placed at {place.bar}.{place.beat} + {(seconds - when) * 1000:.0f} ms {by}"
    way = "" if seconds >= 0 else "before the start, "
    return f"placed {way}at {clock(abs(seconds), digits=3)} {by}"


def end_words(lane: Lane) -> str:
    """How it ends against the common end: "ends 3 samples (0.06 ms) early"; empty where it ends with the others."""
    if not lane.end_frames:
        return ""
    way = "late" if lane.end_frames > 0 else "early"
    frames = abs(lane.end_frames)
    return f"ends {count(frames, 'sample')} ({duration(frames / lane.rate_hz * 1000)}) {way}"


def in_order(lanes: Sequence[Lane], order: LaneOrder) -> Sequence[Lane | Head]:
    """The lanes in an order, under heads where they are grouped."""
    if order == "family":
        ranks = {family: rank for rank, family in enumerate(FAMILIES)}
        listed: list[Lane | Head] = []
        before = ""
        for lane in sorted(lanes, key=lambda ln: ranks.get(ln.family, len(ranks))):
            if lane.family != before:
                listed.append(Head(f"{lane.family[:1].upper()}{lane.family[1:]}"))
            listed.append(lane)
            before = lane.family
        return listed
    if order == "name":
        return sorted(lanes, key=lambda ln: natural_key(ln.title.casefold()))
    if order == "length":
        return sorted(lanes, key=lambda ln: -ln.seconds)
    if order == "first sound":
        return sorted(lanes, key=lambda ln: ln.sound_s[0] if ln.sound_s is not None else math.inf)
    return list(lanes)


def span_s(lanes: Sequence[Lane]) -> tuple[float, float]:
    """From where to where the axis reaches: all lanes, where they were delivered and where they belong."""
    starts = [0.0, *(lane.start_s for lane in lanes)]
    stops = [1e-3, *(lane.stop_s for lane in lanes), *(lane.seconds for lane in lanes)]
    return min(starts), max(stops)
