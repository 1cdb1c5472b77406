"""Words for the question "length": Are all files equally long?"""

from __future__ import annotations

import math
from collections.abc import Mapping
from types import MappingProxyType

from deep_tally.model.language import gettext as _
from deep_tally.model.language import marked, ngettext
from deep_tally.model.phrase import worded
from deep_tally.reply.numbers import count, decibels, decimal, duration, signed
from deep_tally.reply.wording.facts import (
    Facts,
    Wording,
    in_bars,
)


def _bars_counted(f: Facts) -> str:
    source = f.evidence.get("tempo_from")
    bars, meter = signed(f.number("bars"), digits=3), f.evidence.get("meter", "4/4")
    text = _("{bars} bars of {meter}").format(bars=bars, meter=meter)
    if f.number("tempo_bpm") > 0:
        tempo = decimal(f"{f.number('tempo_bpm'):g}")
        text = _("{bars} bars of {meter} at {tempo} BPM").format(bars=bars, meter=meter, tempo=tempo)
        text += f" ({worded(source)})" if source else ""
    changes = int(max(0.0, f.number("changes")))
    if not changes:
        return text
    return ngettext("{bars}, including {number} change", "{bars}, including {number} changes", changes, bars=text)


def _off_the_bar(f: Facts) -> str:
    ms, frames = f.number("ms"), f.evidence.get("frames")
    if math.isinf(ms):
        return ""
    samples = f", {count(abs(int(frames)), 'sample', 'samples')}" if isinstance(frames, (int, float)) else ""
    text = _("it ends {time} after the bar line") if ms > 0 else _("it ends {time} before the bar line")
    return f"; {text.format(time=f'{duration(abs(ms))}{samples}')}"


def _tail_cut(f: Facts) -> str:
    level = decibels(f.number("dbfs"), "dBFS")
    if f.evidence.get("faded"):
        faded = _("at {time} it is faded out within a few milliseconds, from a sound that still rings at {level}")
        return faded.format(time=f.first_place, level=level)
    return _("at its last sample, {time}, it still sounds at {level}").format(time=f.first_place, level=level)


WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "length.short": Wording(
            marked("Ends before the others"),
            marked("{files} ends before the others"),
            lambda f: _("{time} shorter than the common length").format(time=duration(f.number("ms"))),
            marked("Without the end there is no telling whether something is missing."),
        ),
        "length.ends-differ": Wording(
            marked("Silent ends were trimmed"),
            marked("Silent ends were trimmed in {files}"),
            lambda f: _("lengths differ by up to {time}, and every sound has died away").format(
                time=duration(f.number("ms"))
            ),
            "",
        ),
        "length.tail-room": Wording(
            marked("Too little room after the last sound"),
            marked("There is too little room after the last sound in {files}"),
            lambda f: _("{time} after the last sound").format(time=duration(f.number("ms"))),
            marked("Delays and reverb added in the mix need room to ring out."),
        ),
        "length.long": Wording(
            marked("Runs past the common end"),
            marked("{files} runs past the common end"),
            lambda f: _("{time} longer than the others").format(time=duration(f.number("ms"))),
            "",
        ),
        "length.tail-cut": Wording(
            marked("Cut off while still sounding"),
            marked("{files} stops while still sounding"),
            _tail_cut,
            marked("The end of the last note is missing, and a fade cannot bring it back."),
        ),
        "length.set-cut": Wording(
            marked("The whole export stops too early"),
            marked("The whole export stops while the music still sounds: {files}"),
            lambda f: ngettext(
                "{number} file ends while sounding", "{number} files end while sounding", int(f.number("files"))
            ),
            marked("The end of the last notes is missing."),
        ),
        "length.not-bars": Wording(
            marked("Not a whole number of bars"),
            marked("The common length is not a whole number of bars"),
            lambda f: f"{_bars_counted(f)}{_off_the_bar(f)}",
            marked("Parts exported to whole bars can be moved and repeated."),
        ),
        "length.loop-not-bars": Wording(
            marked("Not a whole number of bars"),
            marked("{files} is not a whole number of bars"),
            lambda f: f"{_bars_counted(f)}{_off_the_bar(f)}",
            marked("A loop of whole bars repeats cleanly; one of another length drifts with every repeat."),
        ),
        "length.click-short": Wording(
            marked("The click stops before the end"),
            marked("{files} stops before the song does"),
            lambda f: _("its last click is {time} before the last sound").format(
                time=f"{duration(f.number('ms'))}{in_bars(f)}"
            ),
        ),
        "length.set-short-of-mix": Wording(
            marked("The files end before the mix does"),
            marked("All files end before the rough mix does"),
            lambda f: _("the mix sounds on for {time} after the last file has ended").format(
                time=duration(f.number("ms"))
            ),
            marked("Whatever plays there is missing."),
        ),
        "length.set-past-mix": Wording(
            marked("Sounds on after the mix has ended"),
            marked("{files} sounds on after the rough mix has ended"),
            lambda f: ngettext(
                "{number} file after the mix's end", "{number} files after the mix's end", int(f.number("count"))
            ),
        ),
        "length.idle-tail": Wording(
            marked("Long silence at the end"),
            marked("All files end with a long silence"),
            lambda f: _("{time} after the last sound").format(time=duration(f.number("ms"))),
        ),
    }
)
