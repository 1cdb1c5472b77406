"""Pictures of evidence as SVG, drawn from the data: where in the file, what the samples do there, and what turning the
file down does to them; where the spectrum ends; which bits change; the twin under its file."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from xml.sax.saxutils import escape

import numpy as np
from numpy.typing import NDArray

from deep_tally.model.delivery import Track
from deep_tally.model.findings import Finding
from deep_tally.model.language import gettext as _
from deep_tally.model.language import ngettext
from deep_tally.model.measures import Excerpt, Measures, OverviewLevel, SpectralEdge, Spectrum
from deep_tally.reply.numbers import clock, decibels, level, signed

WIDTH, HEIGHT = 640, 90
_BODY = 72
"""What is drawn stands above the axis, which names times, frequencies or levels."""
_INK, _SOFT, _ASK, _RULE = "#22303C", "#59656F", "#A63E14", "#DED7C6"
_COLUMNS_LEAST = 200
_MARKS_MOST = 40
_MARGIN = 8
_BETWEEN = 24
_SPARE_DB = 3.0
_SPECTRUM_FLOOR_DB = -140.0
_WINDOW = "#EADFB8"
_LEVELS_FROM_DB, _LEVELS_SHARE = -60.0, 0.94
"""Of the levels' axis: where it begins, and how much of the width is under full scale."""
_ON_THE_SONG = ("start.", "length.")
_ENDS_WITHIN_S = 0.05
_TENTHS_UNDER_S, _EDGE = 20.0, 14.0


@dataclass(frozen=True, slots=True)
class Picture:
    """An SVG image of WIDTH by HEIGHT and the words that stand for it."""

    svg: str
    words: str


def picture_of(
    finding: Finding,
    track: Track,
    partner: Track | None = None,
    *,
    song_s: float = 0.0,
    window_dbfs: tuple[float, float] = (-30.0, -6.0),
) -> Picture | None:
    """The picture for one file of a finding; None when there is no sound to show.

    Parameters
    ----------
    finding : Finding
    track : Track
    partner : Track, optional
        Another file the finding is about, such as a twin.
    song_s : float
        How long the song is: a file that begins or ends elsewhere is shown against it.
    window_dbfs : (float, float)
        Where the brief wants peaks.
    """
    m = track.measures
    if m is None or track.format is None or not track.is_heard:
        return None
    name = track.path.rpartition("/")[2]
    clip = m.worst_flat_top if finding.code == "clipping.earlier" else m.worst_clip or m.worst_flat_top
    if finding.code in ("clipping.baked", "clipping.earlier", "clipping.over") and clip is not None:
        return _of_tops(name, m, clip, track.format.rate_hz, are_whole=finding.code == "clipping.over")
    if finding.code in ("rate.upsampled", "content.lossy-origin") and m.spectrum is not None and m.spectrum.edge:
        ends = _("{name}: its spectrum ends at {edge} kHz, at the upright line")
        mirrored = _("{name}: its spectrum is mirrored above {edge} kHz, at the upright line")
        words = (mirrored if m.spectrum.edge.kind == "mirrored" else ends).format(
            name=name, edge=signed(m.spectrum.edge.edge_hz / 1000)
        )
        return Picture(_spectrum(m.spectrum, m.spectrum.edge), words)
    if finding.code == "depth.padded":
        bits = int(finding.number_of(track.path, "bits"))
        words = _("{name}: {used} of {all} bits in use, the filled ones").format(
            name=name, used=bits, all=track.format.bits
        )
        return Picture(_bits(bits, track.format.bits or bits), words)
    if finding.code == "content.twin" and partner is not None and partner.measures is not None:
        if finding.files[0] != track.path:
            return None  # one picture shows both
        other = partner.path.rpartition("/")[2]
        words = _("{name} above, {other} below, on one time axis").format(name=name, other=other)
        return Picture(_one_over_another(m, partner.measures, track.format.rate_hz), words)
    if finding.code.startswith("headroom."):
        return _of_levels(name, m, window_dbfs)
    marks = [p.frame / track.format.rate_hz for p in finding.places if p.path == track.path][:_MARKS_MOST]
    seconds = track.format.seconds
    whole_s = max(seconds, song_s) if finding.code.startswith(_ON_THE_SONG) else seconds
    words = _("{name}: the whole file as sent").format(name=name)
    if whole_s > seconds + _ENDS_WITHIN_S:
        words = _("{name}: the file as sent, which ends at {end} of the song's {whole}").format(
            name=name, end=clock(seconds), whole=clock(whole_s)
        )
    if marks:
        mark = ngettext("the upright line marks the place", "the upright lines mark the places", len(marks))
        words = f"{words}; {mark}"
    return Picture(_overview(m.overview, marks, seconds, whole_s), words)


def _of_tops(name: str, m: Measures, clip: Excerpt, rate_hz: int, *, are_whole: bool) -> Picture:
    down = max(0.0, m.sample_peak_dbfs) + _SPARE_DB
    whole = _(
        "{name}: its worst place as sent, and turned down {level}, where its tops come back whole;"
        " the lines: full scale"
    )
    flat = _(
        "{name}: its worst place as sent, and turned down {level}, where its tops stay flat; the lines: full scale"
    )
    words = (whole if are_whole else flat).format(name=name, level=decibels(down))
    return Picture(_turned_down(clip, down, rate_hz), words)


def _of_levels(name: str, m: Measures, window_dbfs: tuple[float, float]) -> Picture:
    low, high = window_dbfs
    words = _("{name}: RMS {rms} to peak {peak}; the shaded window is where peaks are wanted, {low} to {high}").format(
        name=name,
        rms=level(m.rms_dbfs),
        peak=level(m.sample_peak_dbfs),
        low=decibels(low, digits=0),
        high=decibels(high, "dBFS", digits=0),
    )
    return Picture(_levels(m, window_dbfs), words)


def _wave(values: NDArray[np.floating], *, left: float, width: float, scale: float) -> str:
    middle, reach = _BODY / 2, _BODY / 2 - _MARGIN
    x = np.linspace(left, left + width, len(values))
    points = " ".join(f"{a:.1f},{middle - reach * b * scale:.1f}" for a, b in zip(x, values, strict=True))
    return f'<polyline points="{points}" fill="none" stroke="{_INK}" stroke-width="1.4"/>'


def _turned_down(excerpt: Excerpt, down_db: float, rate_hz: int) -> str:
    """On the left the samples as they play, cut off at full scale; on the right the same, lower."""
    channel = int(np.abs(excerpt.samples).max(axis=0).argmax())
    values = excerpt.samples[:, channel].astype(np.float64)
    gain = 10 ** (-down_db / 20)
    middle, reach = _BODY / 2, _BODY / 2 - _MARGIN
    half = (WIDTH - _BETWEEN) / 2
    body = "".join(
        f'<line x1="0" y1="{middle + sign * reach}" x2="{WIDTH}" y2="{middle + sign * reach}" stroke="{_ASK}"/>'
        for sign in (-1, 1)
    )
    dashes = "".join(
        f'<line x1="{half + _BETWEEN:.0f}" y1="{middle + sign * reach * gain:.1f}" x2="{WIDTH}"'
        f' y2="{middle + sign * reach * gain:.1f}" stroke="{_ASK}" stroke-dasharray="4 3" stroke-width="0.8"/>'
        for sign in (-1, 1)
    )
    played = _wave(np.clip(values, -1, 1), left=0, width=half, scale=1.0)
    lower = _wave(values, left=half + _BETWEEN, width=half, scale=gain)
    rule = f'<line x1="{WIDTH / 2}" y1="2" x2="{WIDTH / 2}" y2="{_BODY - 2}" stroke="{_RULE}"/>'
    seconds = len(values) / rate_hz
    axes = _time_axis(seconds, 0, half) + _time_axis(seconds, half + _BETWEEN, half)
    return _svg(body + dashes + rule + played + lower + axes)


def _spectrum(spectrum: Spectrum, edge: SpectralEdge) -> str:
    levels = spectrum.levels_db.astype(np.float64)
    columns = min(len(levels), WIDTH // 2)
    highest = np.maximum.reduceat(levels, np.arange(columns) * len(levels) // columns)
    top = float(highest.max())
    y = _MARGIN + (_BODY - _MARGIN) * np.clip((top - highest) / (top - _SPECTRUM_FLOOR_DB), 0, 1)
    x = np.arange(columns) / columns * WIDTH
    points = " ".join(f"{a:.1f},{b:.1f}" for a, b in zip(x, y, strict=True))
    at = edge.edge_hz / (spectrum.bin_hz * (len(levels) - 1)) * WIDTH
    return _svg(
        f'<polygon points="0,{_BODY} {points} {WIDTH},{_BODY}" fill="{_RULE}"/>'
        f'<polyline points="{points}" fill="none" stroke="{_SOFT}"/>'
        f'<line x1="{at:.1f}" y1="2" x2="{at:.1f}" y2="{_BODY}" stroke="{_ASK}" stroke-width="2"/>'
        + _axis([(WIDTH * n / 4, f"{signed(spectrum.bin_hz * (len(levels) - 1) * n / 4000)} kHz") for n in range(5)])
    )


def _bits(used: int, held: int) -> str:
    step = min(24.0, WIDTH / max(1, held))
    boxes = "".join(
        f'<rect x="{bit * step + 1:.1f}" y="{_BODY / 2 - 10}" width="{step - 3:.1f}" height="20"'
        f' fill="{_SOFT if bit < used else "none"}" stroke="{_SOFT if bit < used else _RULE}"/>'
        for bit in range(held)
    )
    return _svg(boxes)


def _one_over_another(upper: Measures, lower: Measures, rate_hz: int) -> str:
    """Two files on one time axis."""
    longest = max(upper.frames, lower.frames, 1)
    body = "".join(
        _shape(m.overview, middle=_BODY * place, reach=_BODY / 4 - 3, width=WIDTH * m.frames / longest)
        for m, place in ((upper, 0.25), (lower, 0.75))
    )
    return _svg(body + _time_axis(longest / rate_hz))


def _shape(levels: tuple[OverviewLevel, ...], *, middle: float, reach: float, width: float = WIDTH) -> str:
    level = next((lv for lv in reversed(levels) if len(lv.low) >= _COLUMNS_LEAST), levels[0])
    low, high = level.low.min(axis=1).astype(np.float32), level.high.max(axis=1).astype(np.float32)
    scale = max(1e-9, float(np.abs(low).max(initial=0.0)), float(high.max(initial=0.0)))
    x = np.linspace(0, width, len(low))
    upper = [f"{a:.1f},{middle - reach * b:.1f}" for a, b in zip(x, high / scale, strict=True)]
    lower = [f"{a:.1f},{middle - reach * b:.1f}" for a, b in zip(x[::-1], (low / scale)[::-1], strict=True)]
    body = f'<line x1="0" y1="{middle}" x2="{WIDTH}" y2="{middle}" stroke="{_RULE}"/>'
    return body + f'<polygon points="{" ".join(upper + lower)}" fill="{_SOFT}" stroke="{_SOFT}" stroke-width="0.6"/>'


def _overview(levels: tuple[OverviewLevel, ...], marks: list[float], seconds: float, whole_s: float) -> str:
    """A file on the time axis of its song, with marks in seconds."""
    scale = WIDTH / max(whole_s, 1e-9)
    body = _shape(levels, middle=_BODY / 2, reach=_BODY / 2 - _MARGIN, width=seconds * scale)
    if whole_s > seconds + _ENDS_WITHIN_S:
        body += (
            f'<rect x="{seconds * scale:.1f}" y="2" width="{WIDTH - seconds * scale:.1f}" height="{_BODY - 4}"'
            f' fill="none" stroke="{_RULE}" stroke-dasharray="4 3"/>'
        )
    for mark in marks:
        at = min(WIDTH - 1.5, max(1.5, mark * scale))
        body += f'<line x1="{at:.1f}" y1="2" x2="{at:.1f}" y2="{_BODY - 2}" stroke="{_ASK}" stroke-width="2"/>'
    return _svg(body + _time_axis(whole_s))


def _levels(measures: Measures, window_dbfs: tuple[float, float]) -> str:
    """RMS to peak as a bar, over the window that is asked for."""

    def x(dbfs: float) -> float:
        return WIDTH * min(1.0, max(0.0, (dbfs - _LEVELS_FROM_DB) / -_LEVELS_FROM_DB)) * _LEVELS_SHARE

    low, high = window_dbfs
    rms, peak = x(measures.rms_dbfs), x(measures.sample_peak_dbfs)
    middle = _BODY / 2
    ticks = [
        (x(db), decibels(db, "dBFS" if db == 0 else "", digits=0).strip()) for db in (-48.0, -36.0, -24.0, -12.0, 0.0)
    ]
    return _svg(
        f'<rect x="{x(low):.1f}" y="8" width="{x(high) - x(low):.1f}" height="{_BODY - 16}" fill="{_WINDOW}"/>'
        f'<line x1="{x(0):.1f}" y1="4" x2="{x(0):.1f}" y2="{_BODY - 4}" stroke="{_ASK}"/>'
        f'<line x1="{rms:.1f}" y1="{middle}" x2="{peak:.1f}" y2="{middle}" stroke="{_INK}" stroke-width="4"/>'
        f'<line x1="{peak:.1f}" y1="{middle - 10}" x2="{peak:.1f}" y2="{middle + 10}" stroke="{_INK}"'
        f' stroke-width="3"/>' + _axis(ticks)
    )


def _time_axis(seconds: float, left: float = 0.0, width: float = WIDTH) -> str:
    """Times at even places, as clocks; milliseconds for what is shorter than a second."""
    parts = 4 if width > WIDTH / 2 else 2
    ticks = []
    for n in range(parts + 1):
        at = seconds * n / parts
        words = clock(at, digits=1 if seconds < _TENTHS_UNDER_S else 0) if seconds >= 1 else f"{signed(at * 1000)} ms"
        ticks.append((left + width * n / parts, words))
    return _axis(ticks, left, left + width)


def _axis(ticks: Sequence[tuple[float, str]], left: float = 0.0, right: float = WIDTH) -> str:
    """Short strokes with words under what is drawn, none of which stands out of its part of the picture."""
    made = ""
    for x, words in ticks:
        at = min(right - 0.5, max(left + 0.5, x))
        anchor = "start" if at < left + _EDGE else "end" if at > right - _EDGE else "middle"
        made += f'<line x1="{at:.1f}" y1="{_BODY}" x2="{at:.1f}" y2="{_BODY + 4}" stroke="{_SOFT}"/>'
        made += (
            f'<text x="{at:.1f}" y="{HEIGHT - 4}" text-anchor="{anchor}" font-size="11"'
            f' font-family="sans-serif" fill="{_SOFT}">{escape(words)}</text>'
        )
    return made


def _svg(body: str) -> str:
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {HEIGHT}" width="{WIDTH}" height="{HEIGHT}">'
        f"{body}</svg>"
    )


def with_title(picture: Picture) -> str:
    """The SVG with its words inside, for pages that are read aloud."""
    return picture.svg.replace(">", f' role="img"><title>{escape(picture.words)}</title>', 1)
