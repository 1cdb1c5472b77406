"""Words for the question "content": Is the right sound in it, whole and once?"""

from __future__ import annotations

import math
from collections.abc import Mapping
from types import MappingProxyType

from deep_tally.model.language import gettext as _
from deep_tally.model.language import marked, ngettext
from deep_tally.model.phrase import worded
from deep_tally.reply.numbers import clock, count, decibels, duration, hertz, level, listed
from deep_tally.reply.wording.facts import (
    Facts,
    Wording,
    edge_words,
    missing,
    no_evidence,
    partner,
    requested,
)

_MARKS: Mapping[str, str] = MappingProxyType(
    {
        "format": marked("format"),
        "length": marked("length"),
        "writer": marked("writer"),
        "prefix": marked("prefix"),
        "time": marked("time"),
    }
)


def _lossy_origin(f: Facts) -> str:
    others, edge = int(f.number("files")) - 1, edge_words(f)
    cut_off = _("lossy encoders cut off there")
    if others > 0:
        edge = ngettext("{edge}, as one other file does", "{edge}, as {number} other files do", others, edge=edge)
    return f"{edge}; {cut_off}"


def _dropout(f: Facts) -> str:
    kinds = {"zeros": _("silence"), "held": _("a frozen sample value"), "repeated": _("a repeated block")}
    kind, runs = kinds[str(f.evidence["gap"])], int(f.number("runs"))
    longest = f"{count(int(f.number('longest_run')), 'sample', 'samples')} ({duration(f.number('ms'))})"
    if runs == 1:
        return _("{kind} for {samples} in the middle of the sound, at {time}").format(
            kind=kind, samples=longest, time=f.first_place
        )
    return ngettext(
        "{number} gap in the middle of the sound, first at {time}; the longest is {kind} for {samples}",
        "{number} gaps in the middle of the sound, first at {time}; the longest is {kind} for {samples}",
        runs,
        time=f.first_place,
        kind=kind,
        samples=longest,
    )


def _twin(f: Facts) -> str:
    gain, offset = f.number("gain_db"), f.number("offset_frames")
    later = _("the same sound {samples} ({time}) later")
    how = {
        "exact": _("the same samples"),
        "scaled": _("the same sound at {gain}"),
        "inverted": _("the same sound, inverted"),
        "shifted": later if offset > 0 else _("the same sound {samples} ({time}) earlier"),
    }[str(f.evidence["twin"])]
    if str(f.evidence["twin"]) in ("inverted", "shifted") and abs(gain) >= 0.05:
        how = f"{how}, {decibels(gain)}"
    samples = "" if math.isinf(offset) else count(abs(int(offset)), "sample", "samples")
    how = how.format(gain=decibels(gain), samples=samples, time=duration(abs(f.number("ms"))))
    difference = _("the difference is {level} down").format(level=decibels(-f.number("db")))
    return f"{how}; {difference}"


def _sum(f: Facts) -> str:
    parts = [p.rpartition("/")[2] for p in f.words("parts")]
    if f.evidence.get("exact") == 0:
        return _("it holds {files}, processed together").format(files=listed(parts))
    return _("it is {files} added together; the remainder is {level} down").format(
        files=listed(parts), level=decibels(-f.number("db"))
    )


def _clips(f: Facts) -> str:
    overlaps = int(f.number("overlaps"))
    text = ngettext(
        "{number} clip of “{part}”", "{number} clips of “{part}”", int(f.number("files")), part=f.evidence["part"]
    )
    if overlaps <= 0:
        return text
    over = ngettext(
        "{number} clip begins before the one before has ended",
        "{number} clips begin before the one before has ended",
        overlaps,
    )
    return f"{text}; {over}"


def _exports(f: Facts) -> str:
    marks = listed([_(_MARKS[mark]) for mark in f.words("by")])
    return ngettext(
        "{number} file differs from the rest by {marks}",
        "{number} files differ from the rest by {marks}",
        int(f.number("files")),
        marks=marks,
    )


def _damaged(f: Facts) -> str:
    return worded(f.evidence.get("problem"))


def _lossy(f: Facts) -> str:
    ending = f.evidence.get("ending")
    kind = str(f.evidence.get("container", "")).upper()
    return _("{kind}, though its name ends in .{ending}").format(kind=kind, ending=ending) if ending else kind


def _empty(f: Facts) -> str:
    if f.number("frames") == 0:
        return _("it contains no samples")
    if not math.isinf(clicks := f.number("clicks_ms")):
        return _("only stray clicks, {length} in all, the loudest at {level}").format(
            length=duration(clicks), level=decibels(f.number("dbfs"), "dBFS")
        )
    found = f.number("dbfs")
    if math.isinf(found):
        return _("every sample is zero")
    return _("only noise at {level} RMS").format(level=level(found))


def _scope(f: Facts) -> str:
    files = int(f.number("files"))
    if f.evidence.get("scope") != "every-track":
        return ngettext(
            "{number} track sent where groups were requested",
            "{number} tracks sent where groups were requested",
            files,
        )
    if f.finding.kind == "question":
        return ngettext(
            "{number} file named as a group is, which sounds like several sources",
            "{number} files named as groups are, which sound like several sources",
            files,
        )
    return ngettext(
        "{number} group sent where every track was requested",
        "{number} groups sent where every track was requested",
        files,
    )


def _unaccounted(f: Facts) -> str:
    first, last = clock(f.number("start_s")), clock(f.number("stop_s"))
    low, high = hertz(f.number("low_hz")), hertz(f.number("high_hz"))
    text = _("from {first} to {last}, between {low} and {high}, {level} under the mix").format(
        first=first, last=last, low=low, high=high, level=decibels(f.number("under_mix_db"))
    )
    more = int(f.number("spans")) - 1
    if more <= 0:
        return text
    also = ngettext("{number} more place", "{number} more places", more)
    return f"{text}; {also}"


def _moved(f: Facts) -> str:
    louder = _("{level} louder in the mix than at the level of the others")
    text = louder if f.number("db") > 0 else _("{level} quieter in the mix than at the level of the others")
    return text.format(level=decibels(abs(f.number("db"))))


def _not_in_mix(f: Facts) -> str:
    if "partner" in f.evidence:
        return _("no trace of it in the mix; {partner}, with the same sound, is in it").format(partner=partner(f))
    return _("no trace of it in the mix, which the other files account for")


WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "content.damaged": Wording(
            marked("Incomplete or unreadable"),
            marked("{files} is incomplete or unreadable"),
            _damaged,
            marked("What is missing cannot be restored here."),
        ),
        "content.import-tags": Wording(
            marked("Tags that may stretch it on import"),
            marked("{files} carries tags that may stretch it on import"),
            lambda f: _("it states {tags}").format(tags=listed([worded(tag) for tag in f.words("tags")])),
            marked("Some programs follow such tags: turn that off, or check the length after importing."),
        ),
        "content.edit-jump": Wording(
            marked("A jump, as at an edit without a fade"),
            marked("The waveform of {files} jumps"),
            lambda f: ngettext(
                "{number} jump, at {time}",
                "{number} jumps, first at {time}",
                int(f.number("jumps")),
                time=f.first_place,
            ),
            marked("It may be heard as a click."),
        ),
        "content.unreadable-kind": Wording(
            marked("A kind of sound file that cannot be read here"),
            marked("{files} is of a kind that cannot be read here"),
            lambda f: str(f.evidence["sound_kind"]),
            marked("What cannot be opened can be neither checked nor mixed."),
        ),
        "content.empty": Wording(
            marked("No sound in it"),
            marked("There is no sound in {files}"),
            _empty,
            marked("If it was muted by mistake, a part is missing."),
        ),
        "content.nonfinite": Wording(
            marked("Invalid sample values (NaN or infinite)"),
            marked("{files} contains invalid sample values (NaN or infinite)"),
            lambda f: ngettext(
                "{number} place, at {time}",
                "{number} places, first at {time}",
                int(f.number("runs")),
                time=f.first_place,
            ),
            marked("Played back, such values can turn into a loud click."),
        ),
        "content.dropout": Wording(
            marked("Gaps in the sound"),
            marked("The sound of {files} has gaps"),
            _dropout,
            marked("A gap that short is heard as a click, and what is missing cannot be restored here."),
        ),
        "content.lossy-origin": Wording(
            marked("Made from a lossy file"),
            marked("{files} seems to be made from a lossy file"),
            _lossy_origin,
            marked("A WAV made from an MP3 is no better than the MP3: what the encoder removed is gone."),
        ),
        "content.twin": Wording(
            marked("The same sound twice"),
            marked("These files contain the same sound: {files}"),
            _twin,
            marked("One of them may be a mistake, and another part may be missing."),
        ),
        "content.holds-another": Wording(
            marked("Contains another file's sound"),
            marked("{files} contains the sound of another file"),
            lambda f: _("{partner} is in it at {level}, sample for sample, along with other sound").format(
                partner=partner(f), level=decibels(f.number("gain_db"))
            ),
            marked("Played together, that part is heard twice."),
        ),
        "content.sum-of": Wording(
            marked("The sum of other files"),
            marked("{files} is the sum of other files"),
            _sum,
            marked("Played together, those parts are heard twice."),
        ),
        "content.two-exports": Wording(
            marked("Two exports in one folder"),
            marked("The set seems to come from two exports: {files}"),
            _exports,
            marked("That may explain the differences between the files."),
        ),
        "content.hum": Wording(
            marked("Mains hum in the pauses"),
            marked("There is mains hum in the pauses of {files}"),
            lambda f: _("{hz} Hz and its multiples at {level} together").format(
                hz=f"{f.number('hz'):.0f}", level=decibels(f.number("dbfs"), "dBFS")
            ),
        ),
        "content.lossy": Wording(
            marked("Lossy format"),
            marked("{files} is in a lossy format"),
            _lossy,
            marked("What the format discarded cannot be brought back, and processing makes it audible."),
        ),
        "content.no-rough-mix": Wording(
            marked("No rough mix"),
            marked("No rough mix"),
            no_evidence,
            marked("It shows me the balance and mood you have in mind, and whether anything is missing."),
        ),
        "content.container": Wording(
            marked("Not the requested file type"),
            marked("{files} is not the requested file type"),
            lambda f: requested(str(f.evidence["container"]).upper(), str(f.evidence["wanted"]).upper()),
            "",
        ),
        "content.part-missing": Wording(
            marked("Requested parts are missing"),
            marked("Requested parts are missing"),
            missing,
            marked("They may be in the song, but they were not among the files."),
        ),
        "content.companion-missing": Wording(
            marked("Other requested items are missing"),
            marked("Other requested items are missing"),
            missing,
            marked("I need them for the mix."),
        ),
        "content.scope": Wording(
            marked("Groups and tracks not as requested"),
            marked("Groups and tracks are not as requested: {files}"),
            _scope,
            marked("What is already summed cannot be balanced, and summing tracks is a separate job."),
        ),
        "content.clips": Wording(
            marked("One part in several clips"),
            marked("These are clips of one part: {files}"),
            _clips,
            marked("Joined where they belong, they are one track."),
        ),
        "content.leftover": Wording(
            marked("Sound after the song"),
            marked("{files} sounds again after the song has ended"),
            lambda f: _("at {time}, {later} after everything else has ended").format(
                time=f.first_place, later=duration(f.number("ms"))
            ),
            marked("It may be left over from another take."),
        ),
        "content.unaccounted": Wording(
            marked("In the mix, but not in the files"),
            marked("The rough mix holds something that no file has"),
            _unaccounted,
            marked("A part may be missing."),
        ),
        "content.not-in-mix": Wording(
            marked("Not in the rough mix"),
            marked("{files} is not in the rough mix"),
            _not_in_mix,
        ),
        "content.level-moved": Wording(
            marked("Another level than in the mix"),
            marked("{files} has another level here than in the rough mix"),
            _moved,
        ),
        "content.mix-copy": Wording(
            marked("A copy of the mix"),
            marked("The mix was sent more than once: {files}"),
            lambda f: _("the same mix as {partner}, in another form or louder").format(partner=partner(f)),
        ),
        "content.several-mixes": Wording(
            marked("Several rough mixes"),
            marked("More than one file could be the rough mix: {files}"),
            lambda f: count(int(f.number("files")), "candidate", "candidates"),
            marked("The mix should start from the current one."),
        ),
    }
)

NOTE_WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "content.dropout": Wording(
            marked("Gaps that may be intended"),
            marked("The sound of {files} stops and starts"),
            _dropout,
            marked("Gates and chopped parts do that."),
        ),
        "content.damaged": Wording(
            marked("Contradicts itself but can be read"),
            marked("{files} contradicts itself, but everything in it can be read"),
            _damaged,
        ),
        "content.lossy": Wording(
            marked("Lossy copy of a lossless file"),
            marked("{files} was also sent as a lossless file"),
            _lossy,
            marked("The lossless one is used."),
        ),
    }
)
"""Other words for codes that say something else when they are only a note."""
