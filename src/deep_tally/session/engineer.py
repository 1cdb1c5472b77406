"""The user's own name, address and signature: the same in every letter, in the window and on the command line."""

from __future__ import annotations

import json
import os
from dataclasses import asdict, dataclass
from pathlib import Path

from platformdirs import user_config_path

from deep_tally.model.language import languages
from deep_tally.model.letter_edits import LetterEdits
from deep_tally.model.paper import PAPERS, Paper, usual_paper
from deep_tally.work.atomic import write_atomically


@dataclass(frozen=True, slots=True, kw_only=True)
class Engineer:
    """Name, mail address, the lines under the name, and the paper; each may be empty: then the country's is used."""

    name: str = ""
    address: str = ""
    signature: str = ""
    paper: str = ""

    @property
    def paper_at_hand(self) -> Paper:
        """The paper that pages are made for."""
        return next((p for p in PAPERS if p == self.paper), usual_paper(_territory()))


def usual_language() -> str:
    """The language of letters where nothing else is said: the user's own where there is a catalogue of it."""
    locale = _locale("LC_MESSAGES")
    if locale in ("", "C", "POSIX"):  # then gettext passes LANGUAGE over as well
        return "en"
    wanted = (*os.environ.get("LANGUAGE", "").split(":"), locale)
    return next((tag for said in wanted if (tag := said.partition("_")[0]) in languages()), "en")


def language_of(letter: LetterEdits) -> str:
    """The language of one delivery's letter."""
    return letter.language if letter.language in languages() else usual_language()


def _territory() -> str:
    """The country: "en_US" is US."""
    return _locale("LC_PAPER").rpartition("_")[2]


def _locale(category: str) -> str:
    """What the environment says of a category (POSIX.1, 8.2), without its character set."""
    said = next((v for name in ("LC_ALL", category, "LANG") if (v := os.environ.get(name))), "")
    return said.partition(".")[0].partition("@")[0]


def home() -> Path:
    """Where it is kept (XDG configuration folder)."""
    return user_config_path("deep-tally") / "engineer.json"


def engineer_at_hand() -> Engineer:
    """What the user said of themselves; nothing where that cannot be read."""
    try:
        said = json.loads(home().read_text("utf-8"))
    except (OSError, ValueError, RecursionError):
        return Engineer()
    known = said if isinstance(said, dict) else {}
    return Engineer(**{k: v for k, v in known.items() if k in Engineer.__slots__ and isinstance(v, str)})


def keep_engineer(engineer: Engineer) -> None:
    """Keep it.

    Raises
    ------
    CannotWrite
        The configuration folder cannot be written.
    """
    path = home()
    path.parent.mkdir(parents=True, exist_ok=True)
    write_atomically(json.dumps(asdict(engineer), indent=2) + "\n", path)
