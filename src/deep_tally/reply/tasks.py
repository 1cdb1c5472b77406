"""What a client can be asked to do or to answer, and the codes it answers.

In the order in which they block the mix. The instructions fit every program: they name what to set, never
where a program keeps it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from deep_tally.model.findings import Kind
from deep_tally.model.language import marked, marked_plural

Place = Literal["again", "send", "if-any", "answer"]
"""Where it stands in the letter: export again, send too, send if it exists, answer with a word."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Task:
    """One thing to do or to answer.

    `one` and `many` are the headings for one file ("{file}") and several ("{count}"); `how` says how to do it,
    `check` how to see that it worked, and `place` where it stands in the letter's first part.
    """

    key: str
    kind: Kind
    codes: tuple[str, ...]
    one: str
    many: str
    short: str
    how: str = ""
    check: str = ""
    other_place: Place | None = None

    @property
    def place(self) -> Place:
        """Where it stands in the letter: requests are new exports, unless they say something else."""
        return self.other_place or ("answer" if self.kind == "question" else "again")


TASKS = (
    Task(
        key="send-again",
        kind="request",
        codes=("content.damaged", "content.nonfinite"),
        one=marked("Please send {file} again"),
        many=marked_plural("Please send these {count} files again"),
        short=marked("Send again"),
        how=marked("Export or copy the file again, and check that it plays to the end before sending it."),
        check=marked("How to check: the file opens and plays from start to end on another device."),
    ),
    Task(
        key="as-wav",
        kind="request",
        codes=("content.unreadable-kind",),
        one=marked("Please send {file} as WAV"),
        many=marked_plural("Please send these {count} files as WAV"),
        short=marked("Send as WAV"),
        how=marked("I cannot open files of this kind. A 24 bit WAV over the same range can be used everywhere."),
        check=marked("How to check: the file's name ends in .wav."),
    ),
    Task(
        key="from-start",
        kind="request",
        codes=("start.at-sound", "start.cut-in"),
        one=marked("Please export {file} again from the very start of the song"),
        many=marked_plural("Please export these {count} files again from the very start of the song"),
        short=marked("Export from the song's start"),
        how=marked("Start the export range where the song begins, the same for every track, silence included."),
        check=marked("How to check: all files line up when they are placed at zero in an empty session."),
    ),
    Task(
        key="to-the-end",
        kind="request",
        codes=("length.tail-cut", "length.set-cut", "length.short", "length.tail-room"),
        one=marked("Please let {file} ring out"),
        many=marked_plural("Please let these {count} files ring out"),
        short=marked("Let it ring out"),
        how=marked(
            "Set the end of the export range a few seconds after the last sound has died away,"
            " the same for every track."
        ),
        check=marked("How to check: the end of every file is silent."),
    ),
    Task(
        key="whole-song",
        kind="request",
        codes=("length.set-short-of-mix",),
        one=marked("Please export all files to the end of the song"),
        many=marked_plural("Please export all files to the end of the song"),
        short=marked("Export to the song's end"),
        how=marked("Set the end of the export range after the song's last sound, the same for every track."),
        check=marked("How to check: the files are as long as the rough mix, or longer."),
    ),
    Task(
        key="whole-bars",
        kind="request",
        codes=("length.not-bars", "length.loop-not-bars"),
        one=marked("Please export {file} again to a whole number of bars"),
        many=marked_plural("Please export these {count} files again to a whole number of bars"),
        short=marked("Export whole bars"),
        how=marked("Set the export range from the first beat of one bar to the first beat of another."),
        check=marked("How to check: the length is a whole number of bars at the song's tempo."),
    ),
    Task(
        key="one-rate",
        kind="request",
        codes=("rate.differs", "rate.off-brief"),
        one=marked("Please export {file} again at the song's sample rate"),
        many=marked_plural("Please export these {count} files again at the song's sample rate"),
        short=marked("Export at the song's rate"),
        how=marked(
            "Export from the original project at its own rate; please do not convert a finished file."
            " If the song was made at this file's rate, let me know."
        ),
        check=marked("How to check: the file's properties show the same rate as the other files."),
    ),
    Task(
        key="right-speed",
        kind="request",
        codes=("rate.wrong-speed",),
        one=marked("Please export {file} again; it runs at the wrong speed"),
        many=marked_plural("Please export these {count} files again; they run at the wrong speed"),
        short=marked("Export at the right speed"),
        how=marked("Export from the song itself, at its own sample rate; please do not convert the finished file."),
        check=marked("How to check: at the song's end the file is still in time with the rough mix."),
    ),
    Task(
        key="turn-down",
        kind="request",
        codes=("clipping.baked",),
        one=marked("Please turn {file} down before exporting; it clips"),
        many=marked_plural("Please turn these {count} files down before exporting; they clip"),
        short=marked("Turn down, export again"),
        how=marked(
            "Lower the track until its meter stays well under full scale (peaks around −10 dBFS are ideal),"
            " then export it again. If the clipping is in the recording itself, let me know."
        ),
        check=marked("How to check: the meter on that track never reaches 0 while the whole song plays."),
    ),
    Task(
        key="more-bits",
        kind="request",
        codes=("depth.low", "headroom.quiet"),
        one=marked("Please export {file} again with 24 bits"),
        many=marked_plural("Please export these {count} files again with 24 bits"),
        short=marked("Export with 24 bits"),
        how=marked("Choose 24 bit (or 32 bit float) as the bit depth of the export."),
        check=marked("How to check: the file's properties show 24 bit."),
    ),
    Task(
        key="unbroken",
        kind="request",
        codes=("content.dropout",),
        one=marked("Please export {file} again; it has gaps"),
        many=marked_plural("Please export these {count} files again; they have gaps"),
        short=marked("Export again without gaps"),
        how=marked(
            "Gaps appear when an export or a recording cannot keep up: please export again, offline instead of in"
            " real time if you can choose. If the gaps are in the recording itself, let me know."
        ),
        check=marked("How to check: at the times above the sound continues without a click."),
    ),
    Task(
        key="lossless",
        kind="request",
        codes=("content.lossy", "start.codec-delay"),
        one=marked("Please export {file} again as WAV"),
        many=marked_plural("Please export these {count} files again as WAV"),
        short=marked("Export as WAV"),
        how=marked("Export from the original project as 24 bit WAV; converting the finished file does not help."),
        check=marked("How to check: the file's name ends in .wav, and the file is several times larger."),
    ),
    Task(
        key="from-the-song",
        kind="request",
        codes=("content.lossy-origin",),
        one=marked("Please export {file} again from the original project"),
        many=marked_plural("Please export these {count} files again from the original project"),
        short=marked("Export from the project"),
        how=marked(
            "Export the track from the original project; if you only have the sound as an MP3 or similar, let me know."
        ),
        check=marked("How to check: the new file comes straight out of the project, and no MP3 was on its way."),
    ),
    Task(
        key="own-levels",
        kind="request",
        codes=("headroom.normalised",),
        one=marked("Please export the files again without normalising"),
        many=marked_plural("Please export the files again without normalising"),
        short=marked("Export without normalising"),
        how=marked("Turn off any option that normalises the export, and leave the faders as they are in your mix."),
        check=marked("How to check: quiet parts make quiet files."),
    ),
    Task(
        key="without-limiter",
        kind="request",
        codes=("headroom.shared-ceiling",),
        one=marked("Please export the files again without the limiter on the main output"),
        many=marked_plural("Please export the files again without the limiter on the main output"),
        short=marked("Export without the limiter"),
        how=marked(
            "Turn off everything on the main output (limiter, maximiser, compressor) before exporting the tracks."
        ),
        check=marked("How to check: loud parts no longer all peak at the same value."),
    ),
    Task(
        key="two-channels",
        kind="request",
        codes=("channels.many",),
        one=marked("Please export {file} as mono or stereo files"),
        many=marked_plural("Please export these {count} files as mono or stereo files"),
        short=marked("Export as mono or stereo"),
        how=marked("Export every source as its own file, mono or stereo."),
    ),
    Task(
        key="as-format",
        kind="request",
        codes=("depth.off-brief",),
        one=marked("Please export {file} again in the requested sample format"),
        many=marked_plural("Please export these {count} files again in the requested sample format"),
        short=marked("Export in the requested format"),
        how=marked(
            "Choose 32 bit float if float is requested, 24 bit if fixed point is, as the bit depth of the export."
        ),
        check=marked("How to check: the file's properties show the requested depth."),
    ),
    Task(
        key="parts",
        kind="request",
        codes=("content.part-missing",),
        one=marked("Please send the missing parts"),
        many=marked_plural("Please send the missing parts"),
        short=marked("Send the missing parts"),
        how=marked("Export them over the same range as the others. If the song has no such part, let me know."),
        check=marked("How to check: every part named above has its own file."),
        other_place="send",
    ),
    Task(
        key="rough-mix",
        kind="request",
        codes=("content.no-rough-mix",),
        one=marked("Please send your rough mix too"),
        many=marked_plural("Please send your rough mix too"),
        short=marked("Send the rough mix"),
        how=marked("Your mix as it sounds now, exported over the same range; an MP3 will do."),
        other_place="if-any",
    ),
    Task(
        key="facts",
        kind="request",
        codes=("name.facts-missing",),
        one=marked("Please tell me about the song"),
        many=marked_plural("Please tell me about the song"),
        short=marked("Tell me about the song"),
        how=marked("A line in your answer is enough."),
        other_place="answer",
    ),
    Task(
        key="companions",
        kind="request",
        codes=("content.companion-missing",),
        one=marked("Please send the other items too"),
        many=marked_plural("Please send the other items too"),
        short=marked("Send the other items"),
        other_place="if-any",
    ),
    Task(
        key="scope",
        kind="request",
        codes=("content.scope",),
        one=marked("Please send the tracks as requested"),
        many=marked_plural("Please send the tracks as requested"),
        short=marked("Send the tracks as requested"),
        how=marked("If I asked for every track, please export each one on its own; if for groups, those."),
        other_place="send",
    ),
    Task(
        key="is-group",
        kind="question",
        codes=("content.scope",),
        one=marked("Is {file} a group of several tracks?"),
        many=marked_plural("Are these {count} files groups of several tracks?"),
        short=marked("Groups or tracks?"),
        how=marked("If so, please export every track on its own; if each is a single track, fine."),
    ),
    Task(
        key="is-set-at-sound",
        kind="question",
        codes=("start.set-at-sound", "start.at-sound"),
        one=marked("Does {file} start where the song starts?"),
        many=marked_plural("Do these {count} files start where the song starts?"),
        short=marked("Start of the files?"),
        how=marked(
            "If not, please export all tracks again over the same range, from the song's start to beyond its end."
        ),
    ),
    Task(
        key="is-stamp",
        kind="question",
        codes=("start.stamp-differs",),
        one=marked("Where in the song does {file} belong?"),
        many=marked_plural("Where in the song do these {count} files belong?"),
        short=marked("Where does it belong?"),
        how=marked(
            "Its time stamp and its length contradict each other. A new export from the song's start settles it."
        ),
    ),
    Task(
        key="is-rate",
        kind="question",
        codes=("rate.differs",),
        one=marked("Which sample rate was the song made at?"),
        many=marked_plural("Which sample rate was the song made at?"),
        short=marked("Which sample rate?"),
        how=marked("Please export the others again at that rate."),
    ),
    Task(
        key="is-cut-in",
        kind="question",
        codes=("start.cut-in",),
        one=marked("Is the beginning of {file} cut off?"),
        many=marked_plural("Are the beginnings of these {count} files cut off?"),
        short=marked("Beginning cut off?"),
        how=marked("If so, please export it again from the very start of the song. If it begins that abruptly, fine."),
    ),
    Task(
        key="is-upsampled",
        kind="question",
        codes=("rate.upsampled",),
        one=marked("Was {file} made at a lower sample rate?"),
        many=marked_plural("Were these {count} files made at a lower sample rate?"),
        short=marked("Made at a lower rate?"),
        how=marked(
            "If so, please export from the original project at its own rate. If the sound itself ends there, fine."
        ),
    ),
    Task(
        key="is-clipped",
        kind="question",
        codes=("clipping.earlier", "clipping.baked"),
        one=marked("Is the clipping in {file} intended?"),
        many=marked_plural("Is the clipping in these {count} files intended?"),
        short=marked("Clipping intended?"),
        how=marked(
            "If not, please find where the level is too hot before the fader, turn it down there and export"
            " the track again."
        ),
    ),
    Task(
        key="is-depth",
        kind="question",
        codes=("depth.low", "depth.padded"),
        one=marked("Was the song made in 16 bit?"),
        many=marked_plural("Was the song made in 16 bit?"),
        short=marked("Made in 16 bit?"),
        how=marked("If not, please export all tracks again with 24 bits."),
    ),
    Task(
        key="is-opposed",
        kind="question",
        codes=("channels.opposed",),
        one=marked("Is {file} meant to disappear in mono?"),
        many=marked_plural("Are these {count} files meant to disappear in mono?"),
        short=marked("Meant to disappear in mono?"),
        how=marked(
            "If not, one side is inverted: please look for a polarity or phase switch on that track"
            " and export it again."
        ),
    ),
    Task(
        key="is-one-side",
        kind="question",
        codes=("channels.one-side",),
        one=marked("Should both sides of {file} have sound?"),
        many=marked_plural("Should both sides of these {count} files have sound?"),
        short=marked("Should both sides sound?"),
        how=marked("If so, please check the pan and the cable of the silent side and export the track again."),
    ),
    Task(
        key="is-name",
        kind="question",
        codes=("name.generic",),
        one=marked("What plays in {file}?"),
        many=marked_plural("What plays in these {count} files?"),
        short=marked("What plays here?"),
        how=marked("One word each is enough; I'll rename my copies."),
    ),
    Task(
        key="is-part",
        kind="question",
        codes=("name.no-part",),
        one=marked("Which instrument is {file}?"),
        many=marked_plural("Which instruments are these {count} files?"),
        short=marked("Which instrument?"),
        how=marked("One word each is enough."),
    ),
    Task(
        key="is-fact",
        kind="question",
        codes=("name.facts-differ",),
        one=marked("Which tempo and key are right?"),
        many=marked_plural("Which tempo and key are right?"),
        short=marked("Which tempo and key?"),
    ),
    Task(
        key="is-current",
        kind="question",
        codes=("name.copy-mark",),
        one=marked("Which version of {file} is the current one?"),
        many=marked_plural("Which of these files is the current one?"),
        short=marked("Which is current?"),
    ),
    Task(
        key="is-twin",
        kind="question",
        codes=("content.twin",),
        one=marked("Should {file} be there twice?"),
        many=marked_plural("Should these {count} files contain the same sound?"),
        short=marked("The same sound twice?"),
        how=marked("If one of them should be something else, please export that one again."),
    ),
    Task(
        key="is-held",
        kind="question",
        codes=("content.holds-another",),
        one=marked("Should {file} contain another part as well?"),
        many=marked_plural("Should these {count} files contain other parts as well?"),
        short=marked("Another part inside?"),
        how=marked("If not, please check whether another track is routed to this one, and export it again on its own."),
    ),
    Task(
        key="is-empty",
        kind="question",
        codes=("content.empty",),
        one=marked("Should there be sound in {file}?"),
        many=marked_plural("Should there be sound in these {count} files?"),
        short=marked("Should there be sound?"),
        how=marked("If so, the track was probably muted: please export it again. If not, I'll leave it out."),
    ),
    Task(
        key="is-placed",
        kind="question",
        codes=("start.unplaced",),
        one=marked("Where in the song does {file} begin?"),
        many=marked_plural("Where in the song do these {count} files begin?"),
        short=marked("Where do these begin?"),
        how=marked("The bar, or minutes and seconds, is enough. Or export them again from the very start of the song."),
    ),
    Task(
        key="is-half",
        kind="question",
        codes=("channels.half-pair",),
        one=marked("Is there another side to {file}?"),
        many=marked_plural("Are there other sides to these {count} files?"),
        short=marked("The other side?"),
        how=marked("If so, please send it; if it is a mono sound, I'll use it as it is."),
    ),
    Task(
        key="is-unsent",
        kind="question",
        codes=("content.unaccounted",),
        one=marked("Is there a part that was not sent?"),
        many=marked_plural("Is there a part that was not sent?"),
        short=marked("A part not sent?"),
        how=marked(
            "If so, please send it, from the very start of the song. If it is an effect for me to make, let me know."
        ),
    ),
    Task(
        key="is-mono",
        kind="question",
        codes=("channels.all-mono",),
        one=marked("Were stereo tracks exported as mono?"),
        many=marked_plural("Were stereo tracks exported as mono?"),
        short=marked("Stereo exported as mono?"),
        how=marked("If so, please export those tracks again in stereo."),
    ),
    Task(
        key="is-mix",
        kind="question",
        codes=("content.several-mixes",),
        one=marked("Which rough mix is the current one?"),
        many=marked_plural("Which rough mix is the current one?"),
        short=marked("Which rough mix?"),
    ),
)
"""All tasks; a test holds that every code that can be an `ask` has one."""
