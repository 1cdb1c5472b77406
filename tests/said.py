"""What the user said of a delivery, put down and read back as the program does it."""

from __future__ import annotations

from pathlib import Path

from deep_tally.intake.fingerprint import fingerprints
from deep_tally.intake.walk import take_in
from deep_tally.model.corrections import Corrections
from deep_tally.session.corrections import keep, recall


def said_of(folder: Path) -> Corrections:
    """What is kept of a delivery."""
    intake = take_in([folder])
    return recall(intake.source, fingerprints(intake.sounds)).corrections


def say(folder: Path, corrections: Corrections) -> None:
    """Have something said of a delivery before."""
    intake = take_in([folder])
    files = fingerprints(intake.sounds)
    keep(recall(intake.source, files).record, intake.source, files, corrections)
