"""The user's own words for parts, kept in the XDG data folder beside the shipped vocabulary."""

from __future__ import annotations

import json
from pathlib import Path

from platformdirs import user_data_path

from deep_tally.model.errors import CannotWrite, WordRefused
from deep_tally.model.phrase import Phrase
from deep_tally.names.vocabulary import Vocabulary, shipped
from deep_tally.work.atomic import write_atomically


def words_path() -> Path:
    """Where the user's own words are kept (XDG data folder)."""
    return user_data_path("deep-tally") / "words.json"


def own_words() -> dict[str, tuple[str, ...]]:
    """The user's own words for parts: part -> phrases; none where there is no file yet.

    Raises
    ------
    WordRefused
        The file cannot be read; the sentence says where.
    """
    path = words_path()
    try:
        data = json.loads(path.read_text("utf-8"))
        return {str(part): tuple(map(str, phrases)) for part, phrases in data["parts"].items()}
    except FileNotFoundError:
        return {}
    except OSError as error:
        problem = Phrase("file.unreadable", why=error.strerror)
        raise WordRefused(str(path), problem, Phrase("words.permissions")) from error
    except json.JSONDecodeError as error:
        problem = Phrase("words.no-json", line=error.lineno, column=error.colno, why=error.msg)
        raise WordRefused(str(path), problem, Phrase("words.fix")) from error
    except (ValueError, TypeError, KeyError, AttributeError, RecursionError) as error:
        remedy = Phrase("words.write")
        raise WordRefused(str(path), Phrase("words.none"), remedy) from error


def add_word(part: str, phrase: str) -> Vocabulary:
    """Keep a word for a part; returns the vocabulary with it.

    Raises
    ------
    WordRefused
        It stands for another part already, is no word, or the file with the words cannot be read: then nothing is
        written over it.
    CannotWrite
        The data folder cannot be written.
    """
    words = own_words()
    phrases = words.get(part, ())
    grown = words | {part: (*phrases, phrase) if phrase not in phrases else phrases}
    vocabulary = shipped().with_words(grown)
    path = words_path()
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise CannotWrite(
            str(path.parent), Phrase("write.no-folder", why=error.strerror), Phrase("do.look-at-folder")
        ) from error
    write_atomically(json.dumps({"schema": 1, "parts": grown}, indent=2, ensure_ascii=False) + "\n", path)
    return vocabulary


def vocabulary_at_hand() -> tuple[Vocabulary, str]:
    """The vocabulary with the user's own words, and a sentence about what is wrong with them, or nothing."""
    try:
        words = own_words()
        return (shipped().with_words(words) if words else shipped()), ""
    except WordRefused as refused:
        return shipped(), str(refused)
