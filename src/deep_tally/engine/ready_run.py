"""One ready copy being written: the sources are measured once more, copies are written and proved, and checked in turn.

Whoever owns a run polls it, as with `CheckRun`. Cancelling leaves what is whole, and says in the folder that it is not
all: a run of the same plan goes on where this one stopped.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Literal

from deep_tally.engine.check_run import Assessed, CheckRun, Refused
from deep_tally.measure.job import measure_entry
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import Delivery, Track
from deep_tally.model.errors import CannotWrite, DeepTallyError, NotCheckedHere
from deep_tally.model.files import ClientFiles, Entry
from deep_tally.model.findings import Action, Finding
from deep_tally.model.measures import Measures
from deep_tally.model.phrase import Phrase
from deep_tally.model.ready import ReadyPlan
from deep_tally.ready.hand_over import HandOver, write_hand_over
from deep_tally.ready.manifest import to_csv, to_json
from deep_tally.ready.target import begin, end, require_target
from deep_tally.ready.write import CopyJob, Proved, SourceChanged, write_copy
from deep_tally.work.atomic import write_atomically
from deep_tally.work.crew import Crew, Failed, Progress, Report, Returned

Stage = Literal["comparing", "writing", "checking", "handing-over", "done"]

MANIFEST, TABLE = "manifest.json", "manifest.csv"
_JOBS = "deep_tally.ready.write"
_POLL_S = 0.1
_SAME_DB, _SAME_MEAN = 1e-7, 1e-15
"""What another processor may make of the same samples: a changed one shows in the mean of millions."""


@dataclass(frozen=True, slots=True)
class Going:
    """Bytes written and proved, of all."""

    stage: Stage
    done: int
    total: int


@dataclass(frozen=True, slots=True)
class CopyWritten:
    """One more copy is whole and proved."""

    proved: Proved


@dataclass(frozen=True, slots=True)
class Stopped:
    """It cannot go on; what is whole stays."""

    error: DeepTallyError


@dataclass(frozen=True, slots=True)
class Finished:
    """All is written and proved: `left` are the findings that could still be fixed, by the same checks."""

    manifest: Path
    left: tuple[Finding, ...]
    delivery: Delivery


ReadyEvent = Going | CopyWritten | Stopped | Finished


class ReadyRun:
    """Writes a plan.

    Parameters
    ----------
    plan : ReadyPlan
        Without conflicts.
    folder : Path
        Empty, new, or with what an interrupted run of this plan has left.
    entries : mapping of path to Entry
        Where the delivery's files are.
    delivery : Delivery
        What they were when the plan was made, and what was found of them.
    contents : mapping of path to str
        Fingerprints of the same.
    client : ClientFiles
        What nothing is written over, or into.
    brief : Brief
        What the copies are checked by.
    hand_overs : sequence of HandOver
        What lies beside the copies.
    is_just_measured : bool
        Whether the files were measured a moment ago, and need not be measured again.

    Raises
    ------
    CannotWrite
        The folder cannot be used for it.
    """

    def __init__(
        self,
        plan: ReadyPlan,
        folder: Path,
        *,
        entries: Mapping[str, Entry],
        delivery: Delivery,
        contents: Mapping[str, str],
        client: ClientFiles,
        brief: Brief,
        hand_overs: Sequence[HandOver] = (),
        is_just_measured: bool = False,
    ) -> None:
        require_target(folder, plan, client)
        self.plan, self.folder = plan, folder
        self._entries, self._contents, self._brief = entries, contents, brief
        self._tracks = {track.path: track for track in delivery.tracks}
        self._settled = frozenset(_settled(delivery))
        self._sources = tuple(dict.fromkeys(path for copy in plan.copies for path in copy.sources))
        self._crew = Crew(preload=_JOBS, forks=True)
        self._proved: dict[str, Proved] = {}
        self._unchanged: set[str] = set()
        self._at_work: dict[str, int] = {}
        self._check: CheckRun | None = None
        self._checked: Delivery | None = None
        self._hand_overs = tuple(hand_overs)
        self._handed_over = 0
        self._made = datetime.now().astimezone()
        self.stage: Stage = "comparing"
        if is_just_measured:
            self._unchanged = set(self._sources)
        for path in self._sources if not is_just_measured else ():
            self._crew.submit(path, measure_entry, entries[path])

    def __iter__(self) -> Iterator[ReadyEvent]:
        """All events until it is finished or stopped."""
        while self.stage != "done":
            yield from self.poll(_POLL_S)

    def __enter__(self) -> ReadyRun:
        return self

    def __exit__(self, *args: object) -> None:
        self.close()

    def poll(self, timeout_s: float = 0.0) -> list[ReadyEvent]:
        """What happened since the last call, waiting for at most `timeout_s`."""
        try:
            if self.stage == "checking":
                return self._poll_check(timeout_s)
            if self.stage == "comparing" and len(self._unchanged) == len(self._sources):
                self._begin()
            if self.stage == "handing-over" and self._handed_over == len(self._hand_overs):
                return [self._finish()]
            events = [event for report in self._crew.poll(timeout_s) for event in self._take(report)]
            if self.stage == "writing" and len(self._proved) == len(self.plan.copies):
                self._begin_check()
        except DeepTallyError as error:
            return self._stop(error)
        return events

    def _take(self, report: Report) -> list[ReadyEvent]:
        if self.stage == "done":
            return []
        if isinstance(report, Failed):
            return self._stop(NotCheckedHere(report.job, report.problem, report.remedy))
        if isinstance(report, Progress):
            self._at_work[report.job] = report.done
            return [self._going()]
        assert isinstance(report, Returned)
        self._at_work.pop(report.job, None)
        if self.stage == "comparing":
            unchecked = report.value.unchecked
            if unchecked is not None:  # this machine's trouble says nothing of the file
                return self._stop(NotCheckedHere(report.job, unchecked.problem, unchecked.remedy))
            if not holds_the_same(self._tracks[report.job], report.value):
                changed = SourceChanged(report.job, Phrase("ready.changed"), Phrase("ready.check-again"))
                return self._stop(changed)
            self._unchanged.add(report.job)
            return [self._going()]
        if isinstance(report.value, DeepTallyError):
            return self._stop(report.value)
        if self.stage == "handing-over":
            self._handed_over += 1
            return [self._going()]
        self._proved[report.value.name] = report.value
        return [CopyWritten(report.value), self._going()]

    def _going(self) -> Going:
        """Frames are what is counted: twice, for what is written is read back."""
        if self.stage == "comparing":
            return Going(self.stage, len(self._unchanged), len(self._sources))
        if self.stage == "handing-over":
            return Going(self.stage, self._handed_over, len(self._hand_overs))
        whole = {copy.name: 2 * copy.frames for copy in self.plan.copies}
        done = sum(whole[name] for name in self._proved) + sum(self._at_work.values())
        return Going(self.stage, done, sum(whole.values()))

    def _begin(self) -> None:
        """All sources are what they were: now the folder is made, and the copies are written."""
        self.stage = "writing"
        self._at_work = {}
        begin(self.folder, self.plan)
        for copy in sorted(self.plan.copies, key=lambda copy: -copy.frames * copy.channels):
            job = CopyJob(
                copy=copy,
                sources={path: self._entries[path].source for path in copy.sources},
                contents={path: self._contents[path] for path in copy.sources if path in self._contents},
                folder=self.folder,
                made=self._made,
            )
            self._crew.submit(copy.name, write_copy, job)

    def _begin_check(self) -> None:
        """The copies are a delivery of their own: the same checks say what is left to fix."""
        self.stage = "checking"
        self._check = CheckRun([self.folder], self._brief, is_cached=False, is_fresh=True)
        self._check.match_job = None

    def _poll_check(self, timeout_s: float) -> list[ReadyEvent]:
        check = self._check
        assert check is not None
        events = check.poll(timeout_s)
        refused = next((event for event in events if isinstance(event, Refused)), None)
        if refused is not None:
            return self._stop(refused.error)
        assessed = next((event for event in events if isinstance(event, Assessed)), None)
        if assessed is None:
            done = sum(track.is_done for track in check.tracks)
            return [Going("checking", done, max(1, len(check.tracks)))]
        self._checked = assessed.delivery
        self.stage = "handing-over"
        for hand_over in self._hand_overs:
            self._crew.submit(hand_over.folder, write_hand_over, hand_over, self.folder, self._made)
        return [self._going()]

    def _finish(self) -> Finished:
        delivery = self._checked
        assert delivery is not None
        digests = {name: (p.sha256_copy, p.sha256_sources) for name, p in self._proved.items()}
        write_atomically(to_csv(self.plan, digests), self.folder / TABLE)
        manifest = self.folder / MANIFEST
        write_atomically(to_json(self.plan, digests), manifest)
        try:
            end(self.folder)
        except OSError as error:
            problem = Phrase("write.no-removal", why=error.strerror)
            raise CannotWrite(str(self.folder), problem, Phrase("do.look-at-folder")) from error
        self.stage = "done"
        return Finished(manifest, tuple(self._left(delivery)), delivery)

    def _left(self, delivery: Delivery) -> Iterator[Finding]:
        """What could still be fixed, but for what the client answered or the user decided: no copy says that."""
        sources = {copy.name: copy.sources for copy in self.plan.copies}
        for finding in delivery.findings:
            about = {(finding.code, source) for path in finding.files for source in sources.get(path, ())}
            if finding.action is Action.FIX and not (about and about <= self._settled):
                yield finding

    def _stop(self, error: DeepTallyError) -> list[ReadyEvent]:
        self.cancel()
        return [Stopped(error)]

    def cancel(self) -> None:
        """Stop; what is whole stays."""
        self.stage = "done"
        self._crew.cancel()
        if self._check is not None:
            self._check.cancel()

    @property
    def worst_error_dbfs(self) -> float:
        """The greatest RMS error of any copy; -inf where all are exact."""
        return max((p.error_dbfs for p in self._proved.values()), default=float("-inf"))

    def close(self) -> None:
        """End the workers."""
        self._crew.close()
        if self._check is not None:
            self._check.close()


def _settled(delivery: Delivery) -> Iterator[tuple[str, str]]:
    findings = [f for f in delivery.findings if f.action is not Action.FIX]
    for finding in (*findings, *(decided.finding for decided in delivery.decided)):
        yield from ((finding.code, path) for path in finding.files)


def holds_the_same(was: Track, now: Track) -> bool:
    """Whether a file holds the same samples: size and time alone are no proof."""
    if was.format is None or now.format is None or was.measures is None or now.measures is None:
        return False
    same_format = (was.format.rate_hz, was.format.channels, was.format.bits, was.format.sample_format) == (
        now.format.rate_hz,
        now.format.channels,
        now.format.bits,
        now.format.sample_format,
    )
    return same_format and _alike(was.measures, now.measures)


def _alike(was: Measures, now: Measures) -> bool:
    levels = (
        *zip(was.sample_peak_by_channel_dbfs, now.sample_peak_by_channel_dbfs, strict=False),
        *zip(was.rms_by_channel_dbfs, now.rms_by_channel_dbfs, strict=False),
    )
    means = zip(was.dc_offset, now.dc_offset, strict=False)
    return (
        was.frames == now.frames
        and was.extent == now.extent
        and all(a == b or abs(a - b) < _SAME_DB for a, b in levels)
        and all(abs(a - b) < _SAME_MEAN for a, b in means)
    )
