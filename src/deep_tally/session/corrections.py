"""What the user said of each delivery, kept in the XDG data folder, so that it holds when the delivery comes again.

A record belongs to what a delivery is, not to where it lies: it lists the fingerprints of its files, and is found again
by them when the folder was moved, copied or packed. Records are read value by value: one that cannot be used costs
itself alone. A record that is damaged, or was written by a newer version, is never written over.
"""

from __future__ import annotations

import hashlib
import json
import math
from collections.abc import Callable, Iterator, Mapping
from contextlib import suppress
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from types import MappingProxyType
from typing import Annotated, Any, Literal

from platformdirs import user_data_path
from pydantic import Field, PlainValidator, StrictBool, StrictFloat, StrictInt, TypeAdapter, ValidationError

from deep_tally.model.corrections import NO_CORRECTIONS, Corrections
from deep_tally.model.decisions import Decision
from deep_tally.model.errors import CannotWrite
from deep_tally.model.files import Role
from deep_tally.model.letter_edits import LetterEdits
from deep_tally.model.phrase import Phrase
from deep_tally.model.ready import ReadyChoices
from deep_tally.names.facts import FASTEST_BPM, SLOWEST_BPM
from deep_tally.work.atomic import write_atomically

SCHEMA = 2
_FRAMES_MOST = 2**53
"""What a float still holds to the frame; 5,900 years at 48 kHz."""

_DIGITS_MOST = 40
_GAIN_MOST = 1e4
"""A factor of 80 dB: no fader reaches it."""
_ALIKE_LEAST = 0.5
"""Of a record's files, so many must be here, in content or at the same place by name, for it to be about them."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Recalled:
    """What was said of a delivery before.

    Attributes
    ----------
    corrections : Corrections
    record : Path
        Where it is kept, and where what is said from now on goes.
    trouble : str
        One sentence for the user when a record, or some of its values, could not be used; else empty.
    saved_in : Path or None
        The saved check of the delivery, as far as one is known.
    """

    corrections: Corrections
    record: Path
    trouble: str = ""
    saved_in: Path | None = None


def _text(value: object) -> str:
    """Any text, also such as no Unicode encoding can hold: names of files may be so."""
    if not isinstance(value, str):
        raise ValueError("no text")  # noqa: TRY004 - what pydantic takes for a refusal
    return value


_Text = Annotated[str, PlainValidator(_text)]
_Gain = Annotated[StrictFloat, Field(ge=-_GAIN_MOST, le=_GAIN_MOST, allow_inf_nan=False)]
_OF_EACH: Mapping[str, TypeAdapter[Any]] = MappingProxyType(
    {
        "roles": TypeAdapter(Role),
        "songs": TypeAdapter(_Text),
        "parts": TypeAdapter(tuple[_Text, ...]),
        "places": TypeAdapter(Annotated[StrictInt, Field(gt=-_FRAMES_MOST, lt=_FRAMES_MOST)]),
        "levels": TypeAdapter(tuple[_Gain, _Gain]),
        "tempos": TypeAdapter(Annotated[StrictFloat, Field(ge=SLOWEST_BPM, le=FASTEST_BPM)]),
        "names": TypeAdapter(_Text),
        "stands_for": TypeAdapter(_Text),
    }
)
"""What is said of each file, or of each song."""
_OF_ALL: Mapping[str, TypeAdapter[Any]] = MappingProxyType(
    {
        "rough_mixes": TypeAdapter(tuple[_Text, ...]),
        "pattern": TypeAdapter(_Text | None),
        "order": TypeAdapter(Literal["delivered", "family"]),
        "in_reply": TypeAdapter(StrictBool),
        "letter": TypeAdapter(LetterEdits),
        "decisions": TypeAdapter(tuple[Decision, ...]),
        "ready": TypeAdapter(ReadyChoices),
    }
)
"""What is said of the delivery."""
_MIGRATIONS: Mapping[int, Callable[[dict[str, Any]], dict[str, Any]]] = MappingProxyType(
    {
        # The first schema knew a delivery by its place alone, and neither roles nor songs.
        1: lambda data: {**data, "files": {}},
    }
)
"""From each schema to the next."""


@dataclass(frozen=True, slots=True)
class _Record:
    path: Path
    source: str
    files: Mapping[str, str]
    corrections: Corrections
    refused: tuple[str, ...]
    saved_in: Path | None


class _Unusable(Exception):
    """A record that is damaged, or newer than this version: `key` says which, `source` what it is about."""

    def __init__(self, key: str, source: object = None) -> None:
        super().__init__(key)
        self.key, self.source = key, source


def home() -> Path:
    """Where the records are (XDG data folder)."""
    return user_data_path("deep-tally") / "deliveries"


def recall(source: Path, files: Mapping[str, str]) -> Recalled:
    """What was said of a delivery before.

    Parameters
    ----------
    source : Path
        Where it is.
    files : mapping of path to str
        The fingerprints of its files' contents.
    """
    best: tuple[float, bool, _Record] | None = None
    trouble = ""
    for path in _records():
        try:
            record = _read(path)
        except _Unusable as unusable:
            if unusable.source == str(source) or path.stem in (_key(source, files), _old_key(source)):
                trouble = Phrase(unusable.key, path=str(path))
            continue
        except OSError:
            continue
        is_here = record.source == str(source)
        alike = _alike(record, files, is_here=is_here)
        if alike >= _ALIKE_LEAST and (best is None or (is_here, alike) > (best[1], best[0])):
            best = alike, is_here, record
    if best is None:
        return Recalled(corrections=NO_CORRECTIONS, record=new_record(source, files), trouble=trouble)
    record = best[2]
    if record.refused:
        trouble = Phrase("corrections.partly", which=tuple(record.refused))
    return Recalled(corrections=_at(record, files), record=record.path, trouble=trouble, saved_in=record.saved_in)


def new_record(source: Path, files: Mapping[str, str]) -> Path:
    """Where what is said of files that nothing was said of before is kept."""
    return home() / f"{_key(source, files)}.json"


def keep(
    record: Path, source: Path, files: Mapping[str, str], corrections: Corrections, saved_in: Path | None = None
) -> None:
    """Keep what was said of a delivery in its record, and where its check is saved.

    A record that is damaged or newer is moved aside first, and so is one that holds values that cannot be used.

    Raises
    ------
    CannotWrite
        The data folder cannot be written.
    """
    if corrections == NO_CORRECTIONS and saved_in is None and not record.exists():
        return
    where = {"saved_in": str(saved_in)} if saved_in is not None else {}
    document = {
        "schema": SCHEMA,
        "source": str(source),
        "files": dict(files),
        **where,
        **corrections_document(corrections),
    }
    try:
        record.parent.mkdir(parents=True, exist_ok=True)
        if not _is_whole(record):
            record.rename(_beside(record))
    except OSError as error:
        problem = Phrase("write.failed", why=error.strerror)
        raise CannotWrite(str(record.parent), problem, Phrase("do.look-at-that-folder")) from error
    write_atomically(json.dumps(document, indent=2, ensure_ascii=True) + "\n", record)


def corrections_document(corrections: Corrections) -> dict[str, Any]:
    """What the user said, as JSON."""
    return {**asdict(corrections), "roles": {path: role.value for path, role in corrections.roles.items()}}


def _records() -> Iterator[Path]:
    with suppress(OSError):
        yield from sorted(home().glob("*.json"))


def _is_whole(record: Path) -> bool:
    """Whether nothing is lost when a record is written over."""
    try:
        return not _read(record).refused
    except FileNotFoundError:
        return True
    except (OSError, _Unusable):
        return False


def _beside(record: Path) -> Path:
    number = 1
    while (beside := record.with_name(f"{record.stem}.kept-{number}")).exists():
        number += 1
    return beside


def _key(source: Path, files: Mapping[str, str]) -> str:
    """The name of a new record: of the place and what lies there, for another delivery may have lain there before."""
    said = json.dumps([str(source), sorted(files.items())], ensure_ascii=True)
    return hashlib.sha256(said.encode()).hexdigest()[:24]


def _old_key(source: Path) -> str:
    """The name that the first schema gave a record."""
    return hashlib.sha256(str(source).encode("utf-8", "surrogateescape")).hexdigest()[:24]


def _alike(record: _Record, files: Mapping[str, str], *, is_here: bool) -> float:
    """The share of a record's files that are here: by their contents, at the same place also by their names.

    What a client sends again lies where it lay, has the same names, and other contents.
    """
    if not record.files:
        return 1.0 if is_here else 0.0  # a record of the first schema lists none
    contents = set(files.values())
    same = sum(content in contents or (is_here and path in files) for path, content in record.files.items())
    return same / len(record.files)


def _at(record: _Record, files: Mapping[str, str]) -> Corrections:
    """What a record says, at the paths where its files are now."""
    places: dict[str, str] = {}
    for path, content in files.items():
        places.setdefault(content, path)
    moved = {path: places[content] for path, content in record.files.items() if path not in files and content in places}
    if not moved:
        return record.corrections
    said = record.corrections
    return Corrections(
        roles={moved.get(p, p): v for p, v in said.roles.items()},
        songs={moved.get(p, p): v for p, v in said.songs.items()},
        rough_mixes=tuple(moved.get(p, p) for p in said.rough_mixes),
        parts={moved.get(p, p): v for p, v in said.parts.items()},
        places={moved.get(p, p): v for p, v in said.places.items()},
        levels={moved.get(p, p): v for p, v in said.levels.items()},
        tempos=said.tempos,
        names={moved.get(p, p): v for p, v in said.names.items()},
        pattern=said.pattern,
        order=said.order,
        in_reply=said.in_reply,
        letter=_letter_at(said.letter, moved),
        ready=replace(
            said.ready,
            off_for={moved.get(p, p): steps for p, steps in said.ready.off_for.items()},
            submixes=tuple(replace(s, members=tuple(moved.get(p, p) for p in s.members)) for s in said.ready.submixes),
        ),
        stands_for={moved.get(p, p): was for p, was in said.stands_for.items()},
        decisions=tuple(replace(d, about=tuple(moved.get(p, p) for p in d.about)) for d in said.decisions),
    )


def _letter_at(letter: LetterEdits, moved: Mapping[str, str]) -> LetterEdits:
    """A letter's edits, at the paths where its files are now: keys of blocks end in the path of their file."""

    def at(key: str) -> str:
        return next((key.replace(f":{old}", f":{new}") for old, new in moved.items() if f":{old}" in key), key)

    return replace(
        letter,
        left_out=tuple(map(at, letter.left_out)),
        removed=tuple(map(at, letter.removed)),
        reworded={at(key): value for key, value in letter.reworded.items()},
        own=tuple(replace(line, after=at(line.after)) for line in letter.own),
        order=tuple(map(at, letter.order)),
    )


def _read(path: Path) -> _Record:
    """Read one record, value by value.

    Raises
    ------
    _Unusable
        It is no record at all, or newer than this version.
    OSError
        It cannot be read.
    """
    try:
        data = json.loads(path.read_text("utf-8"), parse_int=_whole)
    except (ValueError, RecursionError) as error:
        raise _Unusable("corrections.damaged") from error
    schema = data.get("schema") if isinstance(data, dict) else None
    if not isinstance(schema, int) or isinstance(schema, bool) or schema < 1:
        raise _Unusable("corrections.damaged")
    if schema > SCHEMA:
        raise _Unusable("corrections.newer", data.get("source"))
    for older in range(schema, SCHEMA):
        data = _MIGRATIONS[older](data)
    files = data.get("files")
    corrections, refused = corrections_from(data)
    return _Record(
        path,
        source=str(data.get("source", "")),
        files={p: f for p, f in files.items() if isinstance(f, str)} if isinstance(files, dict) else {},
        corrections=corrections,
        refused=refused,
        saved_in=Path(saved_in) if isinstance(saved_in := data.get("saved_in"), str) else None,
    )


def _whole(digits: str) -> int | float:
    """A number of thousands of digits is no reason to lose the rest of a file."""
    return int(digits) if len(digits) <= _DIGITS_MOST else math.inf


def corrections_from(data: Mapping[str, Any]) -> tuple[Corrections, tuple[str, ...]]:
    """What can be used of a record, and the names of the values that cannot."""
    said: dict[str, Any] = {}
    refused = []
    for name, kind in _OF_EACH.items():
        values = data.get(name, {})
        if not isinstance(values, dict):
            refused.append(name)
            continue
        said[name] = {}
        for key, value in values.items():
            try:
                said[name][key] = kind.validate_python(value)
            except ValidationError:
                refused.append(f"{name}: {key}")
    for name, kind in _OF_ALL.items():
        if name in data:
            try:
                said[name] = kind.validate_python(data[name])
            except ValidationError:
                refused.append(name)
    return Corrections(**said), tuple(refused)
