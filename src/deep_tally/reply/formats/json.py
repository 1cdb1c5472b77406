"""The JSON document of a check (schema 1, docs/json.md)."""

from __future__ import annotations

import json
import math
from collections.abc import Mapping
from dataclasses import asdict
from importlib import resources
from typing import Any

from deep_tally import __version__
from deep_tally.model.delivery import Delivery, SongSet, Track
from deep_tally.model.files import Entry, SoundFormat
from deep_tally.model.findings import EvidenceValue, Finding, count_findings
from deep_tally.model.measures import Measures
from deep_tally.model.mix_match import MatchedFile, MixMatch
from deep_tally.model.statements import Statement
from deep_tally.reply.wording.speaker import Speaker

SCHEMA = 1
PLACES_MOST = 1000
_DIGITS = 6


def to_document(delivery: Delivery) -> dict[str, Any]:
    """The whole check as JSON-ready data. Silence is None where a level would be minus infinity."""
    speaker = Speaker(delivery)
    counts = count_findings(delivery.findings)
    return {
        "schema": SCHEMA,
        "program": {"name": "Deep Tally", "version": __version__},
        "delivery": {
            "source": str(delivery.source),
            "sets": [_set(s) for s in delivery.sets],
            "others": [_other(e, delivery) for e in delivery.others],
            "troubles": list(delivery.troubles),
        },
        "incomplete": [
            {"what": i.what, "files": list(i.files), "why": i.problem, "remedy": i.remedy} for i in delivery.incomplete
        ],
        "files": [_file(t, s) for s in delivery.sets for t in s.tracks],
        "findings": [finding_document(f, speaker) for f in delivery.findings],
        "decided": [
            {
                "finding": finding_document(d.finding, speaker),
                "decision": {"kind": d.decision.kind, "note": d.decision.note, "of_client": d.of_client},
            }
            for d in delivery.decided
        ],
        "tally": {action.value: count.findings for action, count in counts.items()},
    }


def to_json(delivery: Delivery) -> str:
    """The document as text; undecodable bytes of file names survive as escapes."""
    return json.dumps(to_document(delivery), indent=2, ensure_ascii=True, allow_nan=False) + "\n"


def schema() -> dict[str, Any]:
    """The JSON Schema (draft 2020-12) that every document fulfils."""
    text = resources.files("deep_tally.reply").joinpath("check.schema.json").read_text("utf-8")
    loaded: dict[str, Any] = json.loads(text)
    return loaded


def _level(value: float | None) -> float | None:
    return None if value is None or math.isinf(value) else round(value, _DIGITS)


def _set(song: SongSet) -> dict[str, Any]:
    common = song.common
    return {
        "name": song.name,
        "common": {
            "rate": common.rate_hz,
            "bits": common.bits,
            "sample_format": common.sample_format,
            "frames": common.frames,
        },
        "tempo_bpm": song.facts.tempo_bpm,
        "tempo_from": song.facts.tempo_from,
        "parts": [
            {"part": a.requested.part, "files": [{"path": m.path, "confidence": m.confidence} for m in a.matches]}
            for a in song.parts
        ],
        "key": song.facts.key,
        "files": [t.path for t in song.tracks],
        "sum_peak": _sum_peak(song),
        "mix_match": _mix_match(song.mix_match) if song.mix_match is not None else None,
        "awaited": list(song.awaited),
        "statements": [_statement(s) for s in song.statements],
    }


def _sum_peak(song: SongSet) -> dict[str, Any] | None:
    """The true peak of the plain sum, and the files that make it."""
    peak = song.sum_peak
    if peak is None:
        return None
    timeline = song.facts.timeline
    return {
        "dbtp": _level(peak.dbtp),
        "at_s": round(peak.seconds, _DIGITS),
        "bar": timeline.place_at(peak.seconds).bar if timeline is not None else None,
        "files": len(peak.starts),
        "left_out": peak.left_out,
        "parts": [{"file": p.path, "share": _level(p.share), "won_db": _level(p.won_db)} for p in peak.parts],
    }


def _mix_match(match: MixMatch) -> dict[str, Any]:
    """What the rough mix says of the files."""
    return {
        "mix": match.mix,
        "verdict": match.verdict,
        "offset_frames": match.offset_frames,
        "null_db": _level(match.null_db),
        "worst_db": _level(match.worst_db),
        "matched_share": _level(match.matched_share),
        "left_out": list(match.left_out),
        "files": [_in_mix(f) for f in match.files],
        "unaccounted": [
            {
                "start_s": _level(s.start_s),
                "stop_s": _level(s.stop_s),
                "low_hz": _level(s.low_hz),
                "high_hz": _level(s.high_hz),
                "under_mix_db": _level(s.under_mix_db),
            }
            for s in match.spans
        ],
    }


def _in_mix(file: MatchedFile) -> dict[str, Any]:
    """What it says of one file; levels are `null` where the file is not in it."""
    return {
        "path": file.path,
        "presence": file.presence,
        "t": _level(file.t),
        "start_frames": file.start_frames,
        "speed": file.speed,
        "is_sure": file.is_sure,
        "other_starts": list(file.other_starts),
        "level_db": _level(file.level_db),
        "left_db": _level(file.left_db),
        "right_db": _level(file.right_db),
        "error_db": _level(file.error_db),
        "is_inverted": file.is_inverted,
        "section_db": [_level(level) if level == level else None for level in file.section_db],
    }


def _statement(statement: Statement) -> dict[str, Any]:
    """What a note says of files or of a place."""
    document: dict[str, Any] = {"note": statement.note, "words": statement.words, "files": list(statement.files)}
    if statement.awaited:
        document["awaited"] = list(statement.awaited)
    if statement.at_s is not None:
        document["at_s"] = statement.at_s
    return document


def _other(entry: Entry, delivery: Delivery) -> dict[str, Any]:
    document: dict[str, Any] = {"path": entry.path, "role": entry.role.value, "set": entry.song}
    if entry.text:
        document["text"] = entry.text
    if entry.midi is not None:
        document["midi"] = {key: value for key, value in asdict(entry.midi).items() if key != "note_quarters"}
    for pair in (p for s in delivery.sets for p in s.comparison.midi if p.path == entry.path):
        document["plays"] = {"file": pair.track, "offset_ms": _level(pair.offset_ms), "alike": _level(pair.alike)}
    if entry.beside:
        document["beside"] = entry.beside
    return document


def _file(track: Track, song: SongSet) -> dict[str, Any]:
    document: dict[str, Any] = {"path": track.path, "set": song.name, "role": track.role.value}
    document |= _role(track, song)
    if (name := song.names.get(track.path)) is not None:
        document["name"] = {
            "part": name.part,
            "family": name.family,
            "number": name.number,
            "index": name.first("index"),
            "side": name.side,
            "variants": list(name.variants),
            "confidence": name.confidence,
        }
    if track.format is not None:
        document |= {
            "container": track.format.container,
            "sample_format": track.format.sample_format,
            "bits": track.format.bits,
            "rate": track.format.rate_hz,
            "channels": track.format.channels,
            "frames": track.format.frames,
            "time_reference": track.format.time_reference,
        }
        document |= _said(track.format)
    if track.measures is not None:
        document["measures"] = _measures(track.measures)
    return document


def _role(track: Track, song: SongSet) -> dict[str, Any]:
    """What a file's role rests on, where anything says it."""
    if track.basis.source is None:
        return {}
    document: dict[str, Any] = {"role_from": track.basis.source}
    if track.basis.is_likely:
        document |= {"role_likely": True, "role_confidence": track.basis.confidence}
    for mix in song.comparison.mixes:
        if mix.path == track.path:
            document["role_holds"] = {"files": len(mix.members), "of": mix.files}
    return document


def _said(sound: SoundFormat) -> dict[str, Any]:
    """What a file says of itself, where it says anything."""
    document: dict[str, Any] = {}
    if sound.codec_delay_frames is not None:
        document["codec_delay_frames"] = sound.codec_delay_frames
    if sound.said:
        document["said"] = [{"label": label, "text": text} for label, text in sound.said]
    if sound.markers:
        document["markers"] = [{"frame": m.frame, "text": m.text} for m in sound.markers]
    if sound.import_tags:
        document["import_tags"] = list(sound.import_tags)
    if sound.contradictions:
        document["contradictions"] = list(sound.contradictions)
    return document


def _measures(m: Measures) -> dict[str, Any]:
    document: dict[str, Any] = {
        "sample_peak_dbfs": _level(m.sample_peak_dbfs),
        "sample_peak_by_channel_dbfs": [_level(p) for p in m.sample_peak_by_channel_dbfs],
        "true_peak_dbtp": _level(m.true_peak_dbtp),
        "rms_dbfs": _level(m.rms_dbfs),
        "rms_by_channel_dbfs": [_level(r) for r in m.rms_by_channel_dbfs],
        "crest_db": _level(m.crest_db),
        "loudness_lufs": _level(m.loudness_lufs),
        "dc_offset": [round(d, 9) for d in m.dc_offset],
        "first_sound_frame": m.extent.first_sound_frame,
        "last_sound_frame": m.extent.last_sound_frame,
        "clip_runs": m.clip_runs.count(3),
        "clip_longest_run": max(m.clip_runs.lengths, default=0),
        "overs": m.overs.samples(),
        "nonfinite": m.nonfinite.samples(),
        "flat_tops": m.flat_tops.runs.count(),
        "gaps": m.gaps.count,
        "near_peak_share": _level(m.density.near_peak_share),
        "correlation": _level(m.sides.correlation) if m.sides else None,
        "side_to_mid_db": _level(m.sides.side_to_mid_db) if m.sides else None,
    }
    if m.ceiling is not None:
        c = m.ceiling
        document["ceiling"] = {
            "dbfs": _level(c.dbfs),
            "samples": c.samples,
            "near": c.near,
            "touching": c.touching,
            "close": c.close,
            "corner": _level(c.corner) if c.corner is not None else None,
            "cycle_share": _level(c.cycle_share),
        }
    if m.click_tempo is not None:
        document["pulse_bpm"] = _level(m.click_tempo.bpm)
    if m.bits_in_use is not None:
        document["bits_in_use"] = m.bits_in_use
    if m.spectrum is not None:
        edge = m.spectrum.edge
        document["spectral_edge_hz"] = round(edge.edge_hz) if edge is not None else None
    return document


def _evidence(evidence: Mapping[str, EvidenceValue]) -> dict[str, Any]:
    return {
        key: list(value) if isinstance(value, tuple) else _level(value) if isinstance(value, float) else value
        for key, value in evidence.items()
    }


def finding_document(finding: Finding, speaker: Speaker) -> dict[str, Any]:
    """One finding as JSON-ready data."""
    several = len(finding.files) > 1
    document: dict[str, Any] = {
        "code": finding.code,
        "action": finding.action.value,
        "confidence": finding.confidence,
        "set": finding.song,
        "files": list(finding.files),
        "summary": speaker.summary(finding),
        "evidence": _evidence(finding.evidence),
        "places": [
            {"frame": p.frame, "frames": p.frames, "channel": p.channel} | ({"file": p.path} if several else {})
            for p in finding.places[:PLACES_MOST]
        ],
    }
    if finding.kind is not None:
        document["kind"] = finding.kind
    if finding.by_file:
        document["by_file"] = {path: _evidence(e) for path, e in finding.by_file.items()}
    if finding.places_total > len(document["places"]):
        document["places_total"] = finding.places_total
    if finding.consequences:
        document["absorbs"] = [finding_document(a, speaker) for a in finding.consequences]
    return document
