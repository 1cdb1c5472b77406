"""The briefs at hand: those that ship and the user's own, one of them the default; and the example lists of parts.

The user's lie in the XDG data folder, one JSON file each. Beside them a line of text names the default.
"""

from __future__ import annotations

import json
import re
from importlib import resources
from pathlib import Path

from platformdirs import user_data_path

from deep_tally.model.brief import DEFAULT_BRIEF, Brief, Part, parse_brief, read_brief
from deep_tally.model.errors import BriefRefused, CannotWrite
from deep_tally.model.phrase import Phrase
from deep_tally.work.atomic import write_atomically

_DEFAULT = "default.txt"
_UNSAVED = "unsaved.brief"
_PART_LIST = "part_lists"


def shipped_briefs() -> tuple[Brief, ...]:
    """The briefs that come with the program, by their use."""
    return tuple(parse_brief(text, subject=name) for name, text in _shipped("briefs"))


def part_lists() -> tuple[tuple[str, tuple[Part, ...]], ...]:
    """The example lists of parts: (name, parts)."""
    found = []
    for _, text in _shipped(_PART_LIST):
        data = json.loads(text)
        found.append((str(data["name"]), tuple(Part.model_validate_json(json.dumps(p)) for p in data["parts"])))
    return tuple(found)


def _shipped(folder: str) -> list[tuple[str, str]]:
    files = resources.files("deep_tally.session").joinpath(folder).iterdir()
    return [(f.name, f.read_text("utf-8")) for f in sorted(files, key=lambda f: f.name) if f.name.endswith(".json")]


class BriefLibrary:
    """All briefs by their names; the user's own stand for a shipped one of the same name."""

    def __init__(self, folder: Path | None = None) -> None:
        self._folder = folder or user_data_path("deep-tally") / "briefs"
        self.troubles: tuple[str, ...] = ()
        """A sentence for each of the user's briefs that could not be read when they were last looked at."""

    def own(self) -> dict[str, tuple[Path, Brief]]:
        """The user's briefs by name; what cannot be read is left where it is and listed in `troubles`."""
        found: dict[str, tuple[Path, Brief]] = {}
        troubles = []
        for path in sorted(self._folder.glob("*.json")) if self._folder.is_dir() else ():
            try:
                brief = read_brief(path)
            except BriefRefused as refused:
                troubles.append(str(refused))
                continue
            found[brief.name] = path, brief
        self.troubles = tuple(troubles)
        return found

    def names(self) -> tuple[str, ...]:
        """All names: the shipped ones first, then the user's own."""
        return tuple(dict.fromkeys([*(b.name for b in shipped_briefs()), *self.own()]))

    def is_own(self, name: str) -> bool:
        """Whether the user saved a brief of this name."""
        return name in self.own()

    def find(self, name: str) -> Brief:
        """The brief of a name.

        Raises
        ------
        BriefRefused
            There is none.
        """
        own = self.own()
        if name in own:
            return own[name][1]
        for brief in shipped_briefs():
            if brief.name.casefold() == name.casefold():
                return brief
        raise BriefRefused(name, Phrase("brief.no-name"), Phrase("brief.choose", names=tuple(self.names())))

    def save(self, brief: Brief) -> Path:
        """Keep a brief under its name; the user's own of the same name is replaced.

        Raises
        ------
        CannotWrite
            The data folder cannot be written.
        """
        own = self.own()
        path = own[brief.name][0] if brief.name in own else self._free_path(brief.name)
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise CannotWrite(
                str(self._folder), Phrase("write.no-folder", why=error.strerror), Phrase("do.look-at-folder")
            ) from error
        write_atomically(brief.to_json(), path)
        return path

    def delete(self, name: str) -> None:
        """Take the user's own brief of a name away; a shipped one of that name comes back.

        Raises
        ------
        CannotWrite
            It cannot be removed.
        """
        own = self.own()
        if name not in own:
            return
        _remove(own[name][0])

    @property
    def default(self) -> Brief:
        """The brief a window opens with: the one that was picked, else the program's own."""
        try:
            return self.find((self._folder / _DEFAULT).read_text("utf-8").strip())
        except (OSError, UnicodeDecodeError, BriefRefused):
            return DEFAULT_BRIEF

    @property
    def unsaved(self) -> Brief | None:
        """The changed brief that was in force when a window closed last; None where there was none."""
        try:
            return read_brief(self._folder / _UNSAVED)
        except BriefRefused:
            return None

    def keep_unsaved(self, brief: Brief | None) -> None:
        """Keep a changed brief for the next window; None forgets it.

        Raises
        ------
        CannotWrite
            The data folder cannot be written.
        """
        path = self._folder / _UNSAVED
        if brief is not None:
            self._write(brief.to_json(), path)
        elif self.unsaved is not None:  # one that a newer version wrote is left to it
            _remove(path)

    def pick_default(self, name: str) -> None:
        """Make a brief the default.

        Raises
        ------
        BriefRefused
            There is none of this name.
        CannotWrite
            The data folder cannot be written.
        """
        self.find(name)
        self._write(f"{name}\n", self._folder / _DEFAULT)

    def _write(self, text: str, path: Path) -> None:
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise CannotWrite(
                str(self._folder), Phrase("write.no-folder", why=error.strerror), Phrase("do.look-at-folder")
            ) from error
        write_atomically(text, path)

    def _free_path(self, name: str) -> Path:
        slug = re.sub(r"[^\w]+", "-", name.casefold()).strip("-")[:48] or "brief"
        path = self._folder / f"{slug}.json"
        number = 2
        while path.exists():
            path = self._folder / f"{slug}-{number}.json"
            number += 1
        return path


def _remove(path: Path) -> None:
    try:
        path.unlink()
    except OSError as error:
        raise CannotWrite(
            str(path), Phrase("write.no-removal", why=error.strerror), Phrase("do.look-at-folder")
        ) from error


def named_brief(said: str) -> Brief:
    """The brief a user means on the command line: a file's path, or a name in the library.

    Raises
    ------
    BriefRefused
        There is neither, or the file is refused.
    """
    path = Path(said)
    if path.is_file() or path.suffix.casefold() == ".json" or "/" in said:
        return read_brief(path)
    return BriefLibrary().find(said)
