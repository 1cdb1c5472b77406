"""Which sources become one copy, and which of their sides go into it: folded, kept, joined, split, or as they are."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace

from deep_tally.model.delivery import SongSet
from deep_tally.model.findings import Action, Finding
from deep_tally.model.ready import Figure, ReadyChoices, Step, StepName, Submix

Sides = tuple[int | None, ...]
_SILENT_DB = -math.inf


@dataclass(frozen=True, slots=True, kw_only=True)
class Draft:
    """One copy before it has a place, a level and a name.

    Attributes
    ----------
    sources : tuple of str
        The first one names it.
    sides : tuple of Sides
        For each source: which of its sides play on the sides of the copy.
    steps : tuple of Step
        What was done to come so far.
    left_db, right_db : float or None
        See `Copy`.
    side : str
        "left" or "right" for half of a split file.
    name : str
        A submix's own name, without ending.
    is_bare : bool
        Whether its name must not say which side, or which of several, its first source is.
    """

    sources: tuple[str, ...]
    sides: tuple[Sides, ...]
    steps: tuple[Step, ...] = ()
    left_db: float | None = None
    right_db: float | None = None
    side: str = ""
    name: str = ""
    is_bare: bool = False

    @property
    def channels(self) -> int:
        """Sides of the copy."""
        return len(self.sides[0])


@dataclass(slots=True)
class _Drafting:
    """The drafts of one song, as they are made."""

    song: SongSet
    choices: ReadyChoices
    left: dict[str, int]
    """Files that no draft is made of yet, with their channels."""
    made: list[Draft] = field(default_factory=list)

    def take(self, *paths: str) -> bool:
        """Whether all these files are still there to be made something of; they are not, then."""
        if not all(path in self.left for path in paths):
            return False
        for path in paths:
            del self.left[path]
        return True


def drafts_of(
    song: SongSet, paths: Sequence[str], findings: Sequence[Finding], choices: ReadyChoices
) -> tuple[Draft, ...]:
    """The copies that are made of files of a song, in the order of the files.

    Parameters
    ----------
    song : SongSet
    paths : sequence of str
        What is copied.
    findings : sequence of Finding
        Of this song.
    choices : ReadyChoices
    """
    channels = {t.path: t.format.channels for t in song.tracks if t.format is not None}
    drafting = _Drafting(song, choices, {path: channels[path] for path in paths})
    fixes = [f for f in findings if f.action is Action.FIX]
    for finding in fixes:
        if finding.code in ("channels.split-pair", "channels.pair-same"):
            _of_pair(drafting, finding)
    for finding in findings:
        if finding.code == "content.clips":
            _of_clips(drafting, finding)
    for finding in fixes:
        if finding.code in ("channels.same", "channels.panned-mono", "channels.one-side", "channels.to-split"):
            for path in finding.files:
                _of_sides(drafting, finding, path)
    for path, count in list(drafting.left.items()):
        drafting.made.append(Draft(sources=(path,), sides=(tuple(range(count)),)))
    order = {path: place for place, path in enumerate(paths)}
    ordered = sorted(drafting.made, key=lambda draft: (order[draft.sources[0]], draft.side))
    return tuple(_with_submixes(ordered, choices))


def _of_pair(drafting: _Drafting, finding: Finding) -> None:
    left, right = finding.files
    step: StepName = "join" if finding.code == "channels.split-pair" else "fold"
    if not drafting.choices.takes(step, left, right) or not _mono(drafting, left, right):
        return
    if drafting.take(left, right):
        if step == "join":
            sides: tuple[Sides, ...] = ((0, None), (None, 0))
            drafting.made.append(Draft(sources=(left, right), sides=sides, steps=(Step("join"),), is_bare=True))
        else:
            drafting.made.append(_folded((left, right), "left", 0.0, 0.0))


def _mono(drafting: _Drafting, *paths: str) -> bool:
    return all(drafting.left.get(path) == 1 for path in paths)


def _folded(sources: tuple[str, ...], kept: str, left_db: float, right_db: float) -> Draft:
    """One mono copy; how loud it was on either side stays with it, and where to pan it to have that again."""
    left, right = (10 ** (db / 20) for db in (left_db, right_db))
    pan, gain_db = pan_of(left, right)
    figures: dict[str, Figure] = {
        "kept": kept,
        "left_db": left_db,
        "right_db": right_db,
        "pan": pan,
        "pan_gain_db": gain_db,
    }
    side = 1 if kept == "right" and len(sources) == 1 else 0
    return Draft(
        sources=sources,
        sides=((side,), *((None,) for _ in sources[1:])),
        steps=(Step("fold", figures),),
        left_db=left_db,
        right_db=right_db,
        is_bare=len(sources) > 1,
    )


def pan_of(left: float, right: float) -> tuple[float, float]:
    """Where to pan a mono file, and by how much to turn it up, for these factors on its sides.

    By the constant-power law, which has both sides at -3 dB in the middle (common practice): the sides get the cosine
    and the sine of an angle from 0 to 90 degrees. Returns the pan from -1 (left) to 1, and dB.
    """
    power = left * left + right * right
    if power <= 0:
        return 0.0, -math.inf
    return math.atan2(right, left) / (math.pi / 4) - 1.0, 10 * math.log10(power)


def _of_clips(drafting: _Drafting, finding: Finding) -> None:
    """Clips that all have their places become one part; of sides of their own, they stay as they are."""
    clips = sorted(finding.files, key=lambda path: drafting.song.placed_frames(drafting.song.by_path[path]))
    counts = {drafting.left.get(path) for path in clips}
    rates = {t.format.rate_hz for p in clips if (t := drafting.song.by_path[p]).format is not None}
    if len(counts) > 1 or None in counts or len(rates) > 1 or not drafting.choices.takes("join-clips", *clips):
        return
    sides = tuple(range(drafting.left[clips[0]]))
    if drafting.take(*clips):
        steps = (Step("join-clips", {"clips": float(len(clips))}),)
        drafting.made.append(Draft(sources=tuple(clips), sides=tuple(sides for _ in clips), steps=steps, is_bare=True))


def _of_sides(drafting: _Drafting, finding: Finding, path: str) -> None:
    step: StepName = {"channels.one-side": "keep-side", "channels.to-split": "split"}.get(finding.code, "fold")  # type: ignore[assignment]
    if not drafting.choices.takes(step, path) or drafting.left.get(path) != 2:
        return
    drafting.take(path)
    evidence = finding.evidence_of(path)
    if step == "split":
        for side, name in enumerate(("left", "right")):
            sides: tuple[Sides, ...] = ((side,),)
            steps = (Step("split", {"side": name}),)
            drafting.made.append(Draft(sources=(path,), sides=sides, steps=steps, side=name))
    elif step == "keep-side":
        kept = str(evidence["side"])
        is_left = kept == "left"
        folded = _folded((path,), kept, 0.0 if is_left else _SILENT_DB, _SILENT_DB if is_left else 0.0)
        drafting.made.append(replace(folded, steps=(Step("keep-side", {"kept": kept}),)))
    else:
        gain = evidence.get("gain_db")  # of the right side over the left one
        gain_db = float(gain) if isinstance(gain, (int, float)) else 0.0
        if gain_db > 0:
            drafting.made.append(_folded((path,), "right", -gain_db, 0.0))
        else:
            drafting.made.append(_folded((path,), "left", 0.0, gain_db))


def _with_submixes(drafts: Sequence[Draft], choices: ReadyChoices) -> Iterator[Draft]:
    """The drafts, and those of several in one, in the place of the first of them."""
    submixes = choices.submixes if "submix" not in choices.off else ()
    gone: set[int] = set()
    begins: dict[int, list[Draft]] = {}
    for submix in submixes:
        members = set(submix.members)
        inside = [n for n, draft in enumerate(drafts) if set(draft.sources) <= members and draft.channels <= 2]
        if len(inside) > 1:
            begins.setdefault(inside[0], []).append(_submixed([drafts[n] for n in inside], submix))
            gone |= set() if submix.keeps_members else set(inside)
    for number, draft in enumerate(drafts):
        yield from begins.get(number, ())
        if number not in gone:
            yield draft


def _submixed(drafts: Sequence[Draft], submix: Submix) -> Draft:
    """Stereo: what is mono plays in the middle, or as loud on either side as it was."""
    sources = tuple(path for draft in drafts for path in draft.sources)
    sides = tuple(_in_stereo(draft, row) for draft in drafts for row in draft.sides)
    return Draft(sources=sources, sides=sides, steps=(Step("submix"),), name=submix.name)


def _in_stereo(draft: Draft, row: Sides) -> Sides:
    if len(row) > 1:
        return row
    if draft.left_db is not None and len(draft.sources) == 1:
        return 0, 1  # a folded file plays as it was sent
    if draft.side:
        return (row[0], None) if draft.side == "left" else (None, row[0])
    return row[0], row[0]
