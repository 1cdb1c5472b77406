"""The lines of a brief in words: as they stand in the window, and as the client reads them.

The client's words fit every program: they name what to set, never where a program keeps it.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import Literal

from deep_tally.check.coverage import Coverage
from deep_tally.model.brief import Brief, Part, Printed
from deep_tally.names.pattern import fill
from deep_tally.reply.numbers import count, decibels, kilohertz, listed

Group = Literal["What to send", "Format", "Levels", "Length", "Effects", "Also needed", "Names"]
GROUPS: tuple[Group, ...] = ("What to send", "Format", "Levels", "Length", "Effects", "Also needed", "Names")


@dataclass(frozen=True, slots=True)
class Line:
    """One line of a brief.

    Attributes
    ----------
    key : str
        Its key in the brief, with a dot for a part of a part.
    label : str
        What is asked, in the window.
    choices : mapping of value to words
        For a line that is one of several.
    """

    key: str
    group: Group
    label: str
    choices: Mapping[str, str] = field(default_factory=dict)

    @property
    def is_unseen(self) -> bool:
        """Whether no file can show it: it only goes on the client's page."""
        return self.key.startswith("printed.")


def _of(**choices: str) -> Mapping[str, str]:
    return MappingProxyType({key.replace("_", "-"): words for key, words in choices.items()})


_PRINTED = MappingProxyType({"out": "left out", "in": "left in", "either": "either way"})
_INSERTS = MappingProxyType(
    {"unless-sound": "out, unless the sound itself", "out": "left out", "in": "left in", "either": "either way"}
)
_RETURNS = MappingProxyType({**_PRINTED, "separate": "separate files"})

LINES: tuple[Line, ...] = (
    Line(
        "scope",
        "What to send",
        "Files",
        _of(
            every_track="every track",
            groups="groups only",
            both="tracks and groups",
            named_parts="the listed parts",
            mix="the mix itself",
        ),
    ),
    Line("parts", "What to send", "Listed parts"),
    Line("rates", "Format", "Sample rate"),
    Line("bits_min", "Format", "Bits, at least"),
    Line("sample_formats", "Format", "Sample format"),
    Line("containers", "Format", "File type"),
    Line(
        "stereo",
        "Format",
        "Stereo sounds",
        _of(either="either way", one_file="as one file", two_monos="as two monos"),
    ),
    Line(
        "levels",
        "Levels",
        "Levels",
        _of(headroom="with headroom", untouched="untouched", as_rough_mix="as in the rough mix"),
    ),
    Line("peak_window_dbfs", "Levels", "Peaks, dBFS"),
    Line("rms_window_dbfs", "Levels", "RMS, dBFS"),
    Line("tempo_bpm", "Length", "Tempo, BPM"),
    Line("meter", "Length", "Meter"),
    Line("length.equal", "Length", "Same length for all"),
    Line("length.whole_bars", "Length", "Whole bars"),
    Line("length.tail_seconds", "Length", "Silence at the end"),
    Line("length.trimmed_ends", "Length", "Silent ends may be trimmed"),
    Line("printed.insert_processing", "Effects", "Effects on the track", _INSERTS),
    Line("printed.effect_returns", "Effects", "Reverb and delay sends", _RETURNS),
    Line("printed.fader_and_pan_moves", "Effects", "Fader and pan moves", _PRINTED),
    Line(
        "printed.main_output_chain",
        "Effects",
        "Main output effects",
        MappingProxyType({"out": "left out", "either": "either way"}),
    ),
    Line("needs.rough_mix", "Also needed", "Rough mix"),
    Line("needs.song", "Also needed", "Song title"),
    Line("needs.tempo", "Also needed", "Tempo"),
    Line("needs.key", "Also needed", "Key"),
    Line("needs.artist", "Also needed", "Artist"),
    Line("needs.references", "Also needed", "References"),
    Line("needs.click", "Also needed", "Click"),
    Line("needs.midi", "Also needed", "MIDI"),
    Line("needs.documents", "Also needed", "Notes"),
    Line("needs.stamps", "Also needed", "Time stamps"),
    Line("names.pattern", "Names", "Pattern"),
    Line("names.longest", "Names", "Longest"),
    Line("names.generic_words", "Names", "Say what plays"),
)
"""All lines, in the order of the panel. Thresholds stand apart, under their own names."""


def value_of(brief: Brief, key: str) -> object:
    """The value of a line in a brief."""
    value: object = brief
    for step in key.split("."):
        value = getattr(value, step)
    return value


def is_assessed(brief: Brief, key: str) -> bool:
    """Whether the brief asks anything in this line: what is not asked has nothing to meet."""
    value = value_of(brief, key)
    if key in ("rates", "containers"):
        return True  # none named asks for one rate, and for lossless files
    if key in ("length.trimmed_ends", "levels") or value in (None, False, (), "either"):
        return False
    return not (key == "length.equal" and brief.length.trimmed_ends)


def coverage_words(coverage: Coverage) -> str:
    """How much was received of what is requested: "31 of 33", "received", "missing"."""
    if coverage.unit == "song" and coverage.total == 1:
        return "received" if coverage.is_met else "missing"
    return f"all {coverage.total}" if coverage.is_met and coverage.total > 1 else f"{coverage.met} of {coverage.total}"


def depth_words(brief: Brief) -> str:
    """The depth that is asked, as an export's list of choices says it."""
    kinds = []
    if "int" in brief.sample_formats:
        kinds.append(f"{brief.bits_min} bit")
    if "float" in brief.sample_formats:
        kinds.append("32 bit float")
    return " or ".join(kinds)


def example_name(pattern: str) -> str:
    """A name by a pattern, as an example."""
    values = {
        "number": "01",
        "part": "Lead voice",
        "words": "Lead voice",
        "variant": "dry",
        "side": "L",
        "family": "voices",
        "song": "Song",
        "artist": "Artist",
        "tempo": "96 BPM",
        "key": "D minor",
        "old": "Lead voice",
    }
    return fill(pattern, values)


# -- the client's sentences -------------------------------------------------------------------


def scope_sentence(brief: Brief) -> str:
    """What to send, in one sentence."""
    return {
        "every-track": "Every track of the song as its own file, nothing mixed together.",
        "groups": "The groups (submixes), one file each: drums, bass, keys, voices and so on; not every single track.",
        "both": "Every track as its own file, and the groups (submixes) beside them in their own folder.",
        "named-parts": "The parts listed below, each as its own file.",
        "mix": "The finished mix as one stereo file.",
    }[brief.scope]


def format_sentences(brief: Brief) -> list[str]:
    """Rate, depth, kind of file and stereo."""
    lines = []
    if brief.rates is None:
        lines.append("Sample rate: the song's own, the same for all files. Please do not convert anything.")
    else:
        lines.append(f"Sample rate: {listed([kilohertz(r) for r in brief.rates], word='or')}.")
    lines.append(f"Depth: {depth_words(brief)}.")
    if brief.containers is None:
        lines.append("File type: WAV or another lossless type; no MP3 or similar, and nothing made from one.")
    else:
        lines.append(f"File type: {listed([c.upper() for c in brief.containers], word='or')}.")
    if brief.scope != "mix":
        lines.append(
            {
                "either": "Stereo sounds as stereo files, mono sounds as mono files.",
                "one-file": "Stereo sounds as one stereo file each, mono sounds as mono files.",
                "two-monos": "Stereo sounds as two mono files each, with L and R in their names.",
            }[brief.stereo]
        )
    return lines


def preparing_sentences(brief: Brief) -> list[str]:
    """What to see to in the session before the export."""
    if brief.scope == "mix":
        return []
    return [
        "Nothing soloed, and nothing muted by mistake: both leave parts out of the export.",
        "Freeze or print software instruments first, so that they play in the file exactly as you hear them.",
        "Name the tracks before the export: the files take their names from them.",
    ]


def level_sentences(brief: Brief) -> list[str]:
    """What to do about levels."""
    high = brief.peak_window_dbfs[1]
    text = {
        # The lower bound is the engineer's own: a client who reads it boosts whispers.
        "headroom": f"Leave headroom: the loudest peak of each file at {decibels(high, 'dBFS', digits=0)} or lower."
        " Quiet parts may stay quiet.",
        "untouched": "Leave the levels as they are; turn nothing up or down for the export.",
        "as-rough-mix": "Leave faders and pan as in your rough mix, so that all files together sound like it.",
    }[brief.levels]
    lines = [text, "Please do not normalise, and do not let anything reach full scale."]
    if brief.rms_window_dbfs is not None:
        low, high = brief.rms_window_dbfs
        lines.append(
            f"Average level (RMS) between {decibels(low, '', digits=0).strip()} and {decibels(high, 'dBFS', digits=0)}."
        )
    return lines


def length_sentences(brief: Brief) -> list[str]:
    """Where files start and end."""
    lines = []
    if brief.length.equal and brief.scope != "mix":
        lines.append(
            "All files start at the same moment, the very start of the song, silence included"
            + ("; silent ends may be trimmed." if brief.length.trimmed_ends else ", and end together.")
        )
    if brief.tempo_bpm is not None:
        lines.append(f"Tempo: {brief.tempo_bpm:g} BPM" + (f", {brief.meter}." if brief.meter else "."))
    if brief.length.whole_bars:
        lines.append("Set the range from the first beat of one bar to the first beat of another: whole bars.")
    elif brief.length.tail_seconds:
        lines.append(f"End at least {brief.length.tail_seconds:g} s after the last sound has died away.")
    else:
        lines.append("End 4 to 5 s after the last sound, so that every reverb and echo dies away.")
    return lines


_PRINTED_SENTENCES: Mapping[tuple[str, str], str] = MappingProxyType(
    {
        ("insert_processing", "unless-sound"): (
            "Effects on the tracks themselves: turn off, unless they are the sound itself (an amp, a chopped voice);"
            " I can add an effect, but take none out."
        ),
        ("insert_processing", "out"): (
            "Effects on the tracks themselves (compressor, equaliser, tuning): turn off; I cannot undo what is printed."
        ),
        ("insert_processing", "in"): (
            "Effects on the tracks themselves (compressor, equaliser, amp): leave on, they are part of the sound."
        ),
        ("effect_returns", "out"): "Reverbs and delays: turn off; I choose them for the whole song.",
        ("effect_returns", "in"): "Reverbs and delays: leave on, as you hear them now.",
        (
            "effect_returns",
            "separate",
        ): "Reverbs and delays: off, or as files of their own, so I can balance them.",
        ("fader_and_pan_moves", "out"): "Fader and pan moves: leave out; the rough mix shows me what you meant.",
        ("fader_and_pan_moves", "in"): "Fader and pan moves: leave in, they are part of your balance.",
        ("main_output_chain", "out"): (
            "Nothing on the main output (limiter, compressor, maximiser): it would press every file you export."
        ),
    }
)
PRINTED_KEYS = ("insert_processing", "effect_returns", "fader_and_pan_moves", "main_output_chain")


def printed_sentences(printed: Printed) -> list[str]:
    """What to leave in and what to switch off; what may be either way is not mentioned."""
    said = [_PRINTED_SENTENCES.get((key, getattr(printed, key))) for key in PRINTED_KEYS]
    return [words for words in said if words]


_PRINTED_SHORT: Mapping[tuple[str, str], str] = MappingProxyType(
    {
        ("insert_processing", "out"): "without its effects",
        ("insert_processing", "in"): "with its effects",
        ("effect_returns", "out"): "without reverb and delay",
        ("effect_returns", "in"): "with reverb and delay",
        ("effect_returns", "separate"): "reverb and delay as separate files",
        ("fader_and_pan_moves", "out"): "without moves",
        ("fader_and_pan_moves", "in"): "with its moves",
    }
)


def part_words(part: Part) -> str:
    """A listed part in a line: "lead voice (mono; dry and wet; without its effects)"."""
    said = [{1: "mono", 2: "stereo"}[part.channels]] if part.channels else []
    said += [listed(list(part.variants))] if part.variants else []
    if part.printed is not None:
        set_keys = part.printed.model_fields_set
        said += [
            words
            for key in PRINTED_KEYS
            if key in set_keys and (words := _PRINTED_SHORT.get((key, getattr(part.printed, key))))
        ]
    return f"{part.part} ({'; '.join(said)})" if said else part.part


_NEED_WORDS: Mapping[str, str] = MappingProxyType(
    {
        "rough_mix": "your rough mix, as you listen to it now (an MP3 will do)",
        "references": "one or two songs whose sound you like",
        "click": "the click as a file",
        "midi": "the MIDI of programmed parts",
        "documents": "notes: what matters to you, what is unfinished",
    }
)
_FACT_WORDS = {"song": "the song's title", "artist": "the artist", "tempo": "the tempo in BPM", "key": "the key"}


def need_sentences(brief: Brief) -> list[str]:
    """What else to send with the files."""
    lines = [f"{words[:1].upper()}{words[1:]}." for key, words in _NEED_WORDS.items() if getattr(brief.needs, key)]
    facts = [words for key, words in _FACT_WORDS.items() if getattr(brief.needs, key)]
    if facts:
        lines.append(f"In the folder's name or a note: {listed(facts)}.")
    if brief.needs.stamps:
        lines.append("Broadcast-wave time stamps in all files.")
    return lines


def name_sentences(brief: Brief) -> list[str]:
    """How to name the files."""
    if brief.scope == "mix":
        return []
    lines = ["Name each file after what plays in it, not “track 7”."]
    if brief.names.pattern is not None:
        lines.append(f"Like this: {example_name(brief.names.pattern)}.wav")
    lines.append(f"Letters, numbers, spaces, - and _ only; {count(brief.names.longest, 'character')} at most.")
    return lines
