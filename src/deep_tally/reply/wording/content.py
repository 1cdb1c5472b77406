"""Words for the question "content": Is the right sound in it, whole and once?"""

from __future__ import annotations

import math
from collections.abc import Mapping
from types import MappingProxyType

from deep_tally.reply.numbers import clock, count, decibels, duration, hertz, level, listed
from deep_tally.reply.wording.facts import (
    Facts,
    Wording,
    edge_words,
    missing,
    no_evidence,
    partner,
)


def _lossy_origin(f: Facts) -> str:
    others = int(f.number("files")) - 1
    shared = (
        f", as {count(others, 'other file')} do" if others > 1 else ", as one other file does" if others == 1 else ""
    )
    return f"{edge_words(f)}{shared}; lossy encoders cut off there"


def _dropout(f: Facts) -> str:
    kind = {"zeros": "silence", "held": "a frozen sample value", "repeated": "a repeated block"}[str(f.evidence["gap"])]
    runs, longest = int(f.number("runs")), f"{f.number('longest_run'):.0f} samples ({duration(f.number('ms'))})"
    if runs == 1:
        return f"{kind} for {longest} in the middle of the sound, at {f.first_place}"
    gaps = f"{count(runs, 'gap')} in the middle of the sound, first at {f.first_place}"
    return f"{gaps}; the longest is {kind} for {longest}"


def _twin(f: Facts) -> str:
    gain = f.number("gain_db")
    by = f"{decibels(gain)} " if abs(gain) >= 0.05 else ""
    how = {
        "exact": "the same samples",
        "scaled": f"the same sound at {decibels(gain)}",
        "inverted": f"the same sound {by}inverted",
        "shifted": f"the same sound {by}{abs(f.number('offset_frames')):.0f} samples ({duration(abs(f.number('ms')))})"
        f" {'later' if f.number('offset_frames') > 0 else 'earlier'}",
    }[str(f.evidence["twin"])]
    return f"{how}; the difference is {decibels(-f.number('db'))} down"


def _sum(f: Facts) -> str:
    parts = [p.rpartition("/")[2] for p in f.words("parts")]
    if f.evidence.get("exact") == 0:
        return f"it holds {listed(parts)}, processed together"
    return f"it is {listed(parts)} added together; the remainder is {decibels(-f.number('db'))} down"


def _clips(f: Facts) -> str:
    overlaps = int(f.number("overlaps"))
    over = f"; {count(overlaps, 'clip')} begin before the one before has ended" if overlaps > 0 else ""
    return f"{count(int(f.number('files')), 'clip')} of “{f.evidence['part']}”{over}"


def _exports(f: Facts) -> str:
    return f"{count(int(f.number('files')), 'file')} differ from the rest by {listed(f.words('by'))}"


def _damaged(f: Facts) -> str:
    problem = f.evidence.get("problem")
    return str(problem)


def _lossy(f: Facts) -> str:
    ending = f.evidence.get("ending")
    return str(f.evidence.get("container", "")).upper() + (f", though its name ends in .{ending}" if ending else "")


def _empty(f: Facts) -> str:
    if f.number("frames") == 0:
        return "it contains no samples"
    if not math.isinf(clicks := f.number("clicks_ms")):
        return f"only stray clicks, {duration(clicks)} in all, the loudest at {decibels(f.number('dbfs'), 'dBFS')}"
    found = f.number("dbfs")
    return "every sample is zero" if math.isinf(found) else f"only noise at {level(found)} RMS"


def _scope(f: Facts) -> str:
    files = int(f.number("files"))
    if f.evidence.get("scope") != "every-track":
        return f"{count(files, 'track')} sent where groups were requested"
    if f.finding.kind == "question":
        return f"{count(files, 'file')} named as groups are, which sound like several sources"
    return f"{count(files, 'group')} sent where every track was requested"


def _unaccounted(f: Facts) -> str:
    first, last = clock(f.number("start_s")), clock(f.number("stop_s"))
    low, high = hertz(f.number("low_hz")), hertz(f.number("high_hz"))
    under = f"{decibels(f.number('under_mix_db'))} under the mix"
    more = int(f.number("spans")) - 1
    also = f"; {count(more, 'more place')}" if more > 0 else ""
    return f"from {first} to {last}, between {low} and {high}, {under}{also}"


def _moved(f: Facts) -> str:
    louder = "louder" if f.number("db") > 0 else "quieter"
    return f"{decibels(abs(f.number('db')))} {louder} in the mix than at the level of the others"


def _not_in_mix(f: Facts) -> str:
    if "partner" in f.evidence:
        return f"no trace of it in the mix; {partner(f)}, with the same sound, is in it"
    return "no trace of it in the mix, which the other files account for"


WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "content.damaged": Wording(
            "Incomplete or unreadable",
            "{files} is incomplete or unreadable",
            _damaged,
            "What is missing cannot be restored here.",
        ),
        "content.import-tags": Wording(
            "Tags that may stretch it on import",
            "{files} carries tags that may stretch it on import",
            lambda f: f"it states {listed(f.words('tags'))}",
            "Some programs follow such tags: turn that off, or check the length after importing.",
        ),
        "content.edit-jump": Wording(
            "A jump, as at an edit without a fade",
            "The waveform of {files} jumps",
            lambda f: f"{count(int(f.number('jumps')), 'jump')}, first at {f.first_place}",
            "It may be heard as a click.",
        ),
        "content.unreadable-kind": Wording(
            "A kind of sound file that cannot be read here",
            "{files} is of a kind that cannot be read here",
            lambda f: str(f.evidence["sound_kind"]),
            "What cannot be opened can be neither checked nor mixed.",
        ),
        "content.empty": Wording(
            "No sound in it",
            "There is no sound in {files}",
            _empty,
            "If it was muted by mistake, a part is missing.",
        ),
        "content.nonfinite": Wording(
            "Invalid sample values (NaN or infinite)",
            "{files} contains invalid sample values (NaN or infinite)",
            lambda f: f"{count(int(f.number('runs')), 'place')}, first at {f.first_place}",
            "Played back, such values can turn into a loud click.",
        ),
        "content.dropout": Wording(
            "Gaps in the sound",
            "The sound of {files} has gaps",
            _dropout,
            "A gap that short is heard as a click, and what is missing cannot be restored here.",
        ),
        "content.lossy-origin": Wording(
            "Made from a lossy file",
            "{files} seems to be made from a lossy file",
            _lossy_origin,
            "A WAV made from an MP3 is no better than the MP3: what the encoder removed is gone.",
        ),
        "content.twin": Wording(
            "The same sound twice",
            "These files contain the same sound: {files}",
            _twin,
            "One of them may be a mistake, and another part may be missing.",
        ),
        "content.holds-another": Wording(
            "Contains another file's sound",
            "{files} contains the sound of another file",
            lambda f: (
                f"{partner(f)} is in it at {decibels(f.number('gain_db'))}, sample for sample, along with other sound"
            ),
            "Played together, that part is heard twice.",
        ),
        "content.sum-of": Wording(
            "The sum of other files",
            "{files} is the sum of other files",
            _sum,
            "Played together, those parts are heard twice.",
        ),
        "content.two-exports": Wording(
            "Two exports in one folder",
            "The set seems to come from two exports: {files}",
            _exports,
            "That may explain the differences between the files.",
        ),
        "content.hum": Wording(
            "Mains hum in the pauses",
            "There is mains hum in the pauses of {files}",
            lambda f: f"{f.number('hz'):.0f} Hz and its multiples at {decibels(f.number('dbfs'), 'dBFS')} together",
        ),
        "content.lossy": Wording(
            "Lossy format",
            "{files} is in a lossy format",
            _lossy,
            "What the format discarded cannot be brought back, and processing makes it audible.",
        ),
        "content.no-rough-mix": Wording(
            "No rough mix",
            "No rough mix",
            no_evidence,
            "It shows me the balance and mood you have in mind, and whether anything is missing.",
        ),
        "content.container": Wording(
            "Not the requested file type",
            "{files} is not the requested file type",
            lambda f: f"{str(f.evidence['container']).upper()}; requested: {str(f.evidence['wanted']).upper()}",
            "",
        ),
        "content.part-missing": Wording(
            "Requested parts are missing",
            "Requested parts are missing",
            missing,
            "They may be in the song, but they were not among the files.",
        ),
        "content.companion-missing": Wording(
            "Other requested items are missing",
            "Other requested items are missing",
            missing,
            "I need them for the mix.",
        ),
        "content.scope": Wording(
            "Groups and tracks not as requested",
            "Groups and tracks are not as requested: {files}",
            _scope,
            "What is already summed cannot be balanced, and summing tracks is a separate job.",
        ),
        "content.clips": Wording(
            "One part in several clips",
            "These are clips of one part: {files}",
            _clips,
            "Joined where they belong, they are one track.",
        ),
        "content.leftover": Wording(
            "Sound after the song",
            "{files} sounds again after the song has ended",
            lambda f: f"at {f.first_place}, {duration(f.number('ms'))} after everything else has ended",
            "It may be left over from another take.",
        ),
        "content.unaccounted": Wording(
            "In the mix, but not in the files",
            "The rough mix holds something that no file has",
            _unaccounted,
            "A part may be missing.",
        ),
        "content.not-in-mix": Wording(
            "Not in the rough mix",
            "{files} is not in the rough mix",
            _not_in_mix,
        ),
        "content.level-moved": Wording(
            "Another level than in the mix",
            "{files} has another level here than in the rough mix",
            _moved,
        ),
        "content.mix-copy": Wording(
            "A copy of the mix",
            "The mix was sent more than once: {files}",
            lambda f: f"the same mix as {partner(f)}, in another form or louder",
        ),
        "content.several-mixes": Wording(
            "Several rough mixes",
            "More than one file could be the rough mix: {files}",
            lambda f: count(int(f.number("files")), "candidate"),
            "The mix should start from the current one.",
        ),
    }
)

NOTE_WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "content.dropout": Wording(
            "Gaps that may be intended",
            "The sound of {files} stops and starts",
            _dropout,
            "Gates and chopped parts do that.",
        ),
        "content.damaged": Wording(
            "Contradicts itself but can be read",
            "{files} contradicts itself, but everything in it can be read",
            _damaged,
        ),
        "content.lossy": Wording(
            "Lossy copy of a lossless file",
            "{files} was also sent as a lossless file",
            _lossy,
            "The lossless one is used.",
        ),
    }
)
"""Other words for codes that say something else when they are only a note."""
