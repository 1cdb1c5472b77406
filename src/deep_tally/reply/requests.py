"""What the client is asked to do: `ask` findings grouped by the one thing that answers them.

In the order in which they block the mix. The instructions fit every program: they name what to set, never
where a program keeps it.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from deep_tally.model.findings import Action, Finding, Kind


@dataclass(frozen=True, slots=True, kw_only=True)
class Task:
    """One thing to do or to answer.

    `one` and `many` are the headings for one file ("{file}") and several ("{count}"); `how` says how to do it
    and `check` how to see that it worked.
    """

    key: str
    kind: Kind
    codes: tuple[str, ...]
    one: str
    many: str
    short: str
    how: str = ""
    check: str = ""


TASKS = (
    Task(
        key="send-again",
        kind="request",
        codes=("content.damaged", "content.nonfinite"),
        one="Please send {file} again",
        many="Please send these {count} files again",
        short="Send again",
        how="Export or copy the file anew and look whether it plays to its end before sending it.",
        check="To see that it worked: the file opens and plays from start to end on another device.",
    ),
    Task(
        key="from-start",
        kind="request",
        codes=("start.at-sound", "start.cut-in"),
        one="Please export {file} again from the very start of the song",
        many="Please export these {count} files again from the very start of the song",
        short="Export from the song's start",
        how="Set the export range to begin where the song begins, the same for every track, silence included.",
        check="To see that it worked: all files start together when they are laid side by side at zero.",
    ),
    Task(
        key="to-the-end",
        kind="request",
        codes=("length.tail-cut", "length.set-cut", "length.short", "length.tail-room"),
        one="Please let {file} ring out",
        many="Please let these {count} files ring out",
        short="Let it ring out",
        how="Set the end of the export range a few seconds after the last sound has died away,"
        " the same for every track.",
        check="To see that it worked: the end of every file is silent.",
    ),
    Task(
        key="whole-bars",
        kind="request",
        codes=("length.not-bars", "length.loop-not-bars"),
        one="Please export {file} again to a whole number of bars",
        many="Please export these {count} files again to a whole number of bars",
        short="Export whole bars",
        how="Set the export range from the first beat of a bar to the first beat of another.",
        check="To see that it worked: the length divides by the length of a bar at the song's tempo.",
    ),
    Task(
        key="one-rate",
        kind="request",
        codes=("rate.differs", "rate.off-brief"),
        one="Please export {file} again at the song's sample rate",
        many="Please export these {count} files again at the song's sample rate",
        short="Export at the song's rate",
        how="Export from the song itself at its own rate, and please do not convert a finished file."
        " If the song was made at this file's rate, tell me.",
        check="To see that it worked: the file's properties show the same rate as the other files.",
    ),
    Task(
        key="turn-down",
        kind="request",
        codes=("clipping.baked",),
        one="Please turn {file} down before exporting; it clips",
        many="Please turn these {count} files down before exporting; they clip",
        short="Turn down, export again",
        how="Lower the track until its meter stays well under full scale (peaks around −10 dBFS are ideal),"
        " then export it again. If the clipping is in the recording itself, tell me.",
        check="To see that it worked: no meter on that track reaches 0 while the whole song plays.",
    ),
    Task(
        key="more-bits",
        kind="request",
        codes=("depth.low", "headroom.quiet"),
        one="Please export {file} again with 24 bits",
        many="Please export these {count} files again with 24 bits",
        short="Export with 24 bits",
        how="Choose 24 bit (or 32 bit float) as the depth of the export.",
        check="To see that it worked: the file's properties show 24 bit.",
    ),
    Task(
        key="unbroken",
        kind="request",
        codes=("content.dropout",),
        one="Please export {file} again; it has gaps",
        many="Please export these {count} files again; they have gaps",
        short="Export again without gaps",
        how="Gaps come from an export or a recording that could not keep up: please export again, slower than real time"
        " if there is a choice. If the gaps are in the recording itself, tell me.",
        check="To see that it worked: at the times above the sound goes on without a click.",
    ),
    Task(
        key="lossless",
        kind="request",
        codes=("content.lossy", "start.codec-delay"),
        one="Please export {file} again as WAV",
        many="Please export these {count} files again as WAV",
        short="Export as WAV",
        how="Export from the song itself as WAV with 24 bits; converting the finished file does not help.",
        check="To see that it worked: the file's name ends in .wav, and it is several times larger.",
    ),
    Task(
        key="from-the-song",
        kind="request",
        codes=("content.lossy-origin",),
        one="Please export {file} again from the song itself",
        many="Please export these {count} files again from the song itself",
        short="Export from the song itself",
        how="Export the track from the song; if the sound came to you as an MP3 or the like and nothing better exists,"
        " tell me.",
        check="To see that it worked: the new export sounds a little brighter than this one.",
    ),
    Task(
        key="own-levels",
        kind="request",
        codes=("headroom.normalised",),
        one="Please export the files again without normalising",
        many="Please export the files again without normalising",
        short="Export without normalising",
        how="Switch off any option of the export that normalises, and leave the faders as they are in your mix.",
        check="To see that it worked: quiet parts give quiet files.",
    ),
    Task(
        key="without-limiter",
        kind="request",
        codes=("headroom.shared-ceiling",),
        one="Please export the files again without the limiter on the main output",
        many="Please export the files again without the limiter on the main output",
        short="Export without the limiter",
        how="Switch off what sits on the main output (limiter, maximiser, compressor) before exporting the tracks.",
        check="To see that it worked: loud parts no longer all peak at one value.",
    ),
    Task(
        key="two-channels",
        kind="request",
        codes=("channels.many",),
        one="Please export {file} as mono or stereo files",
        many="Please export these {count} files as mono or stereo files",
        short="Export as mono or stereo",
        how="Export every source as a file of its own, with one channel or two.",
    ),
    Task(
        key="as-format",
        kind="request",
        codes=("depth.off-brief",),
        one="Please export {file} again in the asked sample format",
        many="Please export these {count} files again in the asked sample format",
        short="Export in the asked format",
        how="Choose 32 bit float where float is asked, 24 bit where whole numbers are, as the depth of the export.",
        check="To see that it worked: the file's properties show the asked depth.",
    ),
    Task(
        key="parts",
        kind="request",
        codes=("content.part-missing",),
        one="Please send the parts that are missing",
        many="Please send the parts that are missing",
        short="Send the missing parts",
        how="Export them over the same range as the others. If there is no such part in the song, tell me.",
        check="To see that it worked: every part named above has a file of its own.",
    ),
    Task(
        key="rough-mix",
        kind="request",
        codes=("content.no-rough-mix",),
        one="Please send your rough mix too",
        many="Please send your rough mix too",
        short="Send the rough mix",
        how="The mix as you listen to it now, exported over the same range; an MP3 will do.",
    ),
    Task(
        key="facts",
        kind="request",
        codes=("name.facts-missing",),
        one="Please tell me about the song",
        many="Please tell me about the song",
        short="Tell about the song",
        how="A line in your answer is enough.",
    ),
    Task(
        key="companions",
        kind="request",
        codes=("content.companion-missing",),
        one="Please send what was asked to come along",
        many="Please send what was asked to come along",
        short="Send what comes along",
    ),
    Task(
        key="scope",
        kind="request",
        codes=("content.scope",),
        one="Please send the tracks as asked",
        many="Please send the tracks as asked",
        short="Send the tracks as asked",
        how="Where every track was asked, please export each by itself; where groups were asked, please export those.",
    ),
    Task(
        key="is-set-at-sound",
        kind="question",
        codes=("start.set-at-sound", "start.at-sound"),
        one="Does {file} start where the song starts?",
        many="Do these {count} files start where the song starts?",
        short="Start of the files?",
        how="If not, please export all tracks again over one range, from the song's start to after its last sound.",
    ),
    Task(
        key="is-stamp",
        kind="question",
        codes=("start.stamp-differs",),
        one="Where in the song does {file} belong?",
        many="Where in the song do these {count} files belong?",
        short="Where it belongs?",
        how="Its time stamp and its length contradict each other. An export from the song's start settles it.",
    ),
    Task(
        key="is-rate",
        kind="question",
        codes=("rate.differs",),
        one="Which sample rate is the song's own?",
        many="Which sample rate is the song's own?",
        short="Which sample rate?",
        how="Please export the others again at that rate.",
    ),
    Task(
        key="is-upsampled",
        kind="question",
        codes=("rate.upsampled",),
        one="Was {file} made at a lower sample rate?",
        many="Were these {count} files made at a lower sample rate?",
        short="Made at a lower rate?",
        how="If so, please export from the song at its own rate. If the sound itself ends there, that is fine.",
    ),
    Task(
        key="is-clipped",
        kind="question",
        codes=("clipping.earlier",),
        one="Is {file} clipped, or is that its sound?",
        many="Are these {count} files clipped, or is that their sound?",
        short="Clipped, or the sound?",
        how="If it was not meant, please look for a level that is too hot before the fader, lower it there and export"
        " the track again.",
    ),
    Task(
        key="is-depth",
        kind="question",
        codes=("depth.low", "depth.padded"),
        one="Was the song made with 16 bits?",
        many="Was the song made with 16 bits?",
        short="Made with 16 bits?",
        how="If not, please export all tracks again with 24 bits.",
    ),
    Task(
        key="is-opposed",
        kind="question",
        codes=("channels.opposed",),
        one="Is {file} meant to vanish in mono?",
        many="Are these {count} files meant to vanish in mono?",
        short="Meant to vanish in mono?",
        how="If not, one of its sides is inverted: please look for a polarity or phase switch on that track"
        " and export it again.",
    ),
    Task(
        key="is-one-side",
        kind="question",
        codes=("channels.one-side",),
        one="Should both sides of {file} sound?",
        many="Should both sides of these {count} files sound?",
        short="Should both sides sound?",
        how="If so, please look for a pan or a cable of the silent side and export the track again.",
    ),
    Task(
        key="is-name",
        kind="question",
        codes=("name.generic",),
        one="What plays in {file}?",
        many="What plays in these {count} files?",
        short="What plays here?",
        how="A word each is enough; I rename my copies.",
    ),
    Task(
        key="is-fact",
        kind="question",
        codes=("name.facts-differ",),
        one="Which tempo and key are the song's own?",
        many="Which tempo and key are the song's own?",
        short="Which tempo and key?",
    ),
    Task(
        key="is-current",
        kind="question",
        codes=("name.copy-mark",),
        one="Which version of {file} is the current one?",
        many="Which of these files is the current one?",
        short="Which is current?",
    ),
    Task(
        key="is-twin",
        kind="question",
        codes=("content.twin",),
        one="Should {file} be there twice?",
        many="Should the same sound be in these {count} files?",
        short="The same sound twice?",
        how="If one of them should hold something else, please export that one again.",
    ),
    Task(
        key="is-held",
        kind="question",
        codes=("content.holds-another",),
        one="Should {file} hold another part as well?",
        many="Should these {count} files hold other parts as well?",
        short="Another part inside?",
        how="If not, please look for a track that is sent to this one, and export it again by itself.",
    ),
    Task(
        key="is-empty",
        kind="question",
        codes=("content.empty",),
        one="Should there be sound in {file}?",
        many="Should there be sound in these {count} files?",
        short="Should there be sound?",
        how="If so, the track was probably muted: please export it again. If not, I leave it out.",
    ),
    Task(
        key="is-mix",
        kind="question",
        codes=("content.several-mixes",),
        one="Which rough mix is the current one?",
        many="Which rough mix is the current one?",
        short="Which rough mix?",
    ),
)
"""All tasks; a test holds that every code that can be an `ask` has one."""


@dataclass(frozen=True, slots=True)
class Request:
    """A task with the findings it answers."""

    task: Task
    findings: tuple[Finding, ...]

    @property
    def files(self) -> tuple[str, ...]:
        """The files of all its findings, each once."""
        return tuple(dict.fromkeys(path for f in self.findings for path in f.files))

    @property
    def heading(self) -> str:
        """What is asked, in one line."""
        if len(self.files) == 1:
            return self.task.one.format(file=self.files[0].rpartition("/")[2])
        return self.task.many.format(count=len(self.files))


def group_requests(findings: Iterable[Finding]) -> tuple[Request, ...]:
    """The `ask` findings, grouped: requests first, then questions."""
    asked = [f for f in findings if f.action is Action.ASK]
    groups = []
    for task in TASKS:
        answered = tuple(f for f in asked if f.kind == task.kind and f.code in task.codes)
        if answered:
            groups.append(Request(task, answered))
    return tuple(groups)
