"""Why a file is to be exported again, in at most eight words a musician uses; figures stand in the details."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType

from deep_tally.model.language import gettext as _
from deep_tally.model.language import marked
from deep_tally.reply.numbers import duration, kilohertz
from deep_tally.reply.wording.facts import Facts

WORDS_MOST = 8


def _damaged(f: Facts) -> str:
    there, claimed = f.number("frames"), f.number("claimed_frames")
    sound = f.track.format if f.track is not None else None
    if sound is None or not 0 < there < claimed:
        return _("arrived damaged")
    seconds, whole = there / sound.rate_hz, claimed / sound.rate_hz
    if round(whole) - round(seconds) < 1:
        return _("the last bit did not arrive")
    return _("only the first {there} of {whole} seconds arrived").format(there=round(seconds), whole=round(whole))


def _rate(f: Facts) -> str:
    own = f.track.format.rate_hz if f.track is not None and f.track.format is not None else 0
    common = f.number("common_rate")
    if common > 0 and own:
        return _("{own}, the others are at {common}").format(own=kilohertz(own), common=kilohertz(common))
    return _("not at the sample rate I asked for")


def _bits(f: Facts) -> str:
    return _("only {bits} bit").format(bits=int(f.number("bits")))


def _short(f: Facts) -> str:
    return _("ends {time} before the others").format(time=duration(f.number("ms")))


def _lossy(f: Facts) -> str:
    return _("is {kind}, not WAV").format(kind=str(f.evidence.get("container", "MP3")).upper())


def _many_channels(f: Facts) -> str:
    sound = f.track.format if f.track is not None else None
    return _("has {channels} channels, please send stereo").format(channels=sound.channels if sound else 0)


Reason = str | Callable[[Facts], str]

REASONS: Mapping[str, Reason] = MappingProxyType(
    {
        "content.damaged": _damaged,
        "content.nonfinite": marked("has broken spots inside"),
        "content.unreadable-kind": marked("I cannot open this kind of file"),
        "start.at-sound": marked("starts at its first sound"),
        "start.cut-in": marked("its first note is cut off"),
        "length.tail-cut": marked("stops while it still sounds"),
        "length.set-cut": marked("stops while the music still plays"),
        "length.short": _short,
        "length.tail-room": marked("too little room after the last sound"),
        "length.set-short-of-mix": marked("ends before the rough mix does"),
        "length.not-bars": marked("is not a whole number of bars"),
        "length.loop-not-bars": marked("is not a whole number of bars"),
        "rate.differs": _rate,
        "rate.off-brief": _rate,
        "rate.wrong-speed": marked("plays at the wrong speed"),
        "clipping.baked": marked("distorts, it was too loud"),
        "depth.low": _bits,
        "headroom.quiet": marked("is far too quiet"),
        "content.dropout": marked("has gaps in the sound"),
        "content.lossy": _lossy,
        "start.codec-delay": marked("is an MP3 that plays late"),
        "content.lossy-origin": marked("was probably an MP3 before"),
        "headroom.normalised": marked("was made as loud as all others"),
        "headroom.shared-ceiling": marked("the main output's limiter is in it"),
        "channels.many": _many_channels,
        "depth.off-brief": marked("not in the bit depth I asked for"),
    }
)
"""For every code whose request is a new export; a test holds that none is missing, and that none is long."""


def reason_words(facts: Facts) -> str:
    """Why, for one file of a finding."""
    reason = REASONS[facts.finding.code]
    return _(reason) if isinstance(reason, str) else reason(facts)


QUESTIONS: Mapping[str, tuple[str, str]] = MappingProxyType(
    {
        # about one file, about several
        "is-group": (marked("Is {files} a group of several tracks?"), marked("Are these groups: {files}?")),
        "is-set-at-sound": (
            marked("Does {files} start where the song starts?"),
            marked("Do all files start where the song starts?"),
        ),
        "is-stamp": (
            marked("Where in the song does {files} belong?"),
            marked("Where in the song do these belong: {files}?"),
        ),
        "is-rate": (
            marked("Which sample rate was the song made at?"),
            marked("Which sample rate was the song made at?"),
        ),
        "is-cut-in": (marked("Is the start of {files} cut off?"), marked("Are these cut off at the start: {files}?")),
        "is-upsampled": (
            marked("Was {files} made at a lower sample rate?"),
            marked("Were these made at a lower sample rate: {files}?"),
        ),
        "is-clipped": (
            marked("{files} sounds distorted. Is that on purpose?"),
            marked("These sound distorted: {files}. Is that on purpose?"),
        ),
        "is-depth": (marked("Was the song made in 16 bit?"), marked("Was the song made in 16 bit?")),
        "is-opposed": (
            marked("In mono, {files} is gone. Is that on purpose?"),
            marked("In mono, these are gone: {files}. Is that on purpose?"),
        ),
        "is-one-side": (
            marked("{files} plays on one side only. Is that on purpose?"),
            marked("These play on one side only: {files}. Is that on purpose?"),
        ),
        "is-name": (marked("What plays in {files}?"), marked("What plays in these: {files}?")),
        "is-part": (marked("What plays in {files}?"), marked("What plays in these: {files}?")),
        "is-fact": (marked("Which tempo and key are right?"), marked("Which tempo and key are right?")),
        "is-current": (marked("Is {files} the current one?"), marked("Which is the current one: {files}?")),
        "is-twin": (
            marked("Is {files} meant to be there twice?"),
            marked("{files} are identical. Is that on purpose?"),
        ),
        "is-held": (
            marked("Is {partner} meant to play in {files}, too?"),
            marked("Other parts play in these, too: {files}. Is that on purpose?"),
        ),
        "is-empty": (
            marked("{files} is silent. Is that on purpose?"),
            marked("These are silent: {files}. Is that on purpose?"),
        ),
        "is-placed": (marked("At which bar does {files} begin?"), marked("At which bars do these begin: {files}?")),
        "is-half": (marked("Is there another side to {files}?"), marked("Is there another side to these: {files}?")),
        "is-unsent": (
            marked("At {time}, the rough mix has a sound that no file has. What is it?"),
            marked("At {time}, the rough mix has a sound that no file has. What is it?"),
        ),
        "is-mono": (marked("Did you export stereo tracks as mono?"), marked("Did you export stereo tracks as mono?")),
        "is-mix": (marked("Is {files} the current rough mix?"), marked("Which rough mix is the current one: {files}?")),
        "facts": (marked("What is the song's {missing}?"), marked("What is the song's {missing}?")),
    }
)
"""For every task that is answered with a word; a test holds that none is missing."""
