"""The rounds of a delivery as rows: what became of each request, which file stands for which and what changed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from types import MappingProxyType

from deep_tally.model.delivery import Delivery
from deep_tally.model.findings import Finding
from deep_tally.model.rounds import FileState, RequestState, RoundFile, Rounds, Value
from deep_tally.names.words import natural_key
from deep_tally.reply.action_words import ACTION_WORDS, readable
from deep_tally.reply.numbers import clock, count, decibels, kilohertz, listed, signed
from deep_tally.reply.wording.speaker import Speaker, wording_of_code

REQUEST_WORDS: Mapping[RequestState, str] = MappingProxyType(
    {"met": "Met", "partly": "Partly met", "not-met": "Not met"}
)
STATE_WORDS: Mapping[FileState, str] = MappingProxyType(
    {
        "same": "unchanged",
        "replaced": "replaced",
        "renamed": "renamed",
        "new": "new",
        "gone": "gone",
        "kept": "kept",
    }
)
_ORDER: tuple[RequestState, ...] = ("not-met", "partly", "met")


@dataclass(frozen=True, slots=True)
class RequestRow:
    """A request of the round before: what became of it, what was asked, and for which files it is open still."""

    state: RequestState
    headline: str
    files: str


@dataclass(frozen=True, slots=True)
class FileRow:
    """One file: its path in this round (in the one before for what is gone), its state, and what changed."""

    path: str
    state: FileState
    says: str


@dataclass(frozen=True, slots=True)
class PlaceRow:
    """A file of the round before with those that stand for it now; without path: what stands for none."""

    path: str
    files: tuple[FileRow, ...]

    @property
    def rank(self) -> tuple[int, list[object]]:
        """What was sent again stands first, then what is new, then what was kept or is gone."""
        states = {file.state for file in self.files}
        later = 2 if states <= {"kept", "gone"} else 1 if not self.path else 0
        return later, [natural_key(self.path)]


def request_rows(rounds: Rounds) -> tuple[RequestRow, ...]:
    """What is open first."""
    same = {f.was for f in rounds.files if f.state == "same"}
    rows = []
    for request in rounds.requests:
        paths = request.left or request.files
        unchanged = [p for p in request.left if p in same]
        names = listed([_name(p) for p in paths], most=3)
        again = ": sent again unchanged" if unchanged and len(unchanged) == len(paths) else ""
        rows.append(RequestRow(request.state, wording_of_code(request.code).headline, readable(f"{names}{again}")))
    return tuple(sorted(rows, key=lambda r: _ORDER.index(r.state)))


def new_rows(rounds: Rounds, after: Delivery) -> tuple[tuple[Finding, str], ...]:
    """What is newly wrong, in words."""
    speaker = Speaker(after)
    return tuple((f, readable(f"{ACTION_WORDS[f.action]}: {speaker.summary(f)}")) for f in rounds.new_findings)


def place_rows(rounds: Rounds) -> tuple[PlaceRow, ...]:
    """The files by the place they take."""
    places: dict[str, list[FileRow]] = {}
    for file in rounds.files:
        row = FileRow(file.path, file.state, file_words(file))
        places.setdefault(file.was or "", []).append(row)
    rows = [PlaceRow(path, tuple(sorted(files, key=lambda f: natural_key(f.path)))) for path, files in places.items()]
    return tuple(sorted(rows, key=lambda row: row.rank))


def summary_words(rounds: Rounds, number: int) -> str:
    """ "Round 2: 3 of 6 requests are met, 1 in part; 1 new problem. 7 files were sent…" """
    met = sum(r.state == "met" for r in rounds.requests)
    partly = sum(r.state == "partly" for r in rounds.requests)
    said = [f"{met} of {count(len(rounds.requests), 'request')} {'is' if met == 1 else 'are'} met"]
    said += [f"{partly} in part"] if partly else []
    new = len(rounds.new_findings)
    first = f"Round {number}: {', '.join(said)}" + (f"; {count(new, 'new problem')}" if new else "")
    states = [f.state for f in rounds.files]
    kept = states.count("kept")
    sent = len(states) - kept - states.count("gone")
    files = [f"{count(sent, 'file was', 'files were')} sent"]
    files += [f"{kept} {'is' if kept == 1 else 'are'} kept from the round before"] if kept else []
    files += [f"{count(states.count('gone'), 'file was', 'files were')} not sent again"] if "gone" in states else []
    return f"{first}. {', '.join(files)}."


def file_words(file: RoundFile) -> str:
    """What became of one file: "peak −0.0 → −6.0 dBFS; its sound differs at 0:17.9"."""
    if file.state == "same":
        return "bit for bit what it was"
    values = {what: (_value(what, old), _value(what, new)) for what, (old, new) in file.changes.items()}
    said = [f"{_LABELS[what]} {old} → {new}" for what, (old, new) in values.items() if old != new]
    if file.state == "renamed" and file.was is not None:
        said.append(f"was {_name(file.was)}, bit for bit the same")
    sound = file.sound
    if sound is not None:
        if abs(sound.level_db) >= _LEVEL_LEAST_DB:
            said.append(f"{decibels(sound.level_db)} throughout")
        if sound.differences:
            first = sound.differences[0]
            more = f" and {len(sound.differences) - 1} more" if len(sound.differences) > 1 else ""
            said.append(
                f"its sound differs at {clock(first.start_s)}{more}, by {signed(first.db)} dB against its level"
            )
        elif not said or abs(sound.level_db) >= _LEVEL_LEAST_DB:
            said.append("otherwise the same sound")
    if not said and file.state == "replaced":
        return "replaced; where its sound differs is not known"
    return readable("; ".join(said))


_LEVEL_LEAST_DB = 0.05
_LABELS: Mapping[str, str] = MappingProxyType(
    {
        "seconds": "length",
        "rate_hz": "rate",
        "bits": "bits",
        "channels": "channels",
        "first_sound_s": "first sound",
        "sample_peak_dbfs": "peak",
        "rms_dbfs": "RMS",
    }
)


def _value(what: str, value: Value) -> str:
    if value is None:
        return "none"
    if isinstance(value, str):
        return value
    if what in ("seconds", "first_sound_s"):
        return clock(float(value), digits=3)
    if what == "rate_hz":
        return kilohertz(int(value))
    return decibels(float(value), "dBFS") if what.endswith("_dbfs") else str(value)


def _name(path: str) -> str:
    return path.rpartition("/")[2]


def places_to_choose(rows: Sequence[PlaceRow]) -> tuple[str, ...]:
    """The files of the round before, in natural order."""
    return tuple(sorted((r.path for r in rows if r.path), key=natural_key))
