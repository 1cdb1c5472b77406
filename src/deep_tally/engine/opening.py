"""What a worker does before a file is measured: list the files, and recall what the user said about them."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from deep_tally.check.assess import assess
from deep_tally.engine.saved import NOTHING_KNOWN, Known, Reopened, SavedPlace, place_of, reopen
from deep_tally.intake.corrected import with_corrections
from deep_tally.intake.fingerprint import fingerprints
from deep_tally.intake.walk import take_in
from deep_tally.model.brief import Brief
from deep_tally.model.corrections import NO_CORRECTIONS, Corrections
from deep_tally.model.errors import DeepTallyError, SavedCheckRefused
from deep_tally.model.files import Intake
from deep_tally.model.phrase import Phrase
from deep_tally.session.corrections import Recalled, recall
from deep_tally.session.saved_checks import is_saved_check, read_check


@dataclass(frozen=True, slots=True, kw_only=True)
class Opened:
    """A delivery as found.

    Attributes
    ----------
    found : Intake
    files : mapping of path to str
        Fingerprints of the contents of its files.
    corrections : Corrections
        What the user said of it before.
    record : Path or None
        Where that is kept; None when it is not to be.
    trouble : str
        One sentence when some of it could not be used.
    saved : SavedPlace or None
        Where its check is saved.
    resembles : Path or None
        A saved check of the same delivery with other contents: what is opened may be its next round.
    known : Known
        What need not be found out.
    brief : Brief or None
        Of a saved check: the one it was checked against.
    paths : tuple of Path
        Of a saved check: what was opened then.
    rough_mix : Path or None
        The same of a rough mix from elsewhere.
    changed, missing : tuple of str
        Of a saved check: files that are not what they were, and those that are not there.
    """

    found: Intake
    files: dict[str, str]
    corrections: Corrections = NO_CORRECTIONS
    record: Path | None = None
    trouble: str = ""
    saved: SavedPlace | None = None
    resembles: Path | None = None
    known: Known = NOTHING_KNOWN
    brief: Brief | None = None
    paths: tuple[Path, ...] = ()
    rough_mix: Path | None = None
    changed: tuple[str, ...] = ()
    missing: tuple[str, ...] = ()

    @property
    def is_saved_check(self) -> bool:
        """Whether it was read from a saved check, and is there what it is here."""
        return self.brief is not None


def open_delivery(
    progress: Callable[[int, int], None],
    paths: tuple[Path, ...],
    rough_mix: Path | None,
    unpack_into: Path | None,
    is_fresh: bool,
    moved_to: Path | None = None,
) -> Opened | DeepTallyError:
    """List a delivery, or open a saved check, and recall its corrections; a refusal comes back as it is.

    Parameters
    ----------
    progress : callable
        Called with (bytes unpacked, bytes in all), or (files found, 0).
    paths : tuple of Path
    rough_mix : Path or None
    unpack_into : Path or None
        A private folder for what is in zips.
    is_fresh : bool
        Whether what the user said before is left aside.
    moved_to : Path or None
        Where the files of a saved check are now.
    """
    try:
        if len(paths) == 1 and is_saved_check(paths[0]):
            reopened = reopen(paths[0], moved_to=moved_to, unpack_into=unpack_into, progress=progress)
            return _opened(reopened, is_fresh=is_fresh)
        found = take_in(paths, rough_mix=rough_mix, unpack_into=unpack_into, on_step=progress)
    except DeepTallyError as error:
        return error
    files = fingerprints(found.sounds)
    if is_fresh:
        return Opened(found=found, files=files)
    recalled = recall(found.source, files)
    saved, resembles = _saved_place(recalled, files)
    return Opened(
        found=found,
        files=files,
        corrections=recalled.corrections,
        record=recalled.record,
        trouble=recalled.trouble,
        saved=saved,
        resembles=resembles,
    )


def _saved_place(recalled: Recalled, files: dict[str, str]) -> tuple[SavedPlace | None, Path | None]:
    """Where the check of these very files is saved, or a check of the same delivery with other contents."""
    path = recalled.saved_in
    if path is None or not is_saved_check(path):
        return None, None
    with suppress(SavedCheckRefused):
        check = read_check(path, last_tracks=False)
        return (place_of(path, check), None) if dict(check.rounds[-1].contents) == files else (None, path)
    return None, None


def _opened(reopened: Reopened, *, is_fresh: bool) -> Opened:
    """A saved check as a delivery whose files need no measuring.

    Raises
    ------
    SavedCheckRefused
        What it says of its files makes no sense together.
    """
    saved, path = reopened.saved, reopened.place.path
    recalled = recall(saved.found.source, dict(saved.contents))
    corrections = saved.corrections
    if recalled.saved_in == path and _is_newer(recalled.record, path):
        corrections = recalled.corrections  # the window ended before the check was saved once more
    if is_fresh:
        corrections = NO_CORRECTIONS
    try:
        found = with_corrections(saved.found, corrections)
        assess(found, tuple(reopened.known.tracks.values()), reopened.brief, corrections=corrections)
    except Exception as error:  # what an edited document makes arithmetic do is as many-sided as what can stand in it
        problem = Phrase("saved.wrong-value", where="its figures")
        raise SavedCheckRefused(str(path), problem, Phrase("saved.check-again")) from error
    return Opened(
        found=saved.found,
        files=dict(saved.contents),
        corrections=corrections,
        record=recalled.record,
        saved=reopened.place,
        known=reopened.known,
        brief=reopened.brief,
        paths=tuple(map(Path, saved.paths)),
        rough_mix=Path(saved.rough_mix) if saved.rough_mix else None,
        changed=reopened.changed,
        missing=reopened.missing,
    )


def _is_newer(one: Path, other: Path) -> bool:
    with suppress(OSError):
        return one.stat().st_mtime_ns > other.stat().st_mtime_ns
    return False
