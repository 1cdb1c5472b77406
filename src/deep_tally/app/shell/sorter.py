"""What files are for, and to which song they belong, as the user says."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import TYPE_CHECKING

from deep_tally.intake.corrected import with_corrections
from deep_tally.model.corrections import Corrections
from deep_tally.model.files import Role
from deep_tally.reply.numbers import count, listed
from deep_tally.reply.role_words import role_words

if TYPE_CHECKING:
    from deep_tally.app.shell.state import CheckState


class Sorter:
    """Corrects the roles and songs of the open delivery."""

    def __init__(self, state: CheckState) -> None:
        self._state = state

    def set_rough_mix(self, path: str) -> None:
        """Say which file is its song's rough mix; what only looked like it is a reference then."""
        if self._state.intake is not None:
            songs = {e.path: e.song for e in self._state.intake.entries}
            others = [p for p in self._state.corrections.rough_mixes if songs.get(p) == songs.get(path)]
            said = self._state.corrections.with_rough_mix(path, instead_of=others)
            self._sort(said, f"{_name(path)} is the rough mix")

    def set_roles(self, roles: Mapping[str, Role]) -> None:
        """Say what files are for. A note that belongs to no song joins the first one when it is said to be sound."""
        words = ", ".join(dict.fromkeys(map(role_words, roles.values())))
        self._sort(self._state.corrections.with_roles(roles), f"{_named(list(roles))}: {words}")

    def set_song(self, paths: Iterable[str], song: str) -> None:
        """Say to which song files belong; a new name makes a new song."""
        files = list(paths)
        self._sort(self._state.corrections.with_song(files, song), f"{_named(files)} to {song}")

    def _sort(self, corrections: Corrections, words: str) -> None:
        """Take what is said of roles and songs, where it changes any."""
        if (
            self._state.run is None
            or self._state.run.found is None
            or self._state.intake is None
            or not self._state.can_be_corrected
        ):
            return
        if with_corrections(self._state.run.found, corrections).entries != self._state.intake.entries:
            self._state.correct(corrections, words)


def _name(path: str) -> str:
    return path.rpartition("/")[2]


def _named(paths: Sequence[str]) -> str:
    return listed([_name(p) for p in paths], most=1) if len(paths) == 1 else count(len(paths), "file")
