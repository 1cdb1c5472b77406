"""What the files of a delivery are: facts only, nothing measured and nothing assessed.

Conventions: frames count from 0, rates are Hz as the file states them, paths inside a delivery
are relative, with forward slashes, and keep undecodable bytes as surrogates (PEP 383).
"""

from __future__ import annotations

import enum
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from deep_tally.model.phrase import Phrase
from deep_tally.model.timeline import MeterStep, Timeline

SampleFormat = Literal["int", "float", "lossy"]


class Role(enum.Enum):
    """What a file is for. Trackouts, groups and effect returns are asked all nine questions.

    A mix is so only where the brief asks for one, as for mastering: then it is asked all nine itself. A trigger opens
    a gate or ducks another part and is not heard itself: it is measured, and nothing is asked of it.
    """

    TRACKOUT = "trackout"
    GROUP = "group"
    EFFECT_RETURN = "effect return"
    ROUGH_MIX = "rough mix"
    REFERENCE = "reference"
    CLICK = "click"
    MIDI = "midi"
    DOCUMENT = "document"
    STRAY = "stray"
    MIX = "mix"
    TRIGGER = "trigger"

    @property
    def is_assessed(self) -> bool:
        """Whether every question is put to files of this role."""
        return self in (Role.TRACKOUT, Role.GROUP, Role.EFFECT_RETURN, Role.MIX)

    @property
    def is_audio(self) -> bool:
        """Whether files of this role are opened and measured."""
        return self not in (Role.MIDI, Role.DOCUMENT, Role.STRAY)


RoleSource = Literal["name", "folder", "sound", "user"]


@dataclass(frozen=True, slots=True)
class RoleBasis:
    """What a file's role rests on.

    Attributes
    ----------
    source : RoleSource or None
        What says so; None where nothing says anything: then it is taken for a trackout.
    confidence : float
        0 to 1; under 1 the role is likely only, and shown as such until the user confirms it.
    """

    source: RoleSource | None = None
    confidence: float = 1.0

    @property
    def is_likely(self) -> bool:
        """Whether the role is not sure."""
        return self.confidence < 1


NO_BASIS, BY_USER = RoleBasis(), RoleBasis("user")


@dataclass(frozen=True, slots=True, kw_only=True)
class MidiFacts:
    """What a MIDI file states; None where it states nothing (no tempo event is no tempo, not 120).

    Attributes
    ----------
    tempo_bpm : float or None
        Of its first tempo event.
    tempo_changes : int
        How many tempo events set another tempo after the first.
    timeline : Timeline or None
        Its tempos and meters; before the first tempo event its definition's 120 BPM holds. None without a tempo event.
    meters : tuple of MeterStep
        Its time signatures, which count without a tempo too; empty where it has none.
    meter : str or None
        "4/4", of its first time signature.
    seconds : float or None
        Length; None without a tempo.
    beats : float
        Length in quarter notes.
    note_quarters : tuple of float
        When its notes begin, in quarter notes from its start, in order; the first few thousand.
    """

    title: str | None = None
    tempo_bpm: float | None = None
    tempo_changes: int = 0
    meter: str | None = None
    key: str | None = None
    seconds: float | None = None
    beats: float = 0.0
    timeline: Timeline | None = None
    meters: tuple[MeterStep, ...] = ()
    note_quarters: tuple[float, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Damage:
    """Why a file could not be read, or not to its end.

    `problem` and `remedy` are clauses as in `DeepTallyError`.
    """

    problem: Phrase
    remedy: Phrase


@dataclass(frozen=True, slots=True, kw_only=True)
class Entry:
    """One file found in a delivery, before it is measured.

    Attributes
    ----------
    path : str
        Inside the delivery.
    source : Path
        Where its bytes are: the client's file, or the private copy of what was in a zip.
    song : str
        The song set it belongs to: a folder's name, a shared beginning of names, or the delivery's name. Empty for a
        note or MIDI file that is about no single one of several songs.
    mtime_ns : int
        When it was last changed, as the file system says.
    archived : str
        For a file out of a zip: the zip, the member and its checksum, which stay the same when it is unpacked anew.
    text : str
        What a plain-text note says; empty for every other role.
    midi : MidiFacts or None
    beside : str
        For a stray: the audio file of the same name it stands beside, which some program made it from.
    damage : Damage or None
        What was damaged before the file could be opened, as in a zip; what came out of it may still be read.
    basis : RoleBasis
        What the role rests on.
    """

    path: str
    source: Path
    role: Role
    bytes: int
    song: str = ""
    mtime_ns: int = 0
    archived: str = ""
    text: str = ""
    midi: MidiFacts | None = None
    beside: str = ""
    damage: Damage | None = None
    basis: RoleBasis = NO_BASIS

    @property
    def identity(self) -> tuple[str, int, int]:
        """What stays the same as long as the file does: where it is, its size, when it was changed."""
        return self.archived or str(self.source), self.bytes, 0 if self.archived else self.mtime_ns


@dataclass(frozen=True, slots=True, kw_only=True)
class Marker:
    """A place in a sound file that its maker marked; `text` may be empty."""

    frame: int
    text: str


@dataclass(frozen=True, slots=True, kw_only=True)
class SoundFormat:
    """What an opened audio file says about itself, checked against what is really there.

    Attributes
    ----------
    container : str
        "wav", "rf64", "w64", "aiff", "caf", "au", "flac", "ogg", "opus", "mp3", "m4a", …
    bits : int or None
        Valid bits of a sample; 32 or 64 for float; None for lossy formats.
    frames : int
        Frames that can be read.
    claimed_frames : int
        Frames the header promises; differs from `frames` in a damaged file.
    time_reference : int or None
        Broadcast-wave time stamp in frames since midnight (EBU Tech 3285); None where none is given.
    comments : tuple of str
        Free text the file carries (title, comment, description), for song, tempo and key.
    said : tuple of (label, text)
        What else the file says of itself (originator, date, coding history, iXML), to be shown.
    markers : tuple of Marker
        In order of time, at most a thousand.
    contradictions : tuple of Phrase
        Where the header contradicts the bytes that are there, though they can be read: one clause each.
    codec_delay_frames : int or None
        Frames of silence a lossy encoder put before the sound, where the stream says so; they are cut off when decoded.
    losses : tuple of Phrase
        What of the sound was damaged on the way and cannot be had from the file, a clause each.
    import_tags : tuple of Phrase
        Tags that make other programs stretch or loop the file on import: a tempo, loops.
    """

    container: str
    sample_format: SampleFormat
    bits: int | None
    rate_hz: int
    channels: int
    frames: int
    claimed_frames: int
    time_reference: int | None = None
    comments: tuple[str, ...] = ()
    said: tuple[tuple[str, str], ...] = ()
    markers: tuple[Marker, ...] = ()
    contradictions: tuple[Phrase, ...] = ()
    codec_delay_frames: int | None = None
    losses: tuple[Phrase, ...] = ()
    import_tags: tuple[Phrase, ...] = ()

    @property
    def seconds(self) -> float:
        """Length in seconds."""
        return self.frames / self.rate_hz


@dataclass(frozen=True, slots=True, kw_only=True)
class Unchecked:
    """Why a file could not be checked here, though nothing says that it is at fault (see `NotCheckedHere`).

    `problem` and `remedy` are clauses as in `DeepTallyError`.
    """

    problem: Phrase
    remedy: Phrase


@dataclass(frozen=True, slots=True, kw_only=True)
class Incomplete:
    """Something that this machine kept the check from doing.

    Attributes
    ----------
    what : "opening", "measuring", "comparing" or "matching"
        Which step was not done.
    files : tuple of str
        Paths inside the delivery that it was not done for.
    problem, remedy : Phrase
        Clauses as in `DeepTallyError`.
    """

    what: Literal["opening", "measuring", "comparing", "matching"]
    files: tuple[str, ...]
    problem: Phrase
    remedy: Phrase


@dataclass(frozen=True, slots=True, kw_only=True)
class ClientFiles:
    """What belongs to the client: files that nothing is written over, and folders that nothing is written into."""

    files: tuple[Path, ...] = ()
    folders: tuple[Path, ...] = ()


NO_CLIENT = ClientFiles()


@dataclass(frozen=True, slots=True, kw_only=True)
class Intake:
    """A delivery as found on disk: its name and its files, none opened yet.

    Attributes
    ----------
    source : Path
        The folder or zip that `Entry.path` is relative to.
    name : str
        The delivery's name: its folder's or zip's, or the common folder's of loose files.
    entries : tuple of Entry
        In natural order of their paths.
    archives : tuple of Path
        The client's zips that files were taken out of.
    folders : tuple of Path
        The client's folders that were opened.
    troubles : tuple of Phrase
        One sentence for everything the client sent that could not be looked into.
    incomplete : tuple of Incomplete
        What this machine kept from being looked into.
    """

    source: Path
    name: str
    entries: tuple[Entry, ...]
    archives: tuple[Path, ...] = ()
    folders: tuple[Path, ...] = ()
    troubles: tuple[Phrase, ...] = ()
    incomplete: tuple[Incomplete, ...] = ()

    @property
    def client(self) -> ClientFiles:
        """What nothing may be written over, or into."""
        return ClientFiles(files=(*(e.source for e in self.entries), *self.archives), folders=self.folders)

    @property
    def sounds(self) -> tuple[Entry, ...]:
        """The entries that are to be opened and measured."""
        return tuple(e for e in self.entries if e.role.is_audio)

    @property
    def songs(self) -> tuple[str, ...]:
        """The song sets, in the order of their first files."""
        return tuple(dict.fromkeys(e.song for e in self.entries if e.role.is_audio))
