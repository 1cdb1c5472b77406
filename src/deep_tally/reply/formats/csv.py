"""A check as one table (CSV, RFC 4180): a row for each finding of each file, and one for each file without any."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator

from deep_tally.model.delivery import Delivery, Track
from deep_tally.model.findings import Finding
from deep_tally.reply.action_words import readable
from deep_tally.reply.wording.speaker import Speaker

COLUMNS = (
    *("path", "song", "role", "seconds", "rate_hz", "bits", "channels"),
    *("sample_peak_dbfs", "true_peak_dbtp", "rms_dbfs", "loudness_lufs"),
    *("action", "kind", "code", "headline", "evidence"),
)
_FORMULA = ("=", "+", "-", "@", "\t", "\r")


def to_csv(delivery: Delivery) -> str:
    """The table; findings about no file in particular come last, without a path."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\r\n")
    writer.writerow(COLUMNS)
    for row in _rows(delivery):
        writer.writerow([plain(cell) if isinstance(cell, str) else "" if cell is None else cell for cell in row])
    return text.getvalue()


def plain(text: str) -> str:
    """A text that a table program does not take for a formula: foreign words stay words."""
    text = readable(text)
    return f"'{text}" if text.startswith(_FORMULA) else text


Cell = str | int | float | None


def _rows(delivery: Delivery) -> Iterator[tuple[Cell, ...]]:
    speaker = Speaker(delivery)
    for song in delivery.sets:
        for track in song.tracks:
            found: list[Finding | None] = [f for f in delivery.findings if track.path in f.files]
            for finding in found or [None]:
                yield (*_of_track(track, song.name), *_of_finding(finding, speaker, track.path))
    for finding in delivery.findings:
        if not finding.files:
            yield (*("", finding.song), *[None] * 9, *_of_finding(finding, speaker, None))


def _of_track(track: Track, song: str) -> tuple[Cell, ...]:
    sound, measures = track.format, track.measures
    facts: tuple[Cell, ...] = (None,) * 4
    levels: tuple[float | None, ...] = (None,) * 4
    if sound is not None:
        facts = (round(sound.seconds, 6), sound.rate_hz, sound.bits, sound.channels)
    if measures is not None:
        levels = (measures.sample_peak_dbfs, measures.true_peak_dbtp, measures.rms_dbfs, measures.loudness_lufs)
    return (
        *(track.path, song, track.role.value),
        *facts,
        *(None if level is None else round(level, 2) for level in levels),
    )


def _of_finding(finding: Finding | None, speaker: Speaker, path: str | None) -> tuple[Cell, ...]:
    if finding is None:
        return ("", "", "", "", "")
    kind = finding.kind or ""
    return (finding.action.value, kind, finding.code, speaker.headline(finding), speaker.evidence(finding, path))
