"""Words for the question "content": Is the right sound in it, whole and once?"""

from __future__ import annotations

import math
from collections.abc import Mapping
from types import MappingProxyType

from deep_tally.reply.numbers import count, decibels, duration, level, listed
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
    return f"{edge_words(f)}{shared}; lossy encoders end there"


def _dropout(f: Facts) -> str:
    kind = {"zeros": "silence", "held": "a value held still", "repeated": "a block played twice"}[
        str(f.evidence["gap"])
    ]
    runs, longest = int(f.number("runs")), f"{f.number('longest_run'):.0f} samples ({duration(f.number('ms'))})"
    if runs == 1:
        return f"{kind} for {longest} inside the sound, at {f.first_place}"
    return f"{count(runs, 'gap')} inside the sound, first at {f.first_place}; the longest is {kind} for {longest}"


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
    return f"{how}; what differs lies {decibels(-f.number('db'))} under it"


def _sum(f: Facts) -> str:
    parts = [p.rpartition("/")[2] for p in f.words("parts")]
    return f"it is {listed(parts)} added up; what is left lies {decibels(-f.number('db'))} under it"


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
        return "it holds no samples"
    if not math.isinf(clicks := f.number("clicks_ms")):
        return f"only stray clicks, {duration(clicks)} in all, the highest at {decibels(f.number('dbfs'), 'dBFS')}"
    found = f.number("dbfs")
    return "every sample is zero" if math.isinf(found) else f"only noise at {level(found)} RMS"


WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "content.damaged": Wording(
            "Cannot be read whole", "{files} cannot be read whole", _damaged, "What is missing cannot be made up here."
        ),
        "content.empty": Wording(
            "No sound in it",
            "There is no sound in {files}",
            _empty,
            "A part that was muted by mistake would be missing.",
        ),
        "content.nonfinite": Wording(
            "Values that are no numbers",
            "{files} holds values that are no numbers",
            lambda f: f"{count(int(f.number('runs')), 'place')}, first at {f.first_place}",
            "Played as they are, such values can become a loud click.",
        ),
        "content.dropout": Wording(
            "Gaps in the sound",
            "The sound of {files} has gaps",
            _dropout,
            "A gap that short is a click, and what is missing cannot be made up here.",
        ),
        "content.lossy-origin": Wording(
            "Made from a lossy file",
            "{files} seems to be made from a lossy file",
            _lossy_origin,
            "A WAV that was an MP3 once stays one: what the encoder left out is gone.",
        ),
        "content.twin": Wording(
            "The same sound twice",
            "These files hold the same sound: {files}",
            _twin,
            "One of them may be a mistake, and another part missing.",
        ),
        "content.holds-another": Wording(
            "Holds another file's sound",
            "{files} holds the sound of another file",
            lambda f: (
                f"{partner(f)} sits in it at {decibels(f.number('gain_db'))}, sample by sample, with more besides"
            ),
            "Played together that part sounds twice.",
        ),
        "content.sum-of": Wording(
            "The sum of other files",
            "{files} is the sum of other files",
            _sum,
            "Played together those parts sound twice.",
        ),
        "content.two-exports": Wording(
            "Two exports in one folder",
            "The set seems to come from two exports: {files}",
            _exports,
            "What differs between the files may follow from that.",
        ),
        "content.hum": Wording(
            "Mains hum in the pauses",
            "Mains hum sounds in the pauses of {files}",
            lambda f: f"{f.number('hz'):.0f} Hz and its multiples at {decibels(f.number('dbfs'), 'dBFS')} together",
        ),
        "content.lossy": Wording(
            "A lossy format",
            "{files} is in a lossy format",
            _lossy,
            "What the format left out cannot be brought back, and later steps make it audible.",
        ),
        "content.no-rough-mix": Wording(
            "No rough mix came",
            "No rough mix came",
            no_evidence,
            "It tells the balance and the mood you are used to, and shows whether anything is missing.",
        ),
        "content.container": Wording(
            "Not the asked kind of file",
            "{files} is not the kind of file that was asked",
            lambda f: f"{str(f.evidence['container']).upper()}, asked is {str(f.evidence['wanted']).upper()}",
            "",
            "save it in the asked kind, which loses nothing",
        ),
        "content.part-missing": Wording(
            "Asked parts did not come",
            "Asked parts did not come",
            lambda f: f"missing: {listed(f.words('missing'))}",
            "They may be in the song, but not in what was sent.",
        ),
        "content.companion-missing": Wording(
            "What was asked to come along is missing",
            "What was asked to come along is missing",
            lambda f: f"missing: {missing(f)}",
            "It was asked for because the mix needs it.",
        ),
        "content.scope": Wording(
            "Not what was asked: groups or tracks",
            "Groups and single tracks are not as asked: {files}",
            lambda f: (
                f"{count(int(f.number('files')), 'group')} came where every track was asked"
                if f.evidence.get("scope") == "every-track"
                else f"{count(int(f.number('files')), 'track')} came where groups were asked"
            ),
            "What is summed already cannot be balanced, and what is not summed is another job.",
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
            "Gaps that may be meant",
            "The sound of {files} stops and goes on",
            _dropout,
            "Gates and chopped parts do that.",
        ),
        "content.damaged": Wording(
            "It contradicts itself, but can be read",
            "{files} contradicts itself, but all that is there can be read",
            _damaged,
        ),
        "content.lossy": Wording(
            "A lossy twin of a lossless file", "{files} came lossless as well", _lossy, "The lossless one is used."
        ),
    }
)
"""Other words for codes that say something else when they are only a note."""
