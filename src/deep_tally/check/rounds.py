"""What became of the requests of a first round: met, partly or not; and what newly broke."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace

from deep_tally.model.delivery import Delivery, Track
from deep_tally.model.findings import Action, Finding
from deep_tally.model.rounds import FileState, RequestState, RoundFile, RoundRequest, Rounds, Value

PARTIAL_UNDER = 0.5
"""Of the first round's trackouts: where fewer were sent again, the others are kept."""


def is_partial(first: Delivery, successors: Mapping[str, str]) -> bool:
    """Whether so few files were sent again that the others cannot be meant to be gone."""
    assessed = {t.path for s in first.sets for t in s.assessed}
    return len(assessed & set(successors.values())) < PARTIAL_UNDER * len(assessed)


def compare_rounds(
    first: Delivery, after: Delivery, successors: Mapping[str, str], same: frozenset[str], *, partial: bool
) -> Rounds:
    """The first round's requests against what is there now.

    Parameters
    ----------
    first : Delivery
    after : Delivery
        What is there now: the second round, with what is kept from the first where it is partial.
    successors : mapping of path to path
        For files of the second round that stand for one of the first: that one.
    same : frozenset of str
        Paths of the second round whose content is bit-identical to their predecessor's.
    partial : bool
    """
    return Rounds(
        is_partial=partial,
        requests=tuple(_requests(first, after, successors, partial=partial)),
        files=tuple(_files(first, after, successors, same, partial=partial)),
        new_findings=tuple(_new(first, after, successors, same)),
    )


def _requests(
    first: Delivery, after: Delivery, successors: Mapping[str, str], *, partial: bool
) -> Iterator[RoundRequest]:
    now: dict[str, set[str]] = {}
    for path, was in successors.items():
        now.setdefault(was, set()).add(path)
    asked = [f for f in after.findings if f.action is Action.ASK]
    for finding in first.findings:
        if finding.kind != "request":
            continue
        still = [f for f in asked if f.code == finding.code and _is_same_song(first, after, f, finding)]
        if not finding.files:
            yield RoundRequest(code=finding.code, files=(), state=_without_files(finding, still))
            continue
        left, about = [], []
        for path in finding.files:
            heirs = now.get(path) or ({path} if partial else set())
            again = [f for f in still if heirs & set(f.files)]
            if again or not heirs:
                left.append(path)
                about += [f for f in again if f not in about]
        yield RoundRequest(
            code=finding.code, files=finding.files, state=_with_files(finding, about, left), left=tuple(left)
        )


def _is_same_song(first: Delivery, after: Delivery, one: Finding, other: Finding) -> bool:
    """Songs count one by one where there are several in both rounds."""
    return one.song == other.song or min(len(first.sets), len(after.sets)) < 2 or bool(one.files)


def _without_files(finding: Finding, still: list[Finding]) -> RequestState:
    if not still:
        return "met"
    before, missing = (_missing(found) for found in ([finding], still))
    return "partly" if missing < before else "not-met"


def _missing(findings: list[Finding]) -> frozenset[str]:
    words = (f.evidence.get("missing") for f in findings)
    return frozenset(word for each in words if isinstance(each, tuple) for word in each)


def _with_files(finding: Finding, still: list[Finding], left: list[str]) -> RequestState:
    if not left:
        return "met"
    if len(left) < len(finding.files):
        return "partly"
    places = sum(f.places_total for f in still)
    return "partly" if 0 < places < finding.places_total else "not-met"


def _files(
    first: Delivery, after: Delivery, successors: Mapping[str, str], same: frozenset[str], *, partial: bool
) -> Iterator[RoundFile]:
    before = {t.path: t for t in first.tracks}
    now = {t.path: t for t in after.tracks}
    replaced = set(successors.values())
    for path, track in now.items():
        was = successors.get(path)
        if was is not None:
            state: FileState = "replaced" if path not in same else "same" if _name(path) == _name(was) else "renamed"
            changes = _changes(before[was], track) if state == "replaced" and was in before else {}
            yield RoundFile(path=path, was=was, state=state, changes=changes)
        elif partial and path in before:
            yield RoundFile(path=path, was=path, state="kept")
        else:
            yield RoundFile(path=path, was=None, state="new")
    for path in before:
        if path not in replaced and not (partial and path in now):
            yield RoundFile(path=path, was=path, state="gone")


def _name(path: str) -> str:
    return path.rpartition("/")[2].casefold()


def _changes(before: Track, after: Track) -> dict[str, tuple[Value, Value]]:
    """What is another than it was, of what the nine questions look at."""
    pairs = zip(_facts(before).items(), _facts(after).values(), strict=True)
    return {what: (old, new) for (what, old), new in pairs if old != new}


def _facts(track: Track) -> dict[str, Value]:
    sound, measures = track.format, track.measures
    starts = measures.extent.first_sound_frame if measures is not None else None
    return {
        "seconds": round(sound.seconds, 6) if sound is not None else None,
        "rate_hz": sound.rate_hz if sound is not None else None,
        "bits": sound.bits if sound is not None else None,
        "channels": sound.channels if sound is not None else None,
        "first_sound_s": round(starts / sound.rate_hz, 6) if starts is not None and sound is not None else None,
        "sample_peak_dbfs": _level(measures.sample_peak_dbfs) if measures is not None else None,
        "rms_dbfs": _level(measures.rms_dbfs) if measures is not None else None,
    }


def _level(dbfs: float) -> float | None:
    return round(dbfs, 2) if dbfs > float("-inf") else None


def _new(first: Delivery, after: Delivery, successors: Mapping[str, str], same: frozenset[str]) -> Iterator[Finding]:
    """Findings that were not there before, each without the files that had it already.

    What is fixed here in a file that is what it was is nothing the second round brought.
    """
    changed = {t.path for t in after.tracks} - same - ({t.path for t in first.tracks} - set(successors))
    known = {(f.code, path) for f in first.findings for path in f.files or ("",) if f.action is not Action.NOTE}
    for finding in after.findings:
        if finding.action is Action.NOTE or (finding.action is Action.FIX and not changed & set(finding.files)):
            continue
        files = tuple(p for p in finding.files if (finding.code, successors.get(p, p)) not in known)
        if files and len(files) == len(finding.files):
            yield finding
        elif files:
            by_file = {path: said for path, said in finding.by_file.items() if path in files}
            places = tuple(place for place in finding.places if place.path in files)
            yield replace(finding, files=files, by_file=by_file, places=places, places_total=len(places))
        elif not finding.files and (finding.code, "") not in known:
            yield finding
