"""What the user told of one delivery (parts of files, new names, the pattern) and of words in general.

Kept in the XDG data folder, so that a delivery opens with it again.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path
from typing import Any

from platformdirs import user_data_path

from deep_tally.intake.facts import FASTEST_BPM, SLOWEST_BPM
from deep_tally.model.errors import CannotWrite, WordRefused
from deep_tally.names.plan import Order
from deep_tally.names.vocabulary import Vocabulary, shipped
from deep_tally.whole import write_whole

SCHEMA = 1


@dataclass(frozen=True, slots=True, kw_only=True)
class Told:
    """Corrections for one delivery.

    Attributes
    ----------
    parts : mapping of path to part names
        Which asked parts a file stands for; empty for "none of them".
    names : mapping of path to str
        New names the user wrote, without ending.
    pattern : str or None
        Of the rename plan; None takes the brief's.
    order : "delivered" or "family"
    in_reply : bool
        Whether the reply lists the new names.
    places : mapping of path to int
        Frames by which a file belongs later than its own start says; 0 leaves it there whatever its stamp says.
    tempos : mapping of song to float
        BPM, by the song's name in the intake; it counts before all that is stated.
    """

    parts: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    names: Mapping[str, str] = field(default_factory=dict)
    pattern: str | None = None
    order: Order = "delivered"
    in_reply: bool = False
    places: Mapping[str, int] = field(default_factory=dict)
    tempos: Mapping[str, float] = field(default_factory=dict)

    def with_part(self, path: str, parts: tuple[str, ...] | None) -> Told:
        """A file stands for these parts; None forgets what was said of it."""
        rest = {p: v for p, v in self.parts.items() if p != path}
        return replace(self, parts=rest if parts is None else rest | {path: parts})

    def with_name(self, path: str, name: str | None) -> Told:
        """A file gets a name of one's own; None or nothing gives it back to the pattern."""
        rest = {p: v for p, v in self.names.items() if p != path}
        return replace(self, names=rest | {path: name} if name else rest)

    def with_place(self, path: str, frames: int | None) -> Told:
        """A file is placed by hand; None gives it back to its stamp."""
        rest = {p: v for p, v in self.places.items() if p != path}
        return replace(self, places=rest if frames is None else rest | {path: frames})

    def with_tempo(self, song: str, bpm: float | None) -> Told:
        """A song has a tempo; None takes what is stated."""
        rest = {s: v for s, v in self.tempos.items() if s != song}
        return replace(self, tempos=rest if bpm is None else rest | {song: bpm})


_FRAMES_MOST = 2**53
"""What a float still holds to the frame; 5,900 years at 48 kHz."""

NOTHING_TOLD = Told()


def told_path(source: Path) -> Path:
    """Where what the user said of a delivery is kept (XDG data folder)."""
    key = hashlib.sha256(str(source).encode("utf-8", "surrogateescape")).hexdigest()[:24]
    return user_data_path("deep-tally") / "deliveries" / f"{key}.json"


def recall_told(source: Path) -> Told:
    """What was told of a delivery before; nothing where that cannot be read or is of a newer schema."""
    try:
        data = json.loads(told_path(source).read_text("utf-8"))
        if not isinstance(data, dict) or data.get("schema") != SCHEMA:
            return NOTHING_TOLD
        order: Order = "family" if data.get("order") == "family" else "delivered"
        return Told(
            parts={str(p): tuple(map(str, v)) for p, v in data.get("parts", {}).items()},
            names={str(p): str(v) for p, v in data.get("names", {}).items()},
            pattern=str(data["pattern"]) if data.get("pattern") is not None else None,
            order=order,
            in_reply=bool(data.get("in_reply", False)),
            places={str(p): v for p, v in data.get("places", {}).items() if _is_whole(v) and abs(v) < _FRAMES_MOST},
            tempos={
                str(s): float(v)
                for s, v in data.get("tempos", {}).items()
                if (_is_whole(v) or isinstance(v, float)) and SLOWEST_BPM <= v <= FASTEST_BPM
            },
        )
    except (OSError, ValueError, TypeError, AttributeError, RecursionError):
        return NOTHING_TOLD


def _is_whole(value: object) -> bool:
    return isinstance(value, int) and not isinstance(value, bool)


def keep_told(source: Path, told: Told) -> None:
    """Keep what was told of a delivery.

    Raises
    ------
    CannotWrite
        The data folder cannot be written.
    """
    path = told_path(source)
    if told == NOTHING_TOLD and not path.exists():
        return
    document: dict[str, Any] = {"schema": SCHEMA, "source": str(source), **asdict(told)}
    _make_folder(path.parent)
    write_whole(json.dumps(document, indent=2, ensure_ascii=True) + "\n", path)


def _make_folder(folder: Path) -> None:
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise CannotWrite(str(folder), f"it cannot be made ({error.strerror})", "look at its folder") from error


# -- the user's own words ---------------------------------------------------------------------


def words_path() -> Path:
    """Where the user's own words are kept (XDG data folder)."""
    return user_data_path("deep-tally") / "words.json"


def own_words() -> dict[str, tuple[str, ...]]:
    """The user's own words for parts: part -> phrases. Nothing where the file is missing or broken."""
    try:
        data = json.loads(words_path().read_text("utf-8"))
        return {str(part): tuple(map(str, phrases)) for part, phrases in data["parts"].items()}
    except (OSError, ValueError, TypeError, KeyError, AttributeError, RecursionError):
        return {}


def add_word(part: str, phrase: str) -> Vocabulary:
    """Keep a word for a part; returns the vocabulary with it.

    Raises
    ------
    WordRefused
        It stands for another part already, or is no word.
    CannotWrite
        The data folder cannot be written.
    """
    words = own_words()
    phrases = words.get(part, ())
    grown = words | {part: (*phrases, phrase) if phrase not in phrases else phrases}
    vocabulary = shipped().with_words(grown)
    _make_folder(words_path().parent)
    write_whole(json.dumps({"schema": 1, "parts": grown}, indent=2, ensure_ascii=False) + "\n", words_path())
    return vocabulary


def vocabulary_at_hand() -> tuple[Vocabulary, str]:
    """The vocabulary with the user's own words, and a sentence about what is wrong with them, or nothing."""
    words = own_words()
    if not words:
        return shipped(), ""
    try:
        return shipped().with_words(words), ""
    except WordRefused as refused:
        return shipped(), f"{words_path().name}: {refused}"
