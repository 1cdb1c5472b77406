"""What a worker process does for one file: open it, measure it, say what is damaged or kept it from being read."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from deep_tally.model.delivery import Track
from deep_tally.model.errors import NotCheckedHere, UnreadableSound
from deep_tally.model.files import Damage, Entry, SoundFormat, Unchecked
from deep_tally.model.measures import Measures
from deep_tally.model.phrase import Phrase
from deep_tally.work.isolated import OnProgress, run_isolated

if TYPE_CHECKING:
    from deep_tally.intake.sound import SoundReader


def measure_entry(progress: OnProgress, entry: Entry) -> Track:
    """Open and measure one file; a file that cannot be read comes back with its damage and nothing else.

    Plain samples are read here; whatever needs a decoder is read in a process that may die.
    """
    # Imported here, in the worker: whoever only submits the job needs neither decoders nor filters.
    from deep_tally.intake.reading import open_plain

    try:
        reader = open_plain(entry.source)
        if reader is not None:
            sound, measures = _measure(progress, reader)
        else:
            sound, measures = run_isolated(_decode, progress, entry.source)
    except UnreadableSound as error:
        damage = entry.damage or Damage(problem=error.problem, remedy=error.remedy)
        return Track.of(entry, damage=damage)
    except NotCheckedHere as error:
        return unchecked_track(entry, error.problem, error.remedy)
    if measures.frames != sound.frames:
        # Some decoders only estimate a lossy file's length; elsewhere a shorter one is damage.
        claimed = measures.frames if sound.sample_format == "lossy" else sound.claimed_frames
        sound = replace(sound, frames=measures.frames, claimed_frames=claimed)
    return Track.of(entry, format=sound, measures=measures, damage=entry.damage or damage_of(sound))


def _decode(progress: OnProgress, path: Path) -> tuple[SoundFormat, Measures]:
    from deep_tally.intake.pcm import PcmReader
    from deep_tally.intake.reading import open_decoded

    # What is decoded to disk first is measured after that: half of the work each.
    reader = open_decoded(path, lambda done, total: progress(done, 2 * total))
    decoded = reader.format.frames if isinstance(reader, PcmReader) else 0
    return _measure(progress, reader, decoded=decoded)


def _measure(progress: OnProgress, opened: SoundReader, *, decoded: int = 0) -> tuple[SoundFormat, Measures]:
    from deep_tally.measure.one_pass import measure_sound

    with opened as reader:
        sound = reader.format
        return sound, measure_sound(reader, on_progress=lambda done: progress(decoded + done, decoded + sound.frames))


def unchecked_track(entry: Entry, problem: Phrase, remedy: Phrase) -> Track:
    """The track of a file that could not be checked here."""
    return Track.of(entry, unchecked=Unchecked(problem=problem, remedy=remedy))


def damage_of(sound: SoundFormat) -> Damage | None:
    """What of the sound the file has lost: its end, or pieces on the way."""
    if sound.frames >= sound.claimed_frames:
        problem = Phrase("clauses", parts=sound.losses)
        return Damage(problem=problem, remedy=Phrase("ask.file-again")) if sound.losses else None
    there_s, claimed_s = sound.frames / sound.rate_hz, sound.claimed_frames / sound.rate_hz
    problem = Phrase("sound.stops-early", there_s=there_s, claimed_s=claimed_s)
    return Damage(problem=problem, remedy=Phrase("ask.file-again"))
