"""The words for every finding: a headline, its evidence, and what is asked or mended.

Checks give codes and numbers; only here do they become sentences. Times, levels and rates are said as
every program shows them.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from types import MappingProxyType

from deep_tally.model.delivery import Delivery, Track
from deep_tally.model.findings import Action, EvidenceValue, Finding
from deep_tally.reply.action_words import readable
from deep_tally.reply.numbers import clock, count, decibels, duration, kilohertz, level, listed, signed


@dataclass(frozen=True, slots=True)
class Facts:
    """One file's part in a finding, with what words need to know of it."""

    finding: Finding
    path: str | None
    track: Track | None
    evidence: Mapping[str, EvidenceValue]

    def number(self, key: str) -> float:
        """A number of the evidence; -inf where it says None."""
        value = self.evidence.get(key)
        return float(value) if isinstance(value, (int, float)) else -math.inf

    def words(self, key: str) -> tuple[str, ...]:
        """A list of words of the evidence."""
        value = self.evidence.get(key)
        return value if isinstance(value, tuple) else ()

    def at(self, frame: float, *, digits: int = 1) -> str:
        """The time of a frame in this file."""
        rate = self.track.format.rate_hz if self.track and self.track.format else 48_000
        return clock(frame / rate, digits=digits)

    @property
    def first_place(self) -> str:
        """The time of the file's first place."""
        frames = [p.frame for p in self.finding.places if p.path == self.path]
        return self.at(min(frames)) if frames else "the start"


@dataclass(frozen=True, slots=True)
class Wording:
    """Words for one code.

    `headline` stands over the finding beside the file; `about` names the files ("{files}"); `evidence` says
    where and how much; `matter` why it matters, in one line; `mend` what is done here, after "I".
    """

    headline: str
    about: str
    evidence: Callable[[Facts], str]
    matter: str = ""
    mend: str = ""


def _none(facts: Facts) -> str:
    return ""


def _flat(f: Facts, where: str) -> str:
    runs, longest = int(f.number("runs")), int(f.number("longest_run"))
    worst = f.at(f.number("longest_at"))
    if runs == 1:
        return f"1 place {where}, {longest} samples long, at {worst}"
    told = f"{runs} places {where}, {duration(f.number('ms'))} in all, first at {f.first_place}"
    return f"{told}; the longest is {longest} samples, at {worst}{_together(f)}"


def _together(f: Facts) -> str:
    """The passage that several files share."""
    others = f.number("at_once") - 1
    if others < 1:
        return ""
    return f"; at {f.at(f.number('at_once_frame'))} together with {count(int(others), 'other file')}"


def _baked(f: Facts) -> str:
    return _flat(f, "at full scale")


def _square(f: Facts) -> str:
    return f"flat at full scale for {f.number('share') * 100:.0f} % of the time it sounds"


def _earlier(f: Facts) -> str:
    return _flat(f, f"where the top is flat, all at {decibels(f.number('dbfs'), 'dBFS')}")


def _over(f: Facts) -> str:
    told = f"peaks at {level(f.number('dbfs'))}, first over at {f.first_place}"
    if f.number("flat_tops") > 0:
        return f"{told}; its tops are flat there, and turning it down leaves them so"
    down = f"; {decibels(f.number('set_db'))} down, like all the others, and nothing is lost"
    return f"{told}; the waveform is intact{_together(f)}{down}"


def _bars(bars: float) -> str:
    """ "2 bars", "1.5 bars", "12.003 bars"."""
    return f"{signed(bars, digits=3).rstrip('0').rstrip('.')} {'bar' if bars == 1 else 'bars'}"


def _bars_counted(f: Facts) -> str:
    source = f.evidence.get("tempo_from")
    told = f"{f.number('bars'):.3f} bars of {f.evidence.get('meter', '4/4')}"
    if f.number("tempo_bpm") > 0:
        told += f" at {f.number('tempo_bpm'):g} BPM" + (f" ({source})" if source else "")
    changes = int(max(0.0, f.number("changes")))
    return f"{told}, with its {count(changes, 'change')}" if changes else told


def _off_the_bar(f: Facts) -> str:
    ms, frames = f.number("ms"), f.evidence.get("frames")
    if math.isinf(ms):
        return ""
    samples = f", {count(abs(int(frames)), 'sample')}" if isinstance(frames, (int, float)) else ""
    return f"; it ends {duration(abs(ms))}{samples} {'after' if ms > 0 else 'before'} the bar"


def _in_bars(f: Facts) -> str:
    bars, beats = f.number("bars"), f.number("beats")
    if math.isinf(bars):
        return ""
    if math.isinf(beats):
        return f", {_bars(abs(bars))}"
    # What floats lose is no beat: 3.9999 of four beats are a bar.
    whole, rest = math.floor(bars + 1e-4), round(beats, 2)
    rest = 0.0 if whole > math.floor(bars) else rest
    told = [_bars(whole)] if whole else []
    told += [f"{rest:g} {'beat' if rest == 1 else 'beats'}"] if rest else []
    return f", {' and '.join(told)}" if told else ""


def _placed(f: Facts) -> str:
    frames, ms = int(f.number("offset_frames")), f.number("ms")
    way = "later" if frames > 0 else "earlier"
    return f"{count(abs(frames), 'sample')} ({duration(abs(ms))}{_in_bars(f)}) {way} than its own start says"


def _at_sound(f: Facts) -> str:
    told = f"sounds from the first sample and is {duration(f.number('ms'))} shorter than the others"
    frames = f.evidence.get("offset_frames")
    if not isinstance(frames, (int, float)):
        return told
    return f"{told}; you placed it at {f.at(frames, digits=3)}{_in_bars(f)} after the start"


def _click_off(f: Facts) -> str:
    bars, off_ms, ms = f.number("bars"), f.number("off_ms"), f.number("ms")
    if off_ms == 0:
        return f"its first stroke stands on bar {round(bars) + 1}, {duration(ms)} after the start"
    return f"its first stroke comes {duration(abs(ms))} {'after' if ms > 0 else 'before'} bar 1, on no bar line"


def _drift(f: Facts) -> str:
    ms = f.number("ms")
    if math.isinf(ms):
        return ""
    way = "behind" if ms > 0 else "ahead of"
    return f"; over {clock(f.number('over_s'), digits=0)} the click runs {duration(abs(ms))} {way} the song's tempo"


def _partner(f: Facts) -> str:
    return str(f.evidence.get("partner", "")).rpartition("/")[2]


def _edge(f: Facts) -> str:
    return f"nothing above {f.number('edge_hz') / 1000:.1f} kHz, where it falls by {decibels(f.number('db'))}"


def _upsampled(f: Facts) -> str:
    return f"{_edge(f)}; a {kilohertz(f.number('source_rate'))} file ends there"


def _lossy_origin(f: Facts) -> str:
    others = int(f.number("files")) - 1
    shared = (
        f", as {count(others, 'other file')} do" if others > 1 else ", as one other file does" if others == 1 else ""
    )
    return f"{_edge(f)}{shared}; lossy encoders end there"


def _padded(f: Facts) -> str:
    gain = f.number("gain_db")
    told = f"only {f.number('bits'):.0f} bits in use"
    if math.isinf(gain) or abs(gain) < 0.05:
        return told
    return f"{told}, {'turned down' if gain < 0 else 'raised'} by {decibels(abs(gain))} afterwards"


def _level(f: Facts) -> str:
    """The level that is outside its window, and by how much."""
    value = level(f.number("dbfs"))
    return f"{value} RMS" if f.evidence.get("by") == "rms" else f"peaks at {value}"


def _quiet(f: Facts) -> str:
    told = f"{_level(f)}, {decibels(f.number('db'))} under the asked window"
    floor = f.number("floor_dbfs")
    return told if math.isinf(floor) else f"{told}; its own noise lies at {decibels(floor, 'dBFS')}"


def _dc(f: Facts) -> str:
    share = f"{signed(f.number('share') * 100, digits=2)} % of full scale"
    if "share_before" in f.evidence:
        return (
            f"at {f.first_place} its zero line steps from {signed(f.number('share_before') * 100, digits=2)} to {share}"
        )
    return f"its mean lies at {share}"


def _near_mono(f: Facts) -> str:
    if "frames" in f.evidence:
        late = "right" if f.number("frames") > 0 else "left"
        by = f"{abs(f.number('frames')):.0f} samples ({duration(abs(f.number('ms')))})"
        return f"the {late} side is the other one {by} later"
    return f"they differ by {decibels(f.number('db'))}"


def _pair(f: Facts) -> str:
    together = f.number("level_correlation")
    moves = "" if math.isinf(together) else f"their levels move together by {together:.2f} of 1, "
    return f"equally long mono files; {moves}their samples by {signed(f.number('correlation'), digits=2)}"


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


def _rate(f: Facts) -> str:
    if "common_rate" in f.evidence:
        return f"{kilohertz(f.number('rate'))}, the other files {kilohertz(f.number('common_rate'))}"
    return kilohertz(f.track.format.rate_hz) if f.track and f.track.format else ""


def _off_brief(f: Facts) -> str:
    wanted = listed([kilohertz(float(r)) for r in f.words("wanted")])
    return f"{kilohertz(f.number('rate'))}, asked was {wanted}"


def _missing(f: Facts) -> str:
    return listed(f.words("missing"))


def _characters(f: Facts) -> str:
    bad = f.words("characters")
    return f"it holds {listed(bad)}" if bad else "blanks or dots at its ends, or a reserved word"


def _differs_depth(f: Facts) -> str:
    is_float = f.track is not None and f.track.format is not None and f.track.format.sample_format == "float"
    return f"{f.number('bits'):.0f} bit{' float' if is_float else ''}, most files {f.number('common_bits'):.0f} bit"


def _stamp(f: Facts) -> str:
    late = f"{duration(f.number('ms'))}{_in_bars(f)} ({f.number('offset_frames'):.0f} samples)"
    return f"its time stamp puts it {late} after the earliest one"


def _normalised(f: Facts) -> str:
    by = {"peak": "peak", "rms": "RMS level", "loudness": "loudness"}[str(f.finding.evidence.get("by", "peak"))]
    unit = "LUFS" if by == "loudness" else "dBFS"
    return f"{count(int(f.number('files')), 'file')} share one {by}, {level(f.number('dbfs'), unit)}"


def _opposed(f: Facts) -> str:
    loss = -f.number("db")
    low, high = f.number("band_low_hz"), f.number("band_high_hz")
    band = "" if math.isinf(low) else f" between {low:.0f} and {high:.0f} Hz"
    if math.isinf(loss):
        return f"in mono they cancel to silence{band}"
    return f"in mono {decibels(loss)} are lost{band}"


_FORMAT_WORDS = {"int": "whole numbers (fixed point)", "float": "32 bit float"}


def _off_format(f: Facts) -> str:
    return f"{_FORMAT_WORDS[str(f.evidence['sample_format'])]}, asked is {_FORMAT_WORDS[str(f.evidence['wanted'])]}"


def _contradicts(f: Facts) -> str:
    by = f.evidence["by"]
    if by == "sound":
        return f"it names {f.evidence['part']}, but nothing sounds"
    if by == "channels":
        return "it says stereo, but holds one channel" if f.number("channels") == 1 else "it says mono, but holds two"
    return f"its other side, {_partner(f)}, differs in length by {duration(f.number('ms'))}"


WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "start.at-sound": Wording(
            "Starts at its first sound",
            "{files} starts at its first sound, not at the song's start",
            _at_sound,
            "Without the silence before it, nothing says where in the song it belongs.",
            "put it where you placed it",
        ),
        "start.offset": Wording(
            "Placed by hand",
            "{files} is placed elsewhere than at its own start",
            _placed,
            "",
            "put it where you placed it",
        ),
        "start.click-off-bar": Wording(
            "The click does not begin on bar 1",
            "{files} does not begin on bar 1",
            _click_off,
            "Whoever counts bars from the click is off by that much.",
        ),
        "start.set-at-sound": Wording(
            "All files start at their first sound",
            "Most files start at their own first sound: {files}",
            lambda f: "their lengths differ, so they do not line up",
            "Without the silence before them, nothing says where in the song they belong.",
        ),
        "start.stamp-differs": Wording(
            "Placed by its time stamp",
            "{files} carries a time stamp of its own",
            _stamp,
            "",
            "place it by its time stamp",
        ),
        "start.stamp-partial": Wording(
            "No time stamp, others have one",
            "{files} without a time stamp, while others carry one",
            lambda f: "the others carry a broadcast-wave time reference",
        ),
        "start.cut-in": Wording(
            "The attack is cut off",
            "The attack is cut off in {files}",
            lambda f: f"its first sample is at {decibels(f.number('dbfs'), 'dBFS')} already",
            "The first note starts in the middle of its sound.",
        ),
        "start.codec-delay": Wording(
            "Its encoder put silence before it",
            "{files} can sound late beside the others",
            lambda f: (
                f"its encoder put {f.number('frames'):.0f} samples ({duration(f.number('ms'))}) before the sound,"
                " which not every program cuts off"
            ),
            "Beside the other parts it can sound late by that much.",
        ),
        "length.short": Wording(
            "Ends before the others",
            "{files} ends before the others",
            lambda f: f"{duration(f.number('ms'))} shorter than the common length",
            "A missing end leaves open whether something is lost.",
            "add silence to the common end",
        ),
        "length.ends-differ": Wording(
            "Silent ends were trimmed",
            "Silent ends were trimmed in {files}",
            lambda f: f"lengths differ by up to {duration(f.number('ms'))}, and every sound has died away",
            "",
            "add silence to the longest one's end",
        ),
        "length.tail-room": Wording(
            "Little room after the last sound",
            "There is little room after the last sound in {files}",
            lambda f: f"{duration(f.number('ms'))} after the last sound",
            "Echoes and reverberation added in the mix need room to end.",
        ),
        "length.long": Wording(
            "Runs past the common end",
            "{files} runs past the common end",
            lambda f: f"{duration(f.number('ms'))} longer than the others",
            "",
            "end it with the others",
        ),
        "length.tail-cut": Wording(
            "Cut off while still sounding",
            "{files} stops while still sounding",
            lambda f: f"at its last sample, {f.first_place}, it still sounds at {decibels(f.number('dbfs'), 'dBFS')}",
            "The end of the last note is missing, and a fade cannot bring it back.",
        ),
        "length.set-cut": Wording(
            "The whole export stops too early",
            "The whole export stops while the music still sounds: {files}",
            lambda f: f"{count(int(f.number('files')), 'file')} end while sounding",
            "The end of the last notes is missing.",
        ),
        "length.not-bars": Wording(
            "No whole number of bars",
            "The common length is no whole number of bars",
            lambda f: f"{_bars_counted(f)}{_off_the_bar(f)}",
            "Parts exported to whole bars can be moved and repeated.",
        ),
        "length.loop-not-bars": Wording(
            "No whole number of bars",
            "{files} is no whole number of bars",
            lambda f: f"{_bars_counted(f)}{_off_the_bar(f)}",
            "A file of whole bars carries no tail: what rings on past the bar belongs to the file's next turn.",
        ),
        "length.click-short": Wording(
            "The click stops before the end",
            "{files} stops before the song does",
            lambda f: f"its last stroke is {duration(f.number('ms'))}{_in_bars(f)} before the last sound",
        ),
        "length.idle-tail": Wording(
            "Long silence at the end",
            "All files carry a long silence at the end",
            lambda f: f"{duration(f.number('ms'))} after the last sound",
        ),
        "rate.differs": Wording(
            "Another sample rate",
            "{files} has another sample rate",
            _rate,
            "Beside the others it would play at the wrong speed and pitch, or has to be converted.",
        ),
        "rate.off-brief": Wording(
            "Not the asked sample rate",
            "The files are not at the asked sample rate: {files}",
            _off_brief,
            "The session runs at the asked rate.",
        ),
        "rate.upsampled": Wording(
            "Made at a lower sample rate",
            "{files} seems to be converted up from a lower sample rate",
            _upsampled,
            "Converting a finished file up adds no detail; a song made at the lower rate is best mixed there.",
        ),
        "depth.differs": Wording("Another bit depth", "{files} has another bit depth", _differs_depth),
        "depth.low": Wording(
            "Fewer bits than asked",
            "{files} has fewer bits than asked",
            lambda f: f"{f.number('bits'):.0f} bit, asked are {f.number('wanted_bits'):.0f}",
            "Quiet sounds lose detail that no later step can bring back.",
        ),
        "depth.off-brief": Wording(
            "Not the asked sample format",
            "{files} has another sample format than asked",
            _off_format,
            "In the asked format levels can be kept as they are.",
        ),
        "depth.padded": Wording(
            "Fewer bits in use than the file holds",
            "{files} uses fewer bits than it holds",
            _padded,
            "A file that was 16 bit once stays so, whatever holds it.",
        ),
        "clipping.baked": Wording(
            "Clipping is printed into the file",
            "Clipping is printed into {files}",
            _baked,
            "The tops are gone for good: turning the file down afterwards does not bring them back.",
        ),
        "clipping.earlier": Wording(
            "Flat tops below full scale",
            "{files} has flat tops below full scale",
            _earlier,
            "It looks clipped first and turned down afterwards: turning it down does not bring the tops back.",
        ),
        "clipping.over": Wording(
            "Over full scale, but intact",
            "{files} goes over full scale, but is intact",
            _over,
            "",
            "turn it down, and the others with it, so that the balance stays",
        ),
        "clipping.between-samples": Wording(
            "Over full scale between samples",
            "{files} goes over full scale between its samples",
            lambda f: f"true peak +{signed(f.number('db'), digits=2)} dBTP",
        ),
        "headroom.hot": Wording(
            "Little headroom",
            "{files} has little headroom",
            lambda f: f"{_level(f)}, {decibels(f.number('db'))} over the asked window",
            "",
            "turn it down, and the others with it, so that the balance stays",
        ),
        "headroom.quiet": Wording(
            "Very quiet",
            "{files} is very quiet",
            _quiet,
            "With so few bits under it, raising it raises the noise with it.",
        ),
        "headroom.normalised": Wording(
            "Every file was set to one level",
            "Most files were set to one level: {files}",
            _normalised,
            "The balance between the parts is lost.",
        ),
        "headroom.same-peak": Wording(
            "Peaks at one and the same value",
            "These files peak at exactly one value: {files}",
            lambda f: f"{count(int(f.number('files')), 'file')} peak at exactly {decibels(f.number('dbfs'), 'dBFS')}",
            "Something may have held or moved just these.",
        ),
        "headroom.shared-ceiling": Wording(
            "Held at one ceiling",
            "These files are held at one ceiling: {files}",
            lambda f: f"{count(int(f.number('files')), 'file')} are held at {decibels(f.number('dbfs'), 'dBFS')}",
            "A limiter on the main output is printed into every export: it moves each part against the others.",
        ),
        "headroom.limited": Wording(
            "The level is held under its peak",
            "The level of {files} is held under its peak",
            lambda f: (
                f"{f.number('share') * 100:.0f} % of its sounding moments peak within 0.3 dB of its highest,"
                f" the loudest with a crest of {decibels(f.number('db'))}"
            ),
            "A limiter does that, and so does some programmed sound.",
        ),
        "headroom.dc": Wording(
            "Constant offset",
            "{files} carries a constant offset",
            _dc,
            "",
            "take the offset out",
        ),
        "channels.same": Wording(
            "Both sides are the same",
            "Both sides of {files} are the same",
            lambda f: "a mono sound in a stereo file",
            "",
            "make it mono",
        ),
        "channels.panned-mono": Wording(
            "A mono sound, panned",
            "{files} is one mono sound, panned",
            lambda f: f"the right side is the left one at {decibels(f.number('gain_db'))}",
            "",
            "make it mono and keep its pan",
        ),
        "channels.one-side": Wording(
            "One side is silent",
            "One side of {files} is silent",
            lambda f: f"only the {f.evidence.get('side')} side sounds",
            "",
            "make it mono",
        ),
        "channels.opposed": Wording(
            "The sides cancel in mono",
            "The two sides of {files} work against each other",
            _opposed,
            "Whoever hears the song in mono does not hear this part.",
        ),
        "channels.near-mono": Wording(
            "The sides hardly differ",
            "The two sides of {files} hardly differ",
            _near_mono,
        ),
        "channels.split-pair": Wording(
            "Left and right came apart",
            "These are the two sides of one stereo sound: {files}",
            _pair,
            "",
            "join them to one stereo file",
        ),
        "channels.unrelated": Wording(
            "Two sounds in one file",
            "The two sides of {files} are two different sounds",
            lambda f: (
                f"their samples move together by {signed(f.number('correlation'), digits=2)} of 1,"
                f" their levels by {signed(f.number('level_correlation'), digits=2)}"
            ),
        ),
        "channels.many": Wording(
            "More than two channels",
            "{files} holds more than two channels",
            lambda f: f"{f.number('channels'):.0f} channels in one file",
            "The channels carry no names, so their places are unknown.",
        ),
        "channels.to-split": Wording(
            "Stereo, where two monos are asked",
            "{files} is one stereo file, where two monos are asked",
            lambda f: "both sides are in one file",
            "",
            "split it into two mono files",
        ),
        "channels.role": Wording(
            "Not mono or stereo as asked",
            "{files} is not mono or stereo as asked",
            lambda f: f"{f.evidence['came']}, asked is {f.evidence['wanted']} for {f.evidence['part']}",
        ),
        "name.generic": Wording(
            "The name does not say what plays",
            "The name of {files} does not say what plays",
            lambda f: (
                f"“{f.evidence['word']}” and a number, over {f.number('files'):.0f} files"
                if "word" in f.evidence
                else "only a number or a general word"
            ),
            "Guessing instruments by ear costs time and invites mistakes.",
        ),
        "name.characters": Wording(
            "Characters some systems refuse",
            "The name of {files} cannot be stored on every system",
            _characters,
            "",
            "rename the copy",
        ),
        "name.clash": Wording(
            "Two files share a name",
            "These names are equal on some systems: {files}",
            lambda f: "equal but for case, accents or the track number",
            "",
            "tell them apart in the copies' names",
        ),
        "name.long": Wording(
            "A long name",
            "The name of {files} is long",
            lambda f: f"{f.number('characters_count'):.0f} characters, asked are at most {f.number('most'):.0f}",
            "",
            "shorten the copy's name",
        ),
        "name.copy-mark": Wording(
            "Looks like a second copy",
            "The name marks a second copy: {files}",
            lambda f: (
                f"beside {f.evidence['partner']}" if f.evidence.get("partner") else "the mark a file manager adds"
            ),
            "Only one of them can be the current one.",
            "take the mark out of the copy's name",
        ),
        "name.number-gap": Wording(
            "Track numbers miss some",
            "The track numbers miss some",
            lambda f: f"no file numbered {_missing(f)}",
        ),
        "name.number-twice": Wording(
            "One number, two files",
            "Two files carry the same track number: {files}",
            lambda f: f"number {f.number('number'):.0f}",
            "",
            "number the copies anew",
        ),
        "name.pattern": Wording(
            "Named otherwise than the rest",
            "Named otherwise than asked, or than the rest: {files}",
            lambda f: f"the pattern is {f.evidence.get('pattern')}",
            "",
            "name the copy by the pattern",
        ),
        "name.prefix": Wording(
            "The part stands late in the name",
            "The names all begin alike, so that the part stands late: {files}",
            lambda f: f"{f.number('files'):.0f} names begin with “{f.evidence['prefix']}”",
        ),
        "name.contradicts": Wording(
            "The name says something else",
            "The name of {files} says something else than what is in it",
            _contradicts,
        ),
        "name.facts-missing": Wording(
            "Facts about the song are missing",
            "Facts about the song are stated nowhere",
            lambda f: f"missing: {_missing(f)}",
            "Tempo and title set up the session, the grid and the effects that follow it.",
        ),
        "name.facts-differ": Wording(
            "Tempo or key is stated differently",
            "Tempo or key is stated differently in different places",
            lambda f: f"{listed(f.words('stated'))}{_drift(f)}",
            "The wrong one puts the grid, and every effect that follows it, beside the music.",
        ),
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
                f"{_partner(f)} sits in it at {decibels(f.number('gain_db'))}, sample by sample, with more besides"
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
            _none,
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
            lambda f: f"missing: {_missing(f)}",
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
"""Every code's words; a test holds it against the registry."""

NOTE_WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "clipping.baked": Wording(
            "A square wave at full scale",
            "{files} is a square wave at full scale",
            _square,
            "A wave that is flat in every period is a sound, not a fault.",
        ),
        "channels.split-pair": Wording(
            "Named as a pair, but unrelated",
            "These are named as two sides, but do not move together: {files}",
            _pair,
        ),
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


def wording_of(finding: Finding) -> Wording:
    """The words for a finding."""
    other = NOTE_WORDINGS.get(finding.code) if finding.action is Action.NOTE else None
    return other or WORDINGS[finding.code]


class Speaker:
    """Says the findings of one delivery."""

    def __init__(self, delivery: Delivery) -> None:
        self._tracks = {t.path: t for t in delivery.tracks}
        self.has_several_songs = len(delivery.sets) > 1
        self._songs = {t.path: s.name for s in delivery.sets for t in s.tracks} if self.has_several_songs else {}

    def name(self, path: str, *, ending: bool = True) -> str:
        """A file's name as a sentence says it, with its song where there are several."""
        name = path.rpartition("/")[2]
        name = name if ending else name.rpartition(".")[0] or name
        return f"{self._songs[path]} / {name}" if path in self._songs else name

    def song(self, finding: Finding) -> str:
        """The song a finding is about, where there are several; else empty."""
        return finding.song if self.has_several_songs else ""

    def facts(self, finding: Finding, path: str | None = None) -> Facts:
        """What words need for one file of a finding (its first file when none is named)."""
        if path is None and finding.files:
            path = finding.files[0]
        evidence = finding.evidence_of(path) if path else finding.evidence
        return Facts(finding, path, self._tracks.get(path or ""), evidence)

    def headline(self, finding: Finding) -> str:
        """A few words, as they stand beside the file."""
        return wording_of(finding).headline

    def evidence(self, finding: Finding, path: str | None = None) -> str:
        """Where and how much, for one file; no full stop."""
        return wording_of(finding).evidence(self.facts(finding, path))

    def matter(self, finding: Finding) -> str:
        """Why it matters; empty for what is only worth knowing."""
        return wording_of(finding).matter

    def mend(self, finding: Finding) -> str:
        """What is done about it here, as a verb phrase; empty when nothing is."""
        return wording_of(finding).mend

    def summary(self, finding: Finding) -> str:
        """One plain sentence that names the files."""
        names = listed([self.name(path) for path in finding.files])
        told = wording_of(finding).about.format(files=readable(names))
        if not finding.files and (song := self.song(finding)):
            told = f"{readable(song)}: {told}"
        if finding.by_file:
            return f"{told}."
        evidence = self.evidence(finding)
        return f"{told}: {readable(evidence)}." if evidence else f"{told}."
