"""What a worker does before a file is measured: list the files, and recall what the user said about them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from deep_tally.intake.walk import take_in
from deep_tally.model.corrections import NO_CORRECTIONS, Corrections
from deep_tally.model.errors import DeepTallyError
from deep_tally.model.files import Intake
from deep_tally.session.corrections import recall
from deep_tally.session.fingerprint import fingerprints


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
    """

    found: Intake
    files: dict[str, str]
    corrections: Corrections = NO_CORRECTIONS
    record: Path | None = None
    trouble: str = ""


def open_delivery(
    progress: Callable[[int, int], None],
    paths: tuple[Path, ...],
    rough_mix: Path | None,
    unpack_into: Path | None,
    is_fresh: bool,
) -> Opened | DeepTallyError:
    """List a delivery and recall its corrections; a refusal comes back as it is, to be raised or shown.

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
    """
    try:
        found = take_in(paths, rough_mix=rough_mix, unpack_into=unpack_into, on_step=progress)
    except DeepTallyError as error:
        return error
    files = fingerprints(found.sounds)
    if is_fresh:
        return Opened(found=found, files=files)
    recalled = recall(found.source, files)
    return Opened(
        found=found, files=files, corrections=recalled.corrections, record=recalled.record, trouble=recalled.trouble
    )


def take_given(progress: Callable[[int, int], None], given: Opened) -> Opened:
    """The files of a run that was given them: a step like any other, so that all runs go the same way."""
    return given
