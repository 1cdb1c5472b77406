"""What a worker does once a song's files are compared: look for them in its rough mix."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from contextlib import ExitStack
from dataclasses import replace
from functools import partial

from deep_tally.model.comparison import Comparison, SumPeak
from deep_tally.model.delivery import Track
from deep_tally.model.files import Entry, Role
from deep_tally.model.mix_match import MixMatch
from deep_tally.work.isolated import OnProgress

MatchJob = Callable[[OnProgress, Entry, Sequence[Entry], Sequence[Track], Comparison], MixMatch]


_FIRST = 1 << 40  # a frame that no start makes negative
_CONVERTED_MOST = 8

"""Files of another rate, or coded ones, that are decoded into temporary files of up to 100 MB for four minutes."""


def looked_for(tracks: Sequence[Track], comparison: Comparison) -> tuple[list[Track], list[str]]:
    """The files that are looked for in a mix, and the paths of those that are not.

    Of what sounds twice in a delivery, as copies and exact sums do, one file speaks for both. Of files that have to be
    converted first only a few are looked for.
    """
    heard = [t for t in tracks if t.role.is_assessed and t.role is not Role.MIX and t.is_heard and t.format is not None]
    paths = {t.path for t in heard}
    twice = {t.path for t in comparison.twins if t.other in paths} | {m.path for m in comparison.mixes}
    twice |= {s.path for s in comparison.sums if s.is_exact and {part for part, _ in s.parts} <= paths}
    heard = [t for t in heard if t.path not in twice]
    rate_hz = rate_of(heard)
    others = [t.path for t in heard if not _is_ready(t, rate_hz)]
    kept = {t.path for t in heard} - set(others[_CONVERTED_MOST:])
    chosen = [t for t in heard if t.path in kept]
    return chosen, [t.path for t in tracks if t.role.is_assessed and t.path not in kept]


def rate_of(tracks: Sequence[Track]) -> int:
    """The rate that most files have, Hz; 0 where there is none."""
    rates = Counter(t.format.rate_hz for t in tracks if t.format is not None)
    return rates.most_common(1)[0][0] if rates else 0


def _is_ready(track: Track, rate_hz: int) -> bool:
    sound = track.format
    return sound is not None and sound.rate_hz == rate_hz and sound.sample_format != "lossy"


def match_mix(
    progress: OnProgress, mix: Entry, entries: Sequence[Entry], tracks: Sequence[Track], comparison: Comparison
) -> MixMatch:
    """Where each file lies in the mix, how loud it is there, and what no file gives.

    Parameters
    ----------
    progress : callable
        Called with (steps done, steps in all).
    mix : Entry
    entries, tracks : sequence of Entry, of Track
        The files that are looked for (`looked_for`) and all others of the song, measured.
    comparison : Comparison
        How they relate to each other.

    Raises
    ------
    UnreadableSound, NotCheckedHere
        A file cannot be read any more.
    """
    from deep_tally.compare.mix_match import match
    from deep_tally.compare.mix_search import MixSearch, Source
    from deep_tally.compare.mix_timeline import Converted, OnTimeline
    from deep_tally.intake.reading import open_sound

    by_path = {e.path: e for e in entries}
    chosen, left_out = looked_for(tracks, comparison)
    rate_hz = rate_of(chosen)
    with ExitStack() as held:
        converted: dict[str, Converted] = {}
        for track in chosen:
            if not _is_ready(track, rate_hz):
                with open_sound(by_path[track.path].source) as reader:
                    converted[track.path] = held.enter_context(Converted(reader, rate_hz))

        def opened(path: str, start: int) -> OnTimeline:
            kept = converted.get(path)
            return OnTimeline(kept.shared() if kept is not None else open_sound(by_path[path].source), start)

        def at_speed(path: str, speed: float, start: int) -> OnTimeline:
            key = f"{path} at {speed}"
            if key not in converted:
                with open_sound(by_path[path].source) as reader:
                    converted[key] = held.enter_context(Converted(reader, rate_hz, speed=speed))
            return OnTimeline(converted[key].shared(), start)

        sources = []
        for track in chosen:
            known = track.measured
            loud = tuple(place * rate_hz // known[0].rate_hz for place in known[1].loud_frames) if known else ()
            sources.append(Source(track.path, partial(opened, track.path), loud, partial(at_speed, track.path)))
        mix_reader = open_sound(mix.source)
        if rate_hz and mix_reader.format.rate_hz != rate_hz:
            with mix_reader:
                mix_reader = Converted(mix_reader, rate_hz)
        with OnTimeline(mix_reader) as sound:
            steps = 4 * len(sources)
            search = MixSearch(sound, sources, lambda done: progress(done, steps))
            found = match(mix.path, search, sources, left_out)
        return replace(found, sum_peak=_sum_peak(found, chosen, by_path, lambda: progress(steps, steps)))


def _sum_peak(
    match: MixMatch, tracks: Sequence[Track], entries: Mapping[str, Entry], alive: Callable[[], None]
) -> SumPeak | None:
    """The peak of the parts' sum where some lie elsewhere than they were sent."""
    from deep_tally.compare.sum_peak import find_sum_peak

    starts = {f.path: f.start_frames for f in match.files}
    if not any(starts.values()):
        return None
    ready = [
        replace(t, format=replace(t.format, time_reference=_FIRST + starts.get(t.path, 0)))
        for t in tracks
        if t.format is not None and _is_ready(t, match.rate_hz)
    ]
    peak = find_sum_peak(ready, entries, left_out=len(tracks) - len(ready), alive=alive)
    earliest = min((starts.get(t.path, 0) for t in ready), default=0)
    # Counted from the song's start, whatever lies before it.
    return replace(peak, starts={p: s + earliest for p, s in peak.starts.items()}) if peak is not None else None
