"""The sheet without widgets: its rows, what most files agree on, and how rows sort."""

from __future__ import annotations

import math
from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, fields, replace

from deep_tally.check.assess import facts_of
from deep_tally.check.common import find_common
from deep_tally.check.roles import in_requested_roles
from deep_tally.model.brief import Brief
from deep_tally.model.comparison import MidiPair
from deep_tally.model.decisions import Decided
from deep_tally.model.delivery import Common, Delivery, SongFacts, Track
from deep_tally.model.files import Entry, Intake
from deep_tally.model.findings import Action, Finding
from deep_tally.model.names import ParsedName
from deep_tally.model.statements import Statement
from deep_tally.names.plan import layout_key
from deep_tally.names.read import read_names
from deep_tally.names.siblings import siblings_of
from deep_tally.names.vocabulary import Vocabulary
from deep_tally.names.words import natural_key
from deep_tally.reply.action_words import readable
from deep_tally.reply.role_texts import role_reason
from deep_tally.views.columns import QUESTIONS_OF, Column, SortBy
from deep_tally.views.sum_peak import sum_lines
from deep_tally.views.titles import bare_title, number_of


@dataclass(frozen=True, slots=True)
class Row:
    """One file as the sheet shows it.

    Attributes
    ----------
    common : Common
        What most files of its song agree on.
    is_alone : bool
        Whether no other row has the same title: else folder and ending must tell them apart.
    song : str
        Its song, where files of several are shown together; else empty.
    companion : Entry or None
        For a file that is not audio: what is known of it. Nothing is asked about it.
    name : ParsedName or None
        What is understood of its name.
    sibling_key : str
        What it shares with its other side or other form (dry, wet); empty where it stands alone.
    role_reason : str
        What its role rests on, in words; empty for a trackout that nothing speaks of.
    said : tuple of Statement
        What the client's notes say of it.
    summed : tuple of str
        Its part in the peak of all files together, in sentences.
    plays : MidiPair or None
        For a MIDI file: the part whose notes it has.
    decided : tuple of Decided
        Its findings that the engineer decided about.
    """

    track: Track
    findings: tuple[Finding, ...]
    is_measured: bool
    common: Common
    is_alone: bool = True
    song: str = ""
    companion: Entry | None = None
    name: ParsedName | None = None
    sibling_key: str = ""
    role_reason: str = ""
    said: tuple[Statement, ...] = ()
    summed: tuple[str, ...] = ()
    plays: MidiPair | None = None
    decided: tuple[Decided, ...] = ()

    @property
    def place(self) -> int:
        """Which rows stand first: the client's notes, then all sound, then what else is no sound."""
        if self.companion is None:
            return 1
        return 0 if self.companion.text else 2

    @property
    def number(self) -> str:
        """The track number its name begins with; empty without one."""
        return number_of(self.track) if self.companion is None else ""

    @property
    def title(self) -> str:
        """The name without number and ending, fit to be shown; the whole path where that is not enough."""
        if self.companion is not None:
            return readable(self.track.path.rpartition("/")[2])
        return readable(bare_title(self.track.path) if self.is_alone else self.track.path)

    @property
    def gravest(self) -> Action | None:
        """The gravest action of all its findings."""
        return max((f.action for f in self.findings), key=lambda a: a.gravity, default=None)

    def of(self, column: Column) -> tuple[Finding, ...]:
        """Its findings in one column, the gravest first."""
        if not self.findings:
            return ()
        found = [f for f in self.findings if f.question in QUESTIONS_OF[column]]
        return tuple(sorted(found, key=lambda f: -f.action.gravity)) if len(found) > 1 else tuple(found)

    def action(self, column: Column) -> Action | None:
        """The gravest action in a cell."""
        found = self.of(column)
        return found[0].action if found else None


@dataclass(frozen=True, slots=True)
class Sheet:
    """All rows with what they share.

    Attributes
    ----------
    common : Common
        What most files of the song agree on; of several songs, what is common to all of them.
    axis_s : float
        Length of the shared time axis in seconds.
    delivery : Delivery or None
        What is found: all, or what the measured files show by themselves so far.
    facts : SongFacts
        Of the song; nothing where there are several.
    songs : tuple of str
        The songs whose files are shown.
    is_whole : bool
        Whether all is found; before that, no head claims what the files agree on in what was found.
    """

    rows: tuple[Row, ...]
    common: Common
    axis_s: float
    brief: Brief
    delivery: Delivery | None
    facts: SongFacts
    songs: tuple[str, ...]
    is_whole: bool

    @property
    def assessed(self) -> tuple[Track, ...]:
        """The files that are asked all nine questions."""
        return tuple(r.track for r in self.rows if r.track.role.is_assessed)


def empty_sheet(brief: Brief) -> Sheet:
    """The sheet before anything is open."""
    return Sheet((), Common(), 0.0, brief, None, SongFacts(), (), is_whole=False)


def make_sheet(
    intake: Intake,
    tracks: Sequence[Track],
    brief: Brief,
    delivery: Delivery | None,
    *,
    is_whole: bool = True,
    song: str = "",
    vocabulary: Vocabulary | None = None,
) -> Sheet:
    """The sheet of what is known so far.

    `delivery` holds all that is found when `is_whole`, else what the measured files show by themselves; None before any
    is known. `song` is the one whose files are shown; all files are when it is empty.
    """
    is_whole = is_whole and delivery is not None
    songs = (song,) if song in intake.songs else intake.songs
    settled = delivery.tracks if is_whole and delivery is not None else in_requested_roles(tracks, brief)
    by_path = {t.path: t for t in settled}
    entries = [e for e in intake.entries if e.song in songs or len(songs) == len(intake.songs)]
    of_song = {s: [by_path[e.path] for e in entries if e.song == s and e.path in by_path] for s in songs}
    commons = {s: find_common(of_song[s], brief) for s in songs}
    titles = Counter((e.song, bare_title(e.path).casefold()) for e in entries if e.path in by_path)
    names: dict[str, ParsedName] = {}
    for s in songs:
        names |= read_names([t.path for t in of_song[s]], facts_of(intake, s, of_song[s], brief), vocabulary)
    assessed = [e.path for e in entries if e.path in names and by_path[e.path].role.is_assessed]
    siblings = siblings_of({path: names[path] for path in assessed})
    named = readable if len(songs) > 1 else (lambda song: "")
    found = _by_path(delivery.findings if delivery is not None else ())
    decided = delivery.decided if delivery is not None else ()
    mixes = [m for s in delivery.sets for m in s.comparison.mixes] if delivery is not None else []
    said = {path: found for s in delivery.sets for path, found in s.said_of.items()} if delivery is not None else {}
    sums = {path: sum_lines(s, path) for s in delivery.sets for path in s.by_path} if delivery is not None else {}
    rows = [_companion(e, named, delivery) for e in entries if e.text]
    for entry in entries:
        track = by_path.get(entry.path)
        if track is not None:
            is_alone = titles[entry.song, bare_title(entry.path).casefold()] == 1
            is_measured = track.is_done and track.unchecked is None
            name, sibling_key = names.get(entry.path), siblings.get(entry.path, "")
            known = track, tuple(found[entry.path]), is_measured, commons[entry.song], is_alone, named(entry.song)
            reason = role_reason(track, mixes)
            about = said.get(entry.path, ())
            summed = sums.get(entry.path, ())
            row = Row(*known, name=name, sibling_key=sibling_key, role_reason=reason, said=about, summed=summed)
            rows.append(replace(row, decided=tuple(d for d in decided if entry.path in d.finding.files)))
    rows += [_companion(e, named, delivery) for e in entries if not e.role.is_audio and not e.text]
    shown = [t for s in songs for t in of_song[s]]
    longest = max((t.format.seconds for t in shown if t.format is not None), default=0.0)
    facts = SongFacts()
    if len(songs) == 1 and is_whole and delivery is not None:
        facts = delivery.sets[intake.songs.index(songs[0])].facts
    elif len(songs) == 1:
        facts = facts_of(intake, songs[0], of_song[songs[0]], brief)
    return Sheet(tuple(rows), _shared(list(commons.values())), longest, brief, delivery, facts, songs, is_whole)


def _companion(entry: Entry, named: Callable[[str], str], delivery: Delivery | None) -> Row:
    """The row of a file that is no sound."""
    pairs = (
        [p for s in delivery.sets for p in s.comparison.midi if p.path == entry.path] if delivery is not None else []
    )
    plays = pairs[0] if pairs else None
    return Row(Track.of(entry), (), False, Common(), False, named(entry.song), entry, plays=plays)


def _by_path(findings: Iterable[Finding]) -> defaultdict[str, list[Finding]]:
    found: defaultdict[str, list[Finding]] = defaultdict(list)
    for finding in findings:
        for path in finding.files:
            found[path].append(finding)
    return found


def _shared(commons: Sequence[Common]) -> Common:
    """What several songs have in common."""
    if len(commons) == 1:
        return commons[0]
    same = {
        field.name: values.pop() if len(values := {getattr(c, field.name) for c in commons}) == 1 else None
        for field in fields(Common)
    }
    return Common(**same)


SortKey = tuple[float, tuple[tuple[int, int, str], ...]]


def sort_key(row: Row, column: Column, *, by: SortBy = "reading") -> SortKey:
    """What rows are sorted by: a reading, the length or the gravest action, then the name in natural order."""
    track = row.track
    name = natural_key(track.path)
    if by == "action":
        return -float(row.gravest.gravity if row.gravest else 0), name
    if by == "family":
        family, part, index, forms, side, _ = layout_key(track.path, row.name)
        return float(family), ((1, 0, part), (1, 0, index), (1, 0, forms), (0, side, ""), *name)
    m, sound = track.measures, track.format
    if column is Column.NAME or m is None or sound is None:
        return (0.0 if column is Column.NAME else math.inf), name
    value: float
    if column is Column.START_LENGTH:
        first = m.extent.first_sound_frame
        value = sound.seconds if by == "length" else (math.inf if first is None else first / sound.rate_hz)
    elif column is Column.RATE:
        value = sound.rate_hz
    elif column is Column.DEPTH:
        value = (sound.bits or 0) * 100 + (m.bits_in_use or sound.bits or 0)
    elif column is Column.CLIPPING:
        value = -(m.clip_runs.count(3) + m.overs.count())
    elif column is Column.HEADROOM:
        value = -m.sample_peak_dbfs
    elif column is Column.CHANNELS:
        value = -2.0 if m.sides is None else -(m.sides.correlation or 0.0)
    else:
        value = float(m.has_sound)
    action = row.action(column)
    return value - (1e9 * action.gravity if column is Column.CONTENT and action else 0.0), name
